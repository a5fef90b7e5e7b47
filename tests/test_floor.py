"""A floor under everything, without a window: files that are written, files of strangers, long chains, stops that
leave nothing."""

import errno
import os
import stat
import subprocess
import sys
import tempfile
import time
import unittest
import zipfile
from dataclasses import replace
from pathlib import Path
from unittest import mock

import numpy as np
import rasterio
from longrun.flips import flip_all
from support import ROOT, chain, result, slow

from gelande.core import words
from gelande.core.errors import DeliveryError, GelandeError, NodeError, RecipeError
from gelande.core.evaluate import bake
from gelande.core.evaluate.executor import Evaluator, Job
from gelande.core.files import arrays, disk, numerals
from gelande.core.recipe import clipboard, control, graph, group, kinds, model, walk
from gelande.core.recipe import param as P
from gelande.core.recipe.deliverables import Deliverable
from gelande.core.recipe.journal import Journal, lost_work
from gelande.core.recipe.model import Recipe
from gelande.core.recipe.param import metres
from gelande.core.recipe.recipefile import dumps, fingerprint, load, loads, save
from gelande.core.recipe.site import Site
from gelande.deliver import build as B
from gelande.deliver import names, write
from gelande.kernels import rasterfile

HEAD = '{"format": "gelande recipe", "version": 1, "site": {"width_m": 4096, "depth_m": 4096}, '


def long_chain(kind: str, count: int) -> tuple[Recipe, str]:
    """Fractal noise and so many nodes of a kind after it."""
    recipe, _ = graph.add(Recipe(), "fractal_noise")
    state = graph.add(recipe, kind)[0].nodes[f"{kind}_1"]
    port, before, nodes = state.spec.inputs[0].id, ("fractal_noise_1", "height"), dict(recipe.nodes)
    for k in range(1, count + 1):
        nodes[f"{kind}_{k}"] = replace(state, inputs={port: before})
        before = (f"{kind}_{k}", state.spec.main.id)
    return replace(recipe, nodes=nodes), before[0]


class Folder(unittest.TestCase):
    def setUp(self):
        temp = tempfile.TemporaryDirectory()
        self.addCleanup(temp.cleanup)
        self.folder = Path(temp.name)


