"""Gelande on a desktop: menu entry and file type, one running program, dropped files, pictures of recipes, the first
start."""

import configparser
import contextlib
import io
import os
import shutil
import subprocess
import sys
import tempfile
import threading
import unittest
import xml.etree.ElementTree as ET
from pathlib import Path
from unittest import mock

from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PyQt6.QtGui import QDragEnterEvent, QDropEvent, QImage
from PyQt6.QtWidgets import QApplication
from support import DEMO, ROOT, application, chain, slow
from test_window import WindowCase

from gelande import about, bundle, prepare
from gelande.app import thumbs
from gelande.cli import integrate, needs
from gelande.cli.main import main
from gelande.core.evaluate.waiting import PREPARED, set_unprepared, waiting
from gelande.core.recipe import graph
from gelande.core.recipe import recipefile as files
from gelande.core.recipe.node import registry
from gelande.places import kernels_stamp


class IntegrateTest(unittest.TestCase):
    def setUp(self):
        self.temp = tempfile.TemporaryDirectory()
        self.addCleanup(self.temp.cleanup)
        self.home = Path(self.temp.name) / "share with spaces"
        patch = mock.patch.dict(os.environ, {"XDG_DATA_HOME": str(self.home)})
        patch.start()
        self.addCleanup(patch.stop)

    def test_the_entry_the_type_and_the_icons_are_what_a_desktop_reads(self):
        written = integrate.integrate(lambda text: None)
        entry = configparser.ConfigParser(interpolation=None)
        entry.optionxform = str
        entry.read(self.home / "applications" / "gelande.desktop")
        block = entry["Desktop Entry"]
        self.assertEqual((block["Type"], block["MimeType"]), ("Application", f"{integrate.MIME};"))
        self.assertTrue(block["Exec"].endswith("open %f"))
        tree = ET.parse(self.home / "mime" / "packages" / "gelande.xml")
        space = "{http://www.freedesktop.org/standards/shared-mime-info}"
        kind = tree.getroot().find(f"{space}mime-type")
        self.assertEqual((kind.get("type"), kind.find(f"{space}glob").get("pattern")), (integrate.MIME, "*.gelande"))
        application()
        for path in [p for p in written if p.suffix == ".svg"]:
            self.assertFalse(QImage(str(path)).isNull(), path)

    def test_the_command_of_the_entry_runs(self):
        words = integrate.command().split("env ")[-1]
        done = subprocess.run(f"env {words} --help", shell=True, capture_output=True, text=True)
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertIn("regenerate", done.stdout)

    def test_paths_of_any_kind_are_quoted_as_the_specification_says(self):
        """Read back as GLib reads an Exec line: first the string's escapes, then the quotes of the shell."""
        for path in ("/opt/a b/gelande", '/x"y/$z`w', "/back\\slash dir/g", "/plain/100%/g", "/it's/g"):
            text = integrate.quoted(path)
            string = text.replace("\\\\", "\\")
            words = ["sh", "-c", f"printf %s {string.replace('%%', '%')}"]
            self.assertEqual(subprocess.run(words, capture_output=True, text=True).stdout, path, text)
            self.assertFalse(text.startswith("'"))

    def test_what_the_validators_of_a_desktop_say(self):
        """Those that are installed here."""
        integrate.integrate(lambda text: None)
        for command, path in (
            (("desktop-file-validate",), "applications/gelande.desktop"),
            (("appstreamcli", "validate", "--no-net"), "metainfo/org.gelande.Gelande.metainfo.xml"),
            (("bash", "-n"), "bash-completion/completions/gelande"),
            (("zsh", "-n"), "zsh/site-functions/_gelande"),
            (("fish", "-n"), "fish/vendor_completions.d/gelande.fish"),
        ):
            if shutil.which(command[0]):
                done = subprocess.run([*command, str(self.home / path)], capture_output=True, text=True)
                self.assertEqual((done.returncode, done.stderr), (0, ""), done.stdout)
        ET.parse(self.home / "metainfo" / "org.gelande.Gelande.metainfo.xml")
        page = (self.home / "man" / "man1" / "gelande.1").read_text()
        for command in ("receive", "check-nodes", "variants", "\\-\\-tiles"):
            self.assertIn(command.replace("check-", "check\\-"), page)
        completed = (self.home / "bash-completion" / "completions" / "gelande").read_text()
        self.assertRegex(completed, r"build\) words=\".*--tiles")

    def test_removing_leaves_nothing_behind_and_others_alone(self):
        other = self.home / "applications" / "other.desktop"
        other.parent.mkdir(parents=True)
        other.write_text("x")
        choices = Path(self.temp.name) / "mimeapps.list"
        before = "[Default Applications]\ntext/plain=other.desktop\n"
        choices.write_text(before + f"{integrate.MIME}=gelande.desktop;\n")
        with mock.patch.dict(os.environ, {"XDG_CONFIG_HOME": self.temp.name}):
            written = integrate.integrate(lambda text: None)
            self.assertEqual(len(integrate.remove(lambda text: None)), len(written))
            self.assertEqual(integrate.remove(lambda text: None), [])
        self.assertEqual(choices.read_text(), before)
        left = [p for p in self.home.rglob("*") if p.is_file() and "gelande" in p.read_text(errors="ignore").casefold()]
        self.assertEqual(left, [])
        self.assertTrue(other.exists())

    def test_a_place_that_cannot_be_written_is_told_in_a_sentence(self):
        blocked = Path(self.temp.name) / "file"
        blocked.write_text("")
        done = subprocess.run(
            [sys.executable, "-m", "gelande", "integrate"],
            env={**os.environ, "PYTHONPATH": str(ROOT / "src"), "XDG_DATA_HOME": str(blocked)},
            capture_output=True,
            text=True,
        )
        self.assertEqual(done.returncode, 2)
        self.assertRegex(done.stderr, r"^gelande: .*file.* cannot be written: .+\n$")


