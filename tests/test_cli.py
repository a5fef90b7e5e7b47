"""The command line: exit codes, sentences, settings, builds; and the journal against a killed program."""

import contextlib
import io
import json
import os
import signal
import subprocess
import sys
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path

import numpy as np
import tifffile
from PIL import Image
from support import DEMO, ROOT, chain, result, slow

from gelande.cli.main import main
from gelande.core.recipe import control, geojson, graph, journal
from gelande.core.recipe import recipefile as files
from gelande.core.regenerate import preset

SQUARE = ((1000, 1000), (3000, 1000), (3000, 3000), (1000, 3000))


def run(*args) -> tuple[int, str, str]:
    """(exit code, what was printed, what was complained)."""
    out, err = io.StringIO(), io.StringIO()
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
        code = main([str(a) for a in args])
    return code, out.getvalue(), err.getvalue()


class CommandTest(unittest.TestCase):
    def setUp(self):
        self.temp = tempfile.TemporaryDirectory()
        self.addCleanup(self.temp.cleanup)
        self.folder = Path(self.temp.name)
        recipe, ids = chain("fractal_noise", "terrace")
        recipe = control.publish(recipe, ids[1], "riser_height", "Riser height")
        self.recipe, self.ids = control.publish(recipe, control.RECIPE, "seed"), ids
        self.path = self.folder / "small.gelande"
        files.save(self.recipe, self.path)

    def test_help_explains_every_command(self):
        code, out, _ = run("--help")
        self.assertEqual(code, 0)
        for word in ("new", "open", "regenerate", "build", "info", "nodes", "Exit codes"):
            self.assertIn(word, out)
            if word.islower():
                self.assertEqual(run(word, "--help")[0], 0)

    def test_wrong_usage_is_2(self):
        for args in (
            (),
            ("fly",),
            ("build",),
            ("build", self.path, "--detail", "many"),
            ("info", "nowhere.gelande"),
            ("build", self.path, "--detail", "500"),
            ("build", self.path, "--set", "Riser height"),
            ("build", self.path, "--set", "Colour=3"),
            ("build", self.path, "--set", "Riser height=tall"),
            ("build", self.path, "--set", "Riser height=99999"),
            ("nodes", "wibble"),
            ("new", "--size", "wide", "--out", self.folder / "n.gelande"),
            ("new", "--out", self.path),
        ):
            with self.subTest(args):
                code, out, err = run(*args)
                self.assertEqual(code, 2, err)
                self.assertNotIn("Traceback", err)

    def test_build_with_settings_is_what_the_recipe_gives_with_them(self):
        out = self.folder / "out"
        code, printed, err = run(
            "build",
            self.path,
            "--detail",
            "257",
            "--set",
            "Seed=12",
            "--set",
            "riser height=30 m",
            "--out",
            out,
            "--quiet",
        )
        self.assertEqual((code, err), (0, ""))
        self.assertIn("read back identical", printed)
        wanted = graph.set_param(replace(self.recipe, seed=12), self.ids[1], "riser_height", 30)
        self.assertEqual(
            tifffile.imread(out / "test_height.tif").tobytes(), result(wanted, self.ids[1], 2)["height"].tobytes()
        )
        block = json.loads((out / "test_manifest.json").read_text())
        self.assertEqual(
            block["controls"], {"Riser height": {"value": 30.0, "unit": "m"}, "Seed": {"value": 12, "unit": ""}}
        )

    def test_what_is_kept_and_named_is_built_seed_by_seed(self):
        low = control.set_control(self.recipe, self.recipe.controls[0], 20.0)
        files.save(preset.with_preset(low, "Low steps"), self.path)
        (self.folder / "area.geojson").write_text(geojson.written(((False, False, SQUARE),)))
        args = ("--preset", "low steps", "--keep", f"{self.folder / 'area.geojson'}@seed=12,width=300")
        code, _, err = run(
            "build", self.path, "--detail", "129", *args, "--seeds", "1..2", "--out", self.folder / "o", "--quiet"
        )
        self.assertEqual((code, err), (0, ""))
        lands = [tifffile.imread(self.folder / "o" / f"{s:06d}" / "test_height.tif") for s in (1, 2)]
        plain = result(replace(low, seed=12), self.ids[1], 1)["height"]
        inside = (slice(60, 80), slice(45, 60))
        for land in lands:
            np.testing.assert_array_equal(land[inside], plain[inside])
        self.assertGreater(np.abs(lands[0] - lands[1]).max(), 5)
        block = json.loads((self.folder / "o" / "000001" / "test_manifest.json").read_text())
        self.assertEqual((block["kept_areas"][0]["seed"], block["kept_areas"][0]["width_m"]), (12, 300.0))

    def test_variants_are_told_sorted_and_drawn(self):
        sheet = self.folder / "sheet.png"
        code, out, err = run(
            "variants", self.path, "--by", "seed", "1..5", "--sort", "relief", "--sheet", sheet, "--relief"
        )
        self.assertEqual((code, err), (0, ""))
        found = [float(line.split("m")[0].split()[-1]) for line in out.splitlines() if line.startswith("seed")]
        self.assertEqual((len(found), found), (5, sorted(found, reverse=True)))
        with Image.open(sheet) as picture:
            self.assertGreater(picture.width, 900)
        code, out, _ = run("variants", self.path, "--by", "control", "riser height", "--count", "4")
        self.assertEqual((code, out.count("Riser height")), (0, 4))
        for words, args in (
            ("no figure", ("--sort", "beauty")),
            ("not by 'luck'", ("--by", "luck")),
            ("need the names", ("--by", "grid", "Riser height")),
            ("Nothing can be made", ("--by", "control", "Seed")),
            ("Seeds are", ("--by", "seed", "9..2")),
            ("at most", ("--by", "seed", "0..9999")),
            ("no preset", ("--preset", "Dry")),
            ("no seed group", ("--lock", "Trees")),
            ("cannot be opened", ("--keep", "none.geojson")),
            ("must look like", ("--keep", "a.geojson@luck=3")),
        ):
            code, _, err = run("variants", self.path, *args)
            self.assertEqual((code, words in err, "Traceback" in err), (2, True, False), (words, err))

    def test_a_failing_node_is_1(self):
        broken = graph.unlink(self.recipe, self.ids[1], "height")
        files.save(broken, self.path)
        code, _, err = run("build", self.path, "--detail", "129", "--out", self.folder / "out", "--quiet")
        self.assertEqual(code, 1)
        self.assertIn("Terrace: its input Height is not linked", err)

    def test_one_and_two_threads_write_the_same_files(self):
        from gelande.kernels import bands

        self.addCleanup(bands.set_threads, bands.threads())
        for threads in (1, 2):
            self.assertEqual(
                run(
                    "build",
                    self.path,
                    "--detail",
                    "513",
                    "--threads",
                    threads,
                    "--out",
                    self.folder / str(threads),
                    "--quiet",
                )[0],
                0,
            )
        for name in os.listdir(self.folder / "1"):
            self.assertEqual((self.folder / "1" / name).read_bytes(), (self.folder / "2" / name).read_bytes(), name)

    def test_new_info_and_nodes(self):
        self.assertEqual(
            run("new", "--name", "Skerrin", "--size", "3000x1500", "--out", self.folder / "n.gelande")[0], 0
        )
        site = files.load(self.folder / "n.gelande").site
        self.assertEqual((site.name, site.width, site.depth), ("Skerrin", 3000.0, 1500.0))
        code, out, _ = run("info", DEMO)
        self.assertEqual(code, 0)
        for word in ("Varrowdale", "14 controls", "made by", "White winter", "Cliff height", "GeoTIFF"):
            self.assertIn(word, out)
        self.assertIn("riser_height_m", run("nodes", "terrace")[1])
        self.assertIn("Rain erosion", run("nodes")[1])

    def test_what_is_told_is_told_as_json_too(self):
        for args, name in (
            (("nodes",), "id"),
            (("formats",), "options"),
            (("examples",), "path"),
            (("profile", self.path, "--detail", 129), "seconds"),
            (("variants", self.path, "--by", "seed", "1..2"), "seed"),
        ):
            code, out, _ = run(*args, "--json")
            self.assertEqual(code, 0)
            self.assertIn(name, json.loads(out)[0])
        facts = json.loads(run("info", self.path, "--json")[1])
        self.assertEqual((facts["site"]["width_m"], len(facts["nodes"])), (4096.0, 2))
        self.assertEqual(facts["nodes"][1]["settings"]["riser_height"], facts["controls"][0]["value"])
        rows = run("variants", self.path, "--by", "seed", "1..3", "--csv")[1].splitlines()
        self.assertEqual((rows[0].split(",")[:2], len(rows)), (["name", "seed"], 4))

    def test_a_format_and_the_examples_are_found(self):
        code, out, _ = run("formats", "mesh_glb")
        self.assertIn("error", out)
        code, _, told = run("formats", "mesh_glbb")
        self.assertEqual((code, "did you mean mesh_glb?" in told), (2, True))
        code, out, _ = run("examples", "copy", "moor", "--to", self.folder / "mine")
        self.assertEqual((code, [p.name for p in (self.folder / "mine").iterdir()]), (0, ["moor.gelande"]))
        code, _, told = run("examples", "copy", "moor", "--to", self.folder / "mine")
        self.assertEqual((code, "exists already" in told), (2, True))
        self.assertIn("did you mean varrowdale?", run("examples", "copy", "varrowdal")[2])

    def test_a_delivery_fits_the_recipe_under_what_its_manifest_states(self):
        run("build", self.path, "--detail", 129, "--set", "Riser height=70", "--set", "Seed=4", "--quiet", "--out",
            self.folder / "out")  # fmt: skip
        code, out, _ = run("receive", self.folder / "out", "--recipe", self.path, "--no-window", "--json")
        self.assertEqual((code, json.loads(out)["faults"]), (0, []))
        code, out, _ = run("receive", self.folder / "out", "--recipe", self.path, "--no-window", "--seed", 5)
        self.assertEqual((code, "are not those of the recipe" in out), (1, True))

    def test_stopped_by_hand_is_one_sentence_and_130(self):
        """A terminal sends SIGINT to what runs in it."""
        code = """import signal, sys
signal.signal(signal.SIGINT, signal.default_int_handler)
from gelande.cli.main import main
from gelande.core.evaluate.executor import Evaluator
def told(*a, **k):
    print("begun", flush=True)
    signal.pause()
Evaluator.result = told
sys.exit(main(sys.argv[1:]))"""
        command = [sys.executable, "-c", code, "profile", str(self.path)]
        env = {**os.environ, "PYTHONPATH": str(ROOT / "src")}
        process = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True, env=env)
        self.assertEqual(process.stdout.readline(), "begun\n")
        process.send_signal(signal.SIGINT)
        _, told = process.communicate(timeout=120)
        self.assertEqual((process.returncode, told), (130, "gelande: stopped; what was finished stays.\n"))

    def test_lists_and_help_load_nothing_that_computes(self):
        script = (
            "import sys; from gelande.cli.main import main; "
            "print([main(a) for a in (['nodes'], ['nodes', 'Rain erosion'], ['formats'])]); "
            "print([m for m in ('numpy', 'numba', 'pydantic') if m in sys.modules])"
        )
        done = subprocess.run(
            [sys.executable, "-c", script],
            capture_output=True,
            text=True,
            env={**os.environ, "PYTHONPATH": str(ROOT / "src")},
            check=True,
        )
        self.assertTrue(done.stdout.endswith("[0, 0, 0]\n[]\n"), done.stdout[-80:])
        for words in ("Terrace", "gully_spacing_m", "PNG, 16-bit"):
            self.assertIn(words, done.stdout)

    def test_edits_are_told_with_what_they_compute_again(self):
        code, out, _ = run("profile", self.path, "--edits", "--node", self.ids[1], "--detail", "129")
        self.assertEqual(code, 0)
        rows = {line[2:26].strip(): line for line in out.splitlines() if line.startswith("  ")}
        self.assertIn("Terrace", rows["setting"])
        for kind in ("Amount", "name", "sea level"):
            self.assertNotIn("Terrace", rows[kind])
        self.assertIn("Fractal noise", rows["recipe's seed"])

    def test_profile_tells_time_and_memory_of_every_node(self):
        code, out, _ = run("profile", self.path, "--detail", "129")
        self.assertEqual(code, 0)
        for word in ("Terrace", "Fractal noise", "ms", "MB", "129 samples"):
            self.assertIn(word, out)
        self.assertEqual(run("profile", self.path, "--detail", "130")[0], 2)

    def test_no_display_is_told(self):
        env = {k: v for k, v in os.environ.items() if k not in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")}
        done = subprocess.run(
            [sys.executable, "-m", "gelande", "open"],
            env={**env, "PYTHONPATH": str(ROOT / "src")},
            capture_output=True,
            text=True,
        )
        self.assertEqual(done.returncode, 2)
        self.assertIn("no display", done.stderr)


EDITOR = """
import os, sys, time
sys.path[:0] = [{tests!r}, {src!r}]
from support import application, chain
from pathlib import Path
app = application()
from PyQt6.QtCore import QTimer
from gelande.app.document import Document
from gelande.core.recipe import graph
doc = Document(Path({root!r}))
recipe, ids = chain("fractal_noise", "terrace")
doc.edit("Start", lambda r: recipe)
n = [0]
def edit():
    n[0] += 1
    doc.edit("Set", lambda r: graph.set_param(r, ids[1], "riser_height", float(n[0])))
    print(n[0], time.time(), flush=True)
timer = QTimer(interval=20); timer.timeout.connect(edit); timer.start()
app.exec()
"""


class JournalTest(unittest.TestCase):
    @slow
    def test_a_kill_loses_at_most_two_seconds(self):
        with tempfile.TemporaryDirectory() as root:
            script = EDITOR.format(tests=str(ROOT / "tests"), src=str(ROOT / "src"), root=root)
            process = subprocess.Popen(
                [sys.executable, "-c", script], stdout=subprocess.PIPE, text=True, stderr=subprocess.DEVNULL
            )
            times = {}
            for line in process.stdout:
                number, when = line.split()
                times[int(number)] = float(when)
                if len(times) >= 160:
                    process.send_signal(signal.SIGKILL)
                    break
            process.wait()
            for line in process.stdout:
                number, when = line.split()
                times[int(number)] = float(when)
            process.stdout.close()
            lost = journal.lost_work(Path(root))
            self.assertEqual(len(lost), 1)
            kept = int(lost[0].recipe.nodes["terrace_1"].params["riser_height"])
            self.assertLess(max(times.values()) - times[kept], 2.0)
            journal.discard(lost[0])
            self.assertEqual(journal.lost_work(Path(root)), [])

    def test_a_running_program_is_not_offered(self):
        with tempfile.TemporaryDirectory() as root:
            mine = journal.Journal(Path(root))
            mine.write(chain("fractal_noise")[0], None)
            self.assertEqual(journal.lost_work(Path(root)), [])
            mine.clear()
            self.assertEqual(list(Path(root).iterdir()), [])

    def test_a_damaged_journal_is_passed_over_and_left(self):
        with tempfile.TemporaryDirectory() as root:
            folder = Path(root) / "999999999-abc"
            folder.mkdir()
            (folder / "recipe.gelande").write_text("{")
            self.assertEqual(journal.lost_work(Path(root)), [])
            self.assertTrue(folder.exists())


if __name__ == "__main__":
    unittest.main()