class Writing(Folder):
    def test_a_file_keeps_its_mode_a_link_stays_and_a_read_only_file_is_not_touched(self):
        recipe = chain("fractal_noise")[0]
        path, link = self.folder / "mine.gelande", self.folder / "link.gelande"
        save(recipe, path)
        os.chmod(path, 0o600)
        link.symlink_to(path)
        save(replace(recipe, seed=7), link)
        self.assertTrue(link.is_symlink())
        self.assertEqual((load(path).seed, stat.S_IMODE(path.stat().st_mode)), (7, 0o600))
        os.chmod(path, 0o444)
        with self.assertRaisesRegex(RecipeError, "the file is read-only. Nothing was changed"):
            save(replace(recipe, seed=9), path)
        self.assertEqual((load(path).seed, stat.S_IMODE(path.stat().st_mode)), (7, 0o444))

    def test_a_new_file_has_the_users_usual_mode(self):
        before = os.umask(0o027)
        self.addCleanup(os.umask, before)
        save(Recipe(), self.folder / "new.gelande")
        self.assertEqual(stat.S_IMODE((self.folder / "new.gelande").stat().st_mode), 0o640)

    def test_saving_into_a_folder_that_is_gone_says_so_and_makes_none(self):
        with self.assertRaisesRegex(RecipeError, "does not exist"):
            save(Recipe(), self.folder / "gone" / "mine.gelande")
        self.assertEqual(os.listdir(self.folder), [])

    def test_what_a_killed_writer_left_goes_and_what_a_living_one_writes_stays(self):
        script = f"""
import os, signal, sys
sys.path.insert(0, {str(ROOT / "src")!r})
from pathlib import Path
from gelande.core.files.disk import write_whole
def never(path):
    path.write_bytes(b'half')
    print('writing', flush=True)
    if sys.argv[1] == 'die':
        os.kill(os.getpid(), signal.SIGKILL)
    sys.stdin.read()
write_whole(Path({str(self.folder)!r}) / 'work.gelande', never)
"""
        subprocess.run([sys.executable, "-c", script, "die"], stdout=subprocess.PIPE)
        living = subprocess.Popen([sys.executable, "-c", script, "live"], stdin=subprocess.PIPE, stdout=subprocess.PIPE)
        self.addCleanup(living.stdout.close)
        living.stdout.readline()
        self.assertEqual(len(os.listdir(self.folder)), 2)
        disk.sweep(self.folder)
        self.assertEqual(len(os.listdir(self.folder)), 1, "the living one's")
        save(Recipe(), self.folder / "other.gelande")
        living.communicate()
        self.assertEqual(sorted(os.listdir(self.folder)), ["other.gelande", "work.gelande"])

    def test_a_build_sweeps_what_a_killed_build_left(self):
        recipe, (noise,) = chain("fractal_noise")
        left = self.folder / f"{disk.PART_HEAD}abc{disk.PART_TAIL}"
        left.mkdir()
        (left / "test_height.tif").write_bytes(b"half")
        B.build(
            replace(recipe, deliverables=(Deliverable("Height", noise, "height", "height_tiff32"),)),
            1,
            self.folder,
            Evaluator(),
        )
        self.assertEqual(sorted(os.listdir(self.folder)), ["test_height.tif", "test_import.html", "test_manifest.json"])

    def test_the_journal_of_a_living_program_is_not_offered_whatever_its_number_and_that_of_a_dead_one_is(self):
        recipe = chain("fractal_noise")[0]
        mine = Journal(self.folder)
        mine.write(recipe, None)
        self.assertEqual(lost_work(self.folder), [])
        dead = Journal(self.folder)
        dead.folder = self.folder / "1-reused"  # process 1 lives, and is another program
        dead.write(replace(recipe, seed=5), None)
        dead.leave()
        self.assertEqual([lost.recipe.seed for lost in lost_work(self.folder)], [5])
        mine.clear()

    def test_an_empty_journal_of_a_dead_program_goes(self):
        (self.folder / "12-abc").mkdir()
        self.assertEqual(lost_work(self.folder), [])
        self.assertEqual(os.listdir(self.folder), [])

    def test_bakes_that_no_recipe_refers_to_go_and_others_stay(self):
        recipe, (noise,) = chain("fractal_noise")
        path, evaluator = self.folder / "mine.gelande", Evaluator()
        old = bake.make(evaluator, Job(recipe, self.folder), noise, 1, path)
        new = bake.make(evaluator, Job(recipe, self.folder), noise, 1, path)
        other = bake.make(evaluator, Job(recipe, self.folder), noise, 1, path)
        save(bake.set_bake(recipe, noise, new), path)
        save(bake.set_bake(recipe, noise, other), self.folder / "copy.gelande")
        self.assertEqual(bake.forget_unused(path), 1)
        kept = {f.name for f in (self.folder / "mine.bakes").iterdir()}
        self.assertEqual(kept, {bake.file_of(b, self.folder, 1).name for b in (new, other)})
        self.assertNotIn(bake.file_of(old, self.folder, 1).name, kept)