class NeedsTest(unittest.TestCase):
    """What a system lacks is one sentence and code 2, before anything of Qt is loaded."""

    def told(self, there=lambda library: True, **environment) -> tuple[int, str]:
        told = io.StringIO()
        keep = {k: v for k, v in os.environ.items() if k not in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")}
        with (
            mock.patch.dict(os.environ, {**keep, **environment}, clear=True),
            mock.patch.object(needs, "_there", there),
            mock.patch("gelande.app.main.run", return_value=0),
            contextlib.redirect_stderr(told),
        ):
            return main(["open"]), told.getvalue()

    def test_libraries_and_displays_that_are_missing(self):
        self.assertEqual(self.told(DISPLAY=":0"), (0, ""))
        code, text = self.told(lambda library: "cursor" not in library, DISPLAY=":0")
        self.assertEqual(code, 2)
        self.assertIn("needs libxcb-cursor.so.0; install with: apt install libxcb-cursor0", text)
        self.assertEqual(self.told(lambda library: "cursor" not in library, WAYLAND_DISPLAY="wayland-0"), (0, ""))
        code, text = self.told(lambda library: "EGL" not in library, QT_QPA_PLATFORM="offscreen")
        self.assertEqual((code, "(or: dnf install libglvnd-egl)" in text), (2, True), text)
        code, text = self.told()
        self.assertEqual((code, text.count("\n")), (2, 1))
        self.assertIn("no display", text)

    def test_the_version_tells_all_parts(self):
        told = io.StringIO()
        with contextlib.redirect_stdout(told):
            self.assertEqual(main(["--version"]), 0)
        self.assertRegex(told.getvalue(), r"^Gelande \d+\.\d+\.\d+\nPython 3.*numpy.*PyQt6.*\n.*x86-64|aarch64")
        self.assertEqual(about.level({"avx2"}), "x86-64")

    def test_packed_machine_code_is_brought_to_where_numba_looks_once_and_only_where_it_runs(self):
        with tempfile.TemporaryDirectory() as folder:
            root, cache = Path(folder, "program"), Path(folder, "cache")
            (root / bundle.CODE).mkdir(parents=True)
            (root / bundle.CODE / "one.nbi").write_bytes(b"code")
            (root / bundle.CODE / bundle.STAMP).write_text("0.1.0\n")
            kernels = root / "gelande" / "kernels"
            with (
                mock.patch.dict(os.environ, {"GELANDE_STATE": folder}),
                mock.patch.object(bundle, "packed", lambda: root),
            ):
                with mock.patch.object(bundle, "fits", lambda text: False):
                    bundle.ready(cache)
                self.assertFalse(cache.exists(), "an older processor compiles for itself")
                with mock.patch.object(bundle, "fits", lambda text: True):
                    bundle.ready(cache)
                    found = cache / bundle.subfolder(kernels) / "one.nbi"
                    self.assertEqual(found.read_bytes(), b"code")
                    found.write_bytes(b"newer")
                    bundle.ready(cache)
                    self.assertEqual(found.read_bytes(), b"newer", "once for each version")
                self.assertTrue(kernels_stamp().exists(), "nothing is prepared at the first start")
        self.assertTrue(bundle.fits("flags\t\t: fpu " + " ".join(bundle.NEEDS)))
        self.assertFalse(bundle.fits("flags : fpu sse4_2"))


class ThumbsTest(unittest.TestCase):
    def test_every_example_has_a_picture_and_others_get_theirs(self):
        application()
        for path in DEMO.resolve().parent.glob("*.gelande"):
            self.assertFalse(thumbs.picture(path, 64, 40).isNull(), f"{path.name}: run tools/make_pictures.py")
        with tempfile.TemporaryDirectory() as folder, mock.patch.dict(os.environ, {"GELANDE_STATE": folder}):
            path = Path(folder, "mine.gelande")
            self.assertTrue(thumbs.picture(path).isNull())
            image = QImage(300, 500, QImage.Format.Format_RGB32)
            image.fill(Qt.GlobalColor.red)
            thumbs.keep(path, image)
            shown = thumbs.picture(path, 64, 40)
            self.assertEqual((shown.width(), shown.height()), (64, 40))
            self.assertEqual([p.suffix for p in Path(folder, "thumbnails").iterdir()], [".png"])


class WindowTest(WindowCase):
    def recipe_file(self, name="land.gelande"):
        path = self.folder / name
        files.save(chain("cone", "terrace")[0], path)
        return path

    def test_a_dropped_recipe_opens_and_its_picture_is_kept(self):
        data, path = QMimeData(), self.recipe_file()
        data.setUrls([QUrl.fromLocalFile(str(path))])
        plain = (Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)
        enter = QDragEnterEvent(QPoint(200, 200), Qt.DropAction.CopyAction, data, *plain)
        QApplication.sendEvent(self.window, enter)
        self.assertTrue(enter.isAccepted())
        QApplication.sendEvent(self.window, QDropEvent(QPointF(200, 200), Qt.DropAction.CopyAction, data, *plain))
        self.assertEqual(self.doc.path, path)
        self.wait.still(self.window)
        self.assertFalse(thumbs.picture(path).isNull())
        self.window.filing.fill_recent()
        self.assertFalse(self.window.recent_menu.actions()[0].icon().isNull())

    def test_what_is_no_recipe_is_not_taken(self):
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(self.folder / "picture.png"))])
        plain = (Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)
        enter = QDragEnterEvent(QPoint(200, 200), Qt.DropAction.CopyAction, data, *plain)
        enter.ignore()
        QApplication.sendEvent(self.window, enter)
        self.assertFalse(enter.isAccepted())

    def test_nodes_that_are_not_prepared_wait_and_what_can_be_shown_is(self):
        self.load("fractal_noise", "terrace")
        self.addCleanup(set_unprepared, ())
        set_unprepared({"terrace"})
        self.window.compose.take_prepared(True, False)
        self.click("terrace_1")
        self.wait.still(self.window)
        self.assertEqual(self.canvas.looks["terrace_1"].waiting, PREPARED)
        self.assertEqual(self.view.caption.text(), "Terrace is being prepared; looking at Fractal noise")
        set_unprepared(())
        self.window.compose.take_prepared(False, False)
        self.wait.still(self.window)
        self.assertEqual(self.canvas.looks["terrace_1"].waiting, "")
        self.assertEqual(self.view.caption.text(), "looking at Terrace")