class Strangers(Folder):
    """Files that somebody else made: each is refused at once, in one short sentence."""

    def refused(self, text: str, *told: str, seconds: float = 2.5):
        path, began = self.folder / "strange.gelande", time.process_time()
        path.write_text(text, encoding="utf-8")
        with self.assertRaises(RecipeError) as caught:
            load(path)
        words_ = str(caught.exception)
        self.assertLess(time.process_time() - began, seconds)
        self.assertLessEqual(len(words_), 300)
        self.assertTrue(words_.isprintable(), words_)
        for word in told:
            self.assertIn(word, words_)

    def test_numbers_that_are_none(self):
        recipe = dumps(chain("fractal_noise")[0])
        for text, told in (
            (recipe.replace('"seed": 0', '"seed": ' + "9" * 400), "400 digits"),
            (recipe.replace('"seed": 0', '"seed": ' + "9" * 4301), "4301 digits"),
            (recipe.replace("4096.0", "NaN"), "NaN"),
            (recipe.replace('"sea_level_m": 0.0', '"sea_level_m": Infinity'), "Infinity"),
            (recipe.replace('"sea_level_m": 0.0', '"sea_level_m": 1e999'), "sea_level_m"),
            (recipe.replace('"sea_level_m": 0.0', '"sea_level_m": 1e9'), "sea level"),
            (recipe.replace('"at": [0.0, 0.0]', '"at": [1e999, 0]'), "at"),
            (recipe.replace('"at": [0.0, 0.0]', '"at": [1e300, 0]'), "at"),
        ):
            with self.subTest(told):
                self.refused(text, told)

    def test_a_control_that_multiplies_by_nothing(self):
        recipe, (noise,) = chain("fractal_noise")
        text = dumps(control.publish(recipe, noise, "relief"))
        self.refused(text.replace('"times": 1.0', '"times": 0'), "not 0")
        self.refused(text.replace('"times": 1.0', '"times": 1e400'), "times")

    @slow
    def test_too_many_of_everything_is_said_at_once(self):
        node = '"kind": "dome", "name": "D"'
        self.refused(
            HEAD + '"nodes": {' + ",".join(f'"d_{k}": {{{node}}}' for k in range(1_000_000)) + "}}",
            "1000000 nodes",
            "2000",
            seconds=12,
        )
        self.refused(
            HEAD
            + f'"nodes": {{"d": {{{node}}}}}, "deliverables": ['
            + ",".join(
                f'{{"name": "{k}", "node": "d", "port": "height", "format": "height_png16"}}' for k in range(100_000)
            )
            + "]}",
            "100000 deliverables",
        )
        nested = [
            f'"g_{k}": {{"kind": "group", "name": "G"' + (f', "group": "g_{k - 1}"' if k else "") + "}"
            for k in range(1500)
        ]
        self.refused(HEAD + '"nodes": {' + ",".join(nested) + "}}", "one in the other", "32")
        self.refused(HEAD + '"view": ' + '{"a": ' * 200 + "1" + "}" * 201, "nested too deeply")

    def test_a_value_of_ten_megabytes_is_not_echoed(self):
        recipe = dumps(chain("fractal_noise")[0])
        self.refused(recipe.replace('"gradient"', '"' + "x" * 10_000_000 + '"'), "Basis is 'xxx")
        self.refused(recipe.replace('"octaves": 8', '"' + "y" * 1_000_000 + '": 8'), "no parameter called")

    def test_half_a_character_is_refused_and_a_byte_order_mark_is_not(self):
        recipe = dumps(chain("fractal_noise")[0])
        self.refused(recipe.replace('"Test"', '"T\\ud800"'), "half a character")
        path = self.folder / "mark.gelande"
        path.write_bytes(b"\xef\xbb\xbf" + recipe.encode())
        self.assertEqual(dumps(load(path)), recipe)

    def test_what_steers_a_terminal_is_not_taken_into_names(self):
        recipe = dumps(chain("fractal_noise")[0])
        text = recipe.replace('"name": "Fractal noise"', '"name": "\\u001b[31mred\\u202e\\u0007"')
        self.assertEqual(loads(text).nodes["fractal_noise_1"].name, "?[31mred??")
        done = subprocess.run(
            [sys.executable, "-m", "gelande", "info", str(self.written(text))],
            capture_output=True,
            text=True,
            env={**os.environ, "PYTHONPATH": str(ROOT / "src")},
        )
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertNotIn("\x1b", done.stdout)
        self.refused(recipe.replace('"fractal_noise_1": {', '"fractal\\u001b[2J": {'), "no node's id")

    def written(self, text: str) -> Path:
        path = self.folder / "named.gelande"
        path.write_text(text, encoding="utf-8")
        return path

    def test_text_that_is_typed_can_always_be_saved(self):
        recipe, (noise,) = chain("fractal_noise")
        recipe = graph.rename(recipe, noise, "half \ud800 and \x1b[0m")
        save(recipe, self.folder / "typed.gelande")
        self.assertEqual(load(self.folder / "typed.gelande").nodes[noise].name, "half ? and ?[0m")

    def test_pipes_and_devices_are_not_read(self):
        os.mkfifo(self.folder / "pipe.gelande")
        os.mkfifo(self.folder / "pipe.tif")
        os.symlink("/dev/zero", self.folder / "zero.gelande")
        os.symlink("/dev/zero", self.folder / "zero.tif")
        for name in ("pipe.gelande", "zero.gelande"):
            with self.assertRaisesRegex(RecipeError, "not a regular file"):
                load(self.folder / name)
            with self.assertRaisesRegex(RecipeError, "not a regular file"):
                clipboard.read_text(self.folder / name)
        for name in ("pipe.tif", "zero.tif"):
            with self.assertRaisesRegex(rasterfile.RasterFileError, "not a regular file"):
                rasterfile.read_raster(self.folder / name)
        recipe, (noise,) = chain("fractal_noise")
        os.mkfifo(self.folder / "pipe-L1.npz")
        baked = bake.set_bake(recipe, noise, model.Bake("key", 1, "pipe"))
        with self.assertRaisesRegex(NodeError, "not a regular file"):
            result(baked, noise, 1, folder=self.folder)

    def test_an_image_that_leads_elsewhere_is_not_followed(self):
        secret = self.folder / "elsewhere.tif"
        with rasterio.open(secret, "w", driver="GTiff", height=4, width=4, count=1, dtype="float32") as file:
            file.write(np.ones((4, 4), np.float32), 1)
        dataset = f"""<VRTDataset rasterXSize="4" rasterYSize="4">
            <VRTRasterBand dataType="Float32" band="1"><SimpleSource>
            <SourceFilename>{secret}</SourceFilename><SourceBand>1</SourceBand></SimpleSource></VRTRasterBand></VRTDataset>"""
        service = '<GDAL_WMS><Service name="TMS"><ServerUrl>http://127.0.0.1:9/${z}/${x}/${y}.png</ServerUrl></Service></GDAL_WMS>'
        with rasterio.open(self.written_as("plain.vrt", dataset)) as file:
            self.assertEqual(file.read(1)[0, 0], 1.0, "the library would follow it")
        for name, text in (("a.tif", dataset), ("b.png", dataset), ("c.asc", service), ("d.vrt", dataset)):
            with self.assertRaisesRegex(rasterfile.RasterFileError, "no PNG, TIFF or ASCII grid"):
                rasterfile.read_raster(self.written_as(name, text))

    def written_as(self, name: str, text: str) -> Path:
        (self.folder / name).write_text(text)
        return self.folder / name

    def test_a_small_file_that_claims_to_be_huge_is_refused_before_memory_is_taken(self):
        path = self.folder / "sparse.tif"
        with rasterio.open(
            path, "w", driver="GTiff", height=16_000, width=16_000, count=1, dtype="float64", sparse_ok=True, tiled=True
        ):
            pass
        self.assertLess(path.stat().st_size, 200_000)
        whole = self.folder / "sparse16.tif"
        with rasterio.open(
            whole, "w", driver="GTiff", height=16_000, width=16_000, count=1, dtype="uint16", sparse_ok=True, tiled=True
        ):
            pass
        with mock.patch.object(np, "empty", side_effect=AssertionError("memory was taken")):
            with self.assertRaisesRegex(rasterfile.RasterFileError, "at most 600 MB"):
                rasterfile.read_raster(path)
            with self.assertRaisesRegex(rasterfile.RasterFileError, "not whole"):
                rasterfile.read_raster(whole)

    @slow
    def test_an_archive_is_read_only_when_it_holds_what_it_says(self):
        good, bomb, lies = (self.folder / n for n in ("good.npz", "bomb.npz", "lies.npz"))
        arrays.write(good, {"height": np.ones((129, 129), np.float32)})
        self.assertEqual(arrays.read(good, {"height": (129, 129)})["height"].sum(), 129 * 129)
        np.savez_compressed(bomb, height=np.zeros((12_000, 12_000), np.float32))
        self.assertLess(bomb.stat().st_size, 1_000_000)
        with zipfile.ZipFile(lies, "w") as archive:
            header = (
                b"\x93NUMPY\x01\x00v\x00"
                + b"{'descr': '<f4', 'fortran_order': False, 'shape': (40000, 40000), }".ljust(117)
                + b"\n"
            )
            archive.writestr("height.npy", header)
        pickled = self.folder / "pickled.npz"
        np.savez(pickled, height=np.array([{}], object))
        with self.assertRaisesRegex(GelandeError, "samples where"):
            arrays.read(good, {"height": (257, 257)})
        for path, told in ((bomb, "packed"), (lies, "cut off"), (pickled, "other things")):
            with (
                mock.patch.object(np, "frombuffer", side_effect=AssertionError("memory was taken")),
                self.assertRaisesRegex(GelandeError, told),
            ):
                arrays.read(path)

    def test_no_flipped_bit_of_stored_arrays_is_served(self):
        figures = flip_all(400)
        self.assertEqual(figures["faults"], [])
        self.assertLess(figures["read as they were stored"], 80, "only what is flipped where nobody reads")

    def test_a_path_that_no_file_can_have_is_refused_by_its_setting(self):
        recipe, picture = graph.add(chain("fractal_noise")[0], "picture_mask")
        for path, told in (("a\0b", "no file name can have"), ("~nosuchuser/x.png", "no user called .nosuchuser")):
            with self.assertRaisesRegex(RecipeError, told):
                graph.set_param(recipe, picture, "file", path)
        with self.assertRaisesRegex(RecipeError, "no name that a file can have"):
            load(Path("a\0b"))

    def test_too_many_points_are_refused_before_any_is_looked_at(self):
        recipe, brush = graph.add(chain("fractal_noise")[0], "brush_mask")
        strokes = [{"points": [[0.0, 0.0]] * 400_000}] * 4
        looked = mock.patch.object(P.Strokes, "geometry", side_effect=AssertionError("one was looked at"))
        with looked, self.assertRaisesRegex(RecipeError, "points in all"):
            graph.set_param(recipe, brush, "strokes", strokes)

    def test_pasted_text_is_held_to_the_same_rules(self):
        recipe, (noise, _) = chain("fractal_noise", "terrace")
        text = clipboard.copy(recipe, [noise])
        for old, new in (
            ('"at": [0.0, 0.0]', '"at": [NaN, 0]'),
            ('"at": [0.0, 0.0]', '"at": [1e999, 0]'),
            ('"octaves": 8', '"octaves": ' + "9" * 5000),
            ('"octaves": 8', '"octaves": ' + "9" * 400),
            ('"kind": "fractal_noise"', '"kind": "a.b.c"'),
        ):
            self.assertIn(old, text)
            with self.assertRaises(RecipeError) as caught:
                clipboard.paste(recipe, text.replace(old, new))
            self.assertLessEqual(len(str(caught.exception)), 300)
        block = text.split('"nodes": {')[1].split("\n  }")[0]
        many = (
            '{"format": "gelande nodes", "nodes": {'
            + ",".join(block.replace("fractal_noise_1", f"n_{k}") for k in range(2000))
            + "}}"
        )
        with self.assertRaisesRegex(RecipeError, "2002 nodes, more than the 2000"):
            clipboard.paste(recipe, many)

    def test_a_site_name_does_not_steer_where_files_go(self):
        for name in ("../../etc/x", "/etc/passwd", "a" * 5000, "..", "con\x00"):
            recipe = replace(chain("fractal_noise")[0], site=Site(name))
            made = names.names_of(recipe, Deliverable("../../up", "fractal_noise_1", "height", "height_png16"), 3)[0]
            self.assertEqual(Path(made).name, made)
            self.assertLess(len(made.encode()), 255)
            self.assertEqual(names.default_folder(recipe, self.folder).parent, self.folder / "deliver")

    def test_messages_are_short_plain_and_of_one_line(self):
        for text in ("x" * 1_000_000, "a\nb\tc\x00d", "\x1b]0;title\x07", "\ud800", "tail \u202eevil"):
            told = str(GelandeError(text))
            self.assertLessEqual(len(told), 300)
            self.assertTrue(told.isprintable())
            told.encode("utf-8")
        self.assertEqual(words.clean("Rolling  downs – 26 m² · 4°"), "Rolling downs – 26 m² · 4°")


class LongChains(unittest.TestCase):
    @slow
    def test_two_thousand_nodes_in_a_chain_evaluate(self):
        recipe, last = long_chain("smooth", 1998)
        loads(dumps(recipe))
        evaluator = Evaluator()
        out = evaluator.run(Job(recipe), last, 1)["height"]
        self.assertEqual(evaluator.computed, 1999)
        short = result(*long_chain("smooth", 1), 1)["height"]
        self.assertLess(float(out.std()), float(short.std()), "and all of them took part")

    @slow
    def test_pyramids_in_a_chain_evaluate_and_give_what_they_give_alone(self):
        recipe, last = long_chain("scree", 60)
        deep = Evaluator().result(Job(recipe), last, 2)["height"]
        step, evaluator = recipe, Evaluator()
        for k in range(1, 61):
            evaluator.result(Job(step), f"scree_{k}", 2)
        np.testing.assert_array_equal(evaluator.result(Job(step), last, 2)["height"], deep)

    def test_a_failure_at_the_far_end_of_a_chain_is_told_by_its_own_node(self):
        recipe, last = long_chain("smooth", 900)
        recipe = graph.unlink(recipe, "smooth_1", "height")
        began = time.process_time()
        with self.assertRaisesRegex(NodeError, "its input is not linked") as caught:
            Evaluator().run(Job(recipe), last, 1)
        self.assertEqual(caught.exception.node_id, "smooth_1")
        self.assertLess(time.process_time() - began, 10.0)

    def test_what_a_baked_or_idle_node_hides_is_not_evaluated_however_deep(self):
        recipe, last = long_chain("smooth", 200)
        idle = graph.set_param(recipe, last, "amount", 0.0)
        side, ridge = graph.add(idle, "ridge_noise")
        side, band = graph.add(side, "height_band")
        side = graph.link(graph.link(side, ridge, "height", band, "height"), band, "mask", last, "mask")
        evaluator = Evaluator()
        evaluator.run(Job(side), last, 1)
        self.assertFalse(evaluator.is_fresh(side, band, 1))

    def test_a_thousand_junctions_resolve_link_and_show(self):
        recipe, last = long_chain("junction", 1000)
        began = time.process_time()
        recipe = loads(dumps(recipe))
        self.assertEqual(kinds.output_port(recipe, last, "through").kind, "height")
        recipe, terrace = graph.add(recipe, "terrace")
        recipe = graph.link(recipe, last, "through", terrace, "height")
        self.assertEqual(kinds.wanted_after(recipe, "junction_1", "through"), {"height"})
        self.assertIn("takes mask", graph.can_link(recipe, last, "through", terrace, "mask"))
        scene = group.scene(recipe)
        self.assertEqual(scene.recipe.nodes["junction_500"].spec.outputs[0].kind, "height")
        self.assertLess(time.process_time() - began, 5.0)

    def test_groups_in_groups_are_counted_without_piling_up_calls(self):
        recipe, (noise,) = chain("fractal_noise")
        home = noise
        for _ in range(walk.MOST_NESTED - 1):
            recipe, home = group.pack(recipe, [home])
        with self.assertRaisesRegex(RecipeError, "deep at most"):
            for _ in range(5):
                recipe, home = group.pack(recipe, [noise], "Deeper")
        self.assertIn(noise, walk.with_members(recipe, list(recipe.nodes)))

    def test_how_much_comes_before_a_node_is_counted_as_the_sets_would_be(self):
        recipe = load(ROOT / "examples" / "varrowdale.gelande")
        self.assertEqual(walk.reach(recipe), {n: len(walk.upstream(recipe, n)) for n in recipe.nodes})