class HouseTest(unittest.TestCase):
    def setUp(self):
        application()
        self.temp = tempfile.TemporaryDirectory()
        self.addCleanup(self.temp.cleanup)
        patch = mock.patch.dict(os.environ, {"GELANDE_STATE": self.temp.name})
        patch.start()
        self.addCleanup(patch.stop)

    def test_a_second_file_opens_in_a_second_window_of_the_running_program(self):
        from support import Waiter

        from gelande.app.instance import Instance, hand_over
        from gelande.app.window_manager import WindowManager

        one, two = (Path(self.temp.name, f"{n}.gelande") for n in ("one", "two"))
        for path in (one, two):
            files.save(chain("cone")[0], path)
        self.assertFalse(hand_over(one), "nobody is there")
        instance, windows = Instance(), WindowManager()
        self.assertTrue(instance.listen())
        self.addCleanup(instance.close)
        instance.wanted.connect(windows.open)
        first = windows.window()
        first.filing.open_path(one)
        script = "from gelande.app.instance import hand_over; from pathlib import Path; "
        script += f"print(hand_over(Path({str(two)!r})))"
        other = subprocess.Popen(
            [sys.executable, "-c", script],
            env={**os.environ, "PYTHONPATH": str(ROOT / "src")},
            stdout=subprocess.PIPE,
            text=True,
        )
        Waiter().until(instance.wanted)
        self.assertEqual(other.communicate(timeout=10)[0].strip(), "True")
        self.assertEqual([w.document.path for w in windows.windows], [one, two])
        windows.open(one, False, False)
        self.assertEqual(len(windows.windows), 2, "a file that is open comes to the front")
        windows.windows[1].close()
        self.assertEqual(windows.windows, [first])
        first.close()

    def test_two_windows_on_the_same_land_compute_nothing_twice(self):
        from support import Waiter

        from gelande.app.window_manager import WindowManager

        path, windows, wait = Path(self.temp.name, "land.gelande"), WindowManager(), Waiter()
        files.save(chain("fractal_noise", "terrace")[0], path)
        first = windows.window()
        first.filing.open_path(path)
        wait.still(first)
        computed = first.engine.evaluator.computed
        self.assertGreater(computed, 0)
        second = windows.window()
        second.filing.open_path(path, True)
        wait.still(second)
        self.assertEqual(second.engine.evaluator.computed, computed)
        first.close()
        self.assertEqual(windows.windows, [second])
        second.document.edit("x", lambda r: graph.set_param(r, "terrace_1", "riser_height", 51.0))
        wait.still(second)
        self.assertEqual(second.state_label.text(), "up to date", "the one that is left works on")
        self.assertGreater(second.engine.evaluator.computed, computed)
        second.close()

    def test_what_others_write_to_the_socket_does_no_harm(self):
        from PyQt6.QtNetwork import QLocalSocket

        from gelande.app.instance import LONGEST, Instance, server_name

        instance, wanted = Instance(), []
        self.assertTrue(instance.listen())
        self.addCleanup(instance.close)
        instance.wanted.connect(lambda *wish: wanted.append(wish))
        for text in (b"nonsense\n", b'{"path": 7}\n', b"[]\n", b"x" * (2 * LONGEST)):
            socket = QLocalSocket()
            socket.connectToServer(server_name())
            self.assertTrue(socket.waitForConnected(1000))
            socket.write(text)
            socket.flush()
            while socket.state() == QLocalSocket.LocalSocketState.ConnectedState:
                QApplication.processEvents()
                socket.waitForReadyRead(10)
        self.assertEqual(wanted, [])