class Keys(Folder):
    def test_an_elevation_file_does_not_switch_the_keeping_of_keys_off(self):
        recipe, node = graph.add(chain("fractal_noise", "terrace")[0], "elevation_file", params={"file": "a.tif"})
        evaluator, path = Evaluator(), self.folder / "a.tif"
        path.write_bytes(b"one")
        first = evaluator.keys(recipe, self.folder)
        self.assertIs(evaluator.keys(recipe, self.folder), first)
        path.write_bytes(b"another")
        second = evaluator.keys(recipe, self.folder)
        self.assertNotEqual(second[node], first[node])
        self.assertEqual(second["terrace_1"], first["terrace_1"])


class Typing(unittest.TestCase):
    def test_marks_between_thousands_and_before_decimals(self):
        param = metres("x", "Length", 0, "", (0, 1e7))
        for text, value in (
            ("1200", 1200),
            ("1 200 m", 1200),
            ("1\u202f200", 1200),
            ("1'200", 1200),
            ("1,234,567", 1234567),
            ("1.234,5", 1234.5),
            ("1,234.5", 1234.5),
            ("12,5", 12.5),
            ("0,500", 0.5),
            ("1.2 km", 1200),
            ("1,25 km", 1250),
            ("26 m", 26),
        ):
            self.assertAlmostEqual(param.parse(text), value, msg=text)
        for text in ("1,200", "1,200 m", "1,000", "12,345 m"):
            with self.assertRaisesRegex(ValueError, "can mean .* or .*; type it without the comma"):
                param.parse(text)
        for text in ("1,2,3", "1 20", "1.2.3", "", "m", "12 34 56", "1" * 100, "nan", "inf", "0x10"):
            with self.assertRaises(ValueError):
                param.parse(text)

    def test_the_language_of_the_desktop_decides_what_would_be_ambiguous(self):
        self.addCleanup(numerals.set_marks, ".", "")
        numerals.set_marks(".", ",")
        self.assertEqual(numerals.read("1,200"), 1200.0)
        numerals.set_marks(",", ".")
        self.assertEqual(numerals.read("1,200"), 1.2)
        with self.assertRaises(numerals.Ambiguous):
            numerals.read("1.200")


class Deliveries(Folder):
    def test_each_variant_has_a_folder_of_its_own_and_the_same_one_again(self):
        recipe = chain("fractal_noise", "terrace")[0]
        other = graph.set_param(recipe, "terrace_1", "riser_height", 40.0)
        found = {
            names.variant_folder(r, name, self.folder)
            for r in (recipe, other)
            for name in ("Cliff height 40 m", "near 1")
        }
        self.assertEqual(len(found), 4)
        self.assertEqual(
            names.variant_folder(other, "near 1", self.folder), names.variant_folder(other, "near 1", self.folder)
        )
        self.assertEqual(names.variant_folder(recipe, "seed 0", self.folder), names.default_folder(recipe, self.folder))
        self.assertNotEqual(fingerprint(recipe), fingerprint(other))

    def test_a_height_as_a_mask_and_an_unknown_format_are_told_on_their_rows(self):
        recipe, (noise,) = chain("fractal_noise")
        recipe = replace(
            recipe,
            deliverables=(
                Deliverable("Mask", noise, "height", "mask_png8"),
                Deliverable("Odd", noise, "height", "height_exr"),
                Deliverable("Fine", noise, "height", "height_png16"),
            ),
        )
        items = B.build(recipe, 1, self.folder, Evaluator())
        self.assertEqual([i.state for i in items], [B.FAILED, B.FAILED, B.DONE])
        self.assertIn("gives a height here", items[0].note)
        self.assertIn("no format called height_exr", items[1].note)
        self.assertEqual(names.names_of(recipe, recipe.deliverables[1], 3)[0], "test_odd")

    def test_a_redelivery_that_fails_in_part_leaves_no_file_of_another_detail_beside_the_new_ones(self):
        recipe, (noise, rain) = chain("fractal_noise", "rain_erosion")
        recipe = replace(
            recipe,
            deliverables=(
                Deliverable("Height", rain, "height", "height_png16"),
                Deliverable("Flow", rain, "flow", "mask_png8"),
            ),
        )
        B.build(recipe, 1, self.folder, Evaluator())
        old = (self.folder / "test_flow.png").read_bytes()
        broken = replace(
            recipe, deliverables=(recipe.deliverables[0], replace(recipe.deliverables[1], format="mask_gone"))
        )
        B.build(broken, 2, self.folder, Evaluator())
        self.assertEqual(
            sorted(os.listdir(self.folder)), ["earlier", "test_height.png", "test_import.html", "test_manifest.json"]
        )
        self.assertEqual((self.folder / "earlier" / "test_flow.png").read_bytes(), old)

    def test_links_in_the_folder_are_replaced_and_what_they_lead_to_stays(self):
        recipe, (noise,) = chain("fractal_noise")
        recipe = replace(recipe, deliverables=(Deliverable("Height", noise, "height", "height_png16"),))
        out, other = self.folder / "out", self.folder / "other"
        out.mkdir()
        other.write_text("mine")
        for name, to in (
            ("test_height.png", other),
            ("test_manifest.json", other),
            ("test_import.html", self.folder / "no"),
        ):
            (out / name).symlink_to(to)
        (out / "earlier").write_text("a file")
        (item,) = B.build(recipe, 1, out, Evaluator())
        self.assertEqual((item.state, other.read_text()), (B.DONE, "mine"))
        self.assertFalse((self.folder / "no").exists())
        self.assertTrue((out / "test_height.png").is_file() and not (out / "test_height.png").is_symlink())

    def test_a_second_delivery_into_the_folder_of_a_running_one_is_refused(self):
        recipe, (noise,) = chain("fractal_noise")
        recipe = replace(recipe, deliverables=(Deliverable("Height", noise, "height", "height_png16"),))
        with B.alone(self.folder), self.assertRaisesRegex(DeliveryError, "Another delivery is writing"):
            B.build(recipe, 1, self.folder, Evaluator())
        (item,) = B.build(recipe, 1, self.folder, Evaluator())
        self.assertEqual(item.state, B.DONE)

    def test_a_folder_whose_name_no_manifest_can_hold_is_refused_before_anything_is_computed(self):
        recipe, (noise,) = chain("fractal_noise")
        recipe = replace(recipe, deliverables=(Deliverable("Height", noise, "height", "height_png16"),))
        folder, evaluator = Path(os.fsdecode(bytes(self.folder) + b"/bad\xff")), Evaluator()
        with self.assertRaisesRegex(DeliveryError, r"bad\?: its name, or that of its folder, is not UTF-8"):
            B.build(recipe, 1, folder, evaluator)
        self.assertEqual((evaluator.cache.size, folder.exists()), (0, False))

    def test_a_damaged_manifest_is_as_good_as_none(self):
        recipe, (noise,) = chain("fractal_noise")
        recipe = replace(recipe, deliverables=(Deliverable("Height", noise, "height", "height_png16"),))
        for text in (
            "[" * 200_000,
            '{"files": [{"file": "test_height.png"}]}',
            '{"files": [{"file": "%s"}]}' % ("x" * 300),
        ):
            (self.folder / "test_manifest.json").write_text(text)
            (item,) = B.build(recipe, 1, self.folder, Evaluator())
            self.assertEqual(item.state, B.DONE)

    def test_a_full_disk_while_a_geotiff_is_written_is_said_plainly(self):
        recipe, (noise,) = chain("fractal_noise")
        recipe = replace(recipe, deliverables=(Deliverable("Height", noise, "height", "height_tiff32"),))
        full = mock.Mock(free=10)
        broken = mock.patch(
            "rasterio.open",
            side_effect=rasterio.errors.RasterioIOError("Write failed. See previous exception for details."),
        )
        with broken, mock.patch.object(write.shutil, "disk_usage", return_value=full):
            items = B.build(recipe, 1, self.folder, Evaluator())
        self.assertIn("the disk is full", items[0].note)
        self.assertNotIn("previous exception", items[0].note)

    @slow
    def test_a_really_full_disk(self):
        """A file system of 300 kB, where the machine lets the test mount one."""
        disk = self.folder / "disk"
        disk.mkdir()
        if subprocess.run(
            ["mount", "-t", "tmpfs", "-o", "size=300k", "tmpfs", str(disk)], capture_output=True
        ).returncode:
            limit = (
                "import resource, signal; resource.setrlimit(resource.RLIMIT_FSIZE, (60_000, 60_000)); "
                "signal.signal(signal.SIGXFSZ, signal.SIG_IGN)"
            )
        else:
            self.addCleanup(subprocess.run, ["umount", str(disk)])
            limit = "pass"
        script = f"""
import sys
{limit}
sys.path[:0] = [{str(ROOT / "src")!r}, {str(ROOT / "tests")!r}]
from dataclasses import replace
from pathlib import Path
from support import chain
from gelande.core.evaluate.executor import Evaluator
from gelande.core.recipe.deliverables import Deliverable
from gelande.deliver import build as B
recipe, (noise,) = chain("fractal_noise")
recipe = replace(recipe, deliverables=(
    Deliverable("A", noise, "height", "height_tiff32"), Deliverable("B", noise, "height", "height_png16")))
for item in B.build(recipe, 3, Path({str(disk)!r}), Evaluator()):
    print(item.state, "|", item.note)
"""
        done = subprocess.run(
            [sys.executable, "-c", script],
            capture_output=True,
            text=True,
            env={**os.environ, "PYTHONPATH": str(ROOT / "src")},
        )
        lines = done.stdout.strip().splitlines()
        self.assertEqual([line.split(" | ")[0] for line in lines], ["failed", "failed"], done.stdout + done.stderr)
        for line in lines:
            self.assertRegex(line, "the disk is full|takes no file of this size")
        self.assertEqual([n for n in os.listdir(disk) if not n.endswith("manifest.json")], [])