class PrepareTest(unittest.TestCase):
    def test_the_dearest_of_what_is_needed_comes_first_and_every_kind_once(self):
        first = prepare.tasks({"terrace", "rain_erosion", "scree"})
        self.assertEqual(first, ["rain_erosion", "view", "scree", "terrace"])
        kinds = {k for k, s in registry().items() if s.outputs and not s.reads_files}
        self.assertEqual(set(prepare.tasks()), kinds | {"view", "near", "deliver"})

    def test_two_processes_take_the_tasks_in_order_and_go_on_past_a_failure(self):
        begun, ended = [], []
        lock = threading.Lock()
        work = prepare.Preparation(
            ["level", "no such kind", "tilt"],
            lambda task, done, everything: begun.append(task),
            lambda task, done, everything: (lock.acquire(), ended.append((task, done, everything)), lock.release()),
        )
        work.start()
        work.wait()
        self.assertEqual(sorted(begun), ["level", "no such kind", "tilt"])
        self.assertEqual(sorted(done for _, done, _ in ended), [1, 2, 3])

    def test_waiting_tells_what_is_being_prepared(self):
        recipe, (noise, terrace, smooth) = chain("fractal_noise", "terrace", "smooth")
        self.addCleanup(set_unprepared, ())
        set_unprepared({"terrace"})
        self.assertEqual(waiting(recipe), {terrace: PREPARED, smooth: "waits for Terrace"})