class Places(unittest.TestCase):
    def test_a_card_is_never_moved_to_what_is_no_place(self):
        recipe, (noise,) = chain("fractal_noise")
        for place in ((float("nan"), 0.0), (0.0, float("inf"))):
            self.assertEqual(graph.move(recipe, {noise: place}).nodes[noise].at, recipe.nodes[noise].at)
        far = graph.move(recipe, {noise: (1e30, -1e30)})
        self.assertEqual(loads(dumps(far)).nodes[noise].at, (1e6, -1e6))

    def test_a_drawn_line_of_any_shape_and_length_is_simplified(self):
        from gelande.app.view.tools import simplified

        zigzag = [(float(k), 50.0 * (k % 2)) for k in range(5000)]
        self.assertGreater(len(simplified(zigzag, 2.0)), 4990)
        self.assertEqual(
            simplified([(float(k), 0.01 * (k % 2)) for k in range(5000)], 2.0), [(0.0, 0.0), (4999.0, 0.01)]
        )
        bend = [(float(k), 0.0) for k in range(50)] + [(49.0, float(k)) for k in range(1, 50)]
        self.assertEqual(simplified(bend, 2.0), [(0.0, 0.0), (49.0, 0.0), (49.0, 49.0)])
        self.assertEqual((simplified([], 2.0), simplified([(1.0, 2.0)], 2.0)), ([], [(1.0, 2.0)]))
        ring = [(100 * np.cos(a), 100 * np.sin(a)) for a in np.linspace(0, 2 * np.pi, 400)]
        self.assertLess(len(simplified(ring, 2.0)), 40)


class Errors(unittest.TestCase):
    def test_reasons_are_words(self):
        for number in (errno.ENOSPC, errno.EACCES, errno.ENOENT, errno.ENAMETOOLONG):
            self.assertNotIn("rrno", disk.reason_of(OSError(number, os.strerror(number))))


if __name__ == "__main__":
    unittest.main()