@slow
class InstallTest(unittest.TestCase):
    def test_what_is_installed_has_examples_pictures_fonts_and_icons(self):
        """The wheel holds all that the program reads; installing it is only copying."""
        shutil.rmtree(ROOT / "build", ignore_errors=True)  # what an older build left there would be in it, too
        with tempfile.TemporaryDirectory() as folder:
            done = subprocess.run(
                [sys.executable, "-m", "pip", "wheel", "--no-deps", "-q", "-w", folder, str(ROOT)],
                capture_output=True,
                text=True,
            )
            self.assertEqual(done.returncode, 0, done.stderr[-800:])
            (wheel,) = Path(folder).glob("*.whl")
            target = Path(folder, "site")
            subprocess.run(
                [sys.executable, "-m", "pip", "install", "-q", "--no-deps", "--target", str(target), str(wheel)],
                check=True,
            )
            package = target / "gelande"
            here = {p.relative_to(ROOT / "src" / "gelande").parent for p in (ROOT / "src").rglob("*.py")}
            self.assertEqual({p.relative_to(package).parent for p in package.rglob("*.py")}, here, "every package")
            for pattern in ("examples/*.gelande", "examples/*.png", "app/fonts/*.ttf", "app/desktop/*.svg"):
                self.assertTrue(list(package.glob(pattern)), pattern)
            shipped = {p.name for p in (ROOT / "src" / "gelande" / "app" / "gallery").iterdir()}
            self.assertEqual({p.name for p in (package / "app" / "gallery").iterdir()}, shipped)
            script = "from gelande.places import examples_folder as e; print(e(), len(list(e().glob('*.gelande'))))"
            done = subprocess.run(
                [sys.executable, "-c", script],
                env={**os.environ, "PYTHONPATH": str(target)},
                capture_output=True,
                text=True,
                cwd=folder,
            )
            self.assertIn(f"{package / 'examples'} ", done.stdout)


if __name__ == "__main__":
    unittest.main()
