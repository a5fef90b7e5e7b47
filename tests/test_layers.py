"""The arrows between layers, and what the project asks of its own files."""

import ast
import re
import unittest
from functools import cache
from pathlib import Path

from support import ROOT, slow

from gelande import listing
from gelande.core.recipe import param

SRC = ROOT / "src" / "gelande"
#: Rooms, and the arrows between them as docs/architecture.md draws them: what each may import besides itself.
CORE = {"core", "core.files", "core.recipe", "core.regenerate", "core.evaluate", "kernels"}
ARROWS = {
    "kernels": set(),
    "core": {"kernels"},  # errors.py and words.py
    "core.files": {"core"},
    "core.recipe": {"core", "core.files", "kernels"},
    "core.regenerate": {"core", "core.files", "core.recipe", "kernels"},
    "core.evaluate": CORE | {"version"},
    "nodes": CORE,
    "scene": CORE,
    "deliver": CORE | {"scene", "version"},
    "delivering": CORE | {"deliver"},
    "heightfiles": CORE,
    "picturing": CORE | {"scene"},
    "rasters": CORE,
    "building": CORE | {"delivering", "rasters"},
    "keeping": CORE | {"building"},
    "measuring": CORE | {"keeping", "heightfiles"},
    "api": CORE | {"scene", "building", "delivering", "heightfiles", "measuring", "picturing", "places", "rasters"},
    "listing": {"api"},
    "places": CORE,
    "about": {"version", "processor"},
    "samples": CORE,
    "checking": CORE | {"samples"},
    "bundle": {"places", "processor"},
    "processor": set(),
    "prepare": CORE | {"bundle", "scene", "samples", "places"},
    "arrived": {"core", "core.files"},
    "receive": {"arrived", "core", "core.files"},
    "app": CORE | {"deliver", "scene", "places", "prepare", "receive", "about"},
    "cli": {
        "about",
        "api",
        "app",
        "arrived",
        "bundle",
        "checking",
        "listing",
        "prepare",
        "processor",
        "receive",
        "version",
    },
    "version": set(),
    "__main__": {"cli"},
    "__init__": {"api", "version"},
}


def room_of(name: str) -> str:
    """The room of a module, by its name without "gelande."."""
    return next(r for r in sorted(ARROWS, key=len, reverse=True) if f"{name}.".startswith(f"{r}."))


#: Names of kinds of parameter: only their classes say them.
KINDS = {
    cls.kind for cls in vars(param).values() if isinstance(cls, type) and issubclass(cls, param.Param) and cls.kind
}


@cache
def modules() -> list[tuple[Path, str, ast.Module]]:
    """(file, its first folder, its syntax) of every module."""
    return [(p, p.relative_to(SRC).parts[0], ast.parse(p.read_text())) for p in sorted(SRC.rglob("*.py"))]


def imports(path: Path, tree):
    """Absolute names of everything a module imports."""
    package = ["gelande", *path.relative_to(SRC).parts[:-1]]
    for node in ast.walk(tree):
        if isinstance(node, ast.Import):
            yield from (a.name for a in node.names)
        elif isinstance(node, ast.ImportFrom):
            base = package[: len(package) - node.level + 1] if node.level else []
            name = ".".join([*base, node.module or ""]).rstrip(".")
            yield from (f"{name}.{a.name}" for a in node.names)


class LayerTest(unittest.TestCase):
    def test_arrows_go_one_way(self):
        for path, _, tree in modules():
            here = room_of(".".join(path.relative_to(SRC).with_suffix("").parts))
            for name in imports(path, tree):
                head, _, rest = name.partition(".")
                if head == "gelande" and rest and rest != "__version__":
                    self.assertIn(room_of(rest), ARROWS[here] | {here}, f"{path} imports {name}")

    def test_the_page_of_the_architecture_names_every_room_and_no_file_that_is_not_there(self):
        page = (ROOT / "docs" / "architecture.md").read_text()
        for room in ARROWS:
            word = room.rpartition(".")[2]
            if room.strip("_") == room and room != "version":
                folder = (SRC / room.replace(".", "/")).is_dir()
                self.assertRegex(page, rf"\b{word}/" if folder else rf"\b{word}\b", "the page has to name it")
        for path in (SRC / "core").rglob("*.py"):
            if path.stem != "__init__" and path.parent.name != "param":
                self.assertRegex(page, rf"\b{path.stem}\b", "a module of the core is not on the page")
        for name in re.findall(r"[a-z_]+(?:/[a-z_]+)*/[a-z_]+\.py", page):
            places = (SRC, SRC / "app", SRC / "deliver", ROOT)
            self.assertTrue(any((place / name).is_file() for place in places), f"there is no {name}")

    def test_imports_make_no_circle(self):
        names = {}
        for path, _, tree in modules():
            parts = ["gelande", *path.relative_to(SRC).with_suffix("").parts]
            names[".".join(parts).removesuffix(".__init__")] = (path, tree)
        del names["gelande"]  # the door to gelande.api, which it loads when somebody asks
        graph = {n: self.imported(path, tree, names) - {n} for n, (path, tree) in names.items()}
        while True:  # take away what imports nothing that is left
            free = [n for n, needs in graph.items() if not needs & set(graph)]
            if not free:
                break
            for n in free:
                del graph[n]
        self.assertEqual(graph, {}, "these import each other")

    @staticmethod
    def imported(path: Path, tree, names: dict) -> set[str]:
        """Modules of ours that are imported anywhere in one, for types too."""
        return {n if n in names else n.rpartition(".")[0] for n in imports(path, tree)} & set(names)

    def test_no_kind_of_parameter_or_mode_is_compared_by_its_name(self):
        for path, layer, tree in modules():
            for node in ast.walk(tree):
                if not isinstance(node, ast.Compare):
                    continue
                sides = [node.left, *node.comparators]
                asked = {s.attr for s in sides if isinstance(s, ast.Attribute)}
                said = {c.value for s in sides for c in ast.walk(s) if isinstance(c, ast.Constant)}
                if "kind" in asked:
                    self.assertFalse(said & KINDS, f"{path}:{node.lineno}")
                if layer == "app" and asked & {"mode", "_mode"}:
                    self.assertFalse(any(isinstance(v, str) for v in said), f"{path}:{node.lineno}")

    def test_most_functions_are_typed(self):
        typed = total = 0
        for path, layer, tree in modules():
            if layer in ("core", "deliver", "kernels") or path.name == "api.py":
                for node in ast.walk(tree):
                    if isinstance(node, ast.FunctionDef) and not self.is_kernel(node):
                        a = node.args
                        all_args = [x for x in (*a.posonlyargs, *a.args, *a.kwonlyargs) if x.arg not in ("self", "cls")]
                        total += 1
                        typed += all(x.annotation for x in all_args) and node.returns is not None
        self.assertGreaterEqual(typed / total, 0.6, f"{typed} of {total} functions are fully typed")

    @staticmethod
    def is_kernel(node: ast.FunctionDef) -> bool:
        """Whether a function is compiled: its types are inferred."""
        return any(isinstance(d, ast.Name) and d.id == "kernel" for d in node.decorator_list)

    def test_qt_stays_in_the_window(self):
        for path, layer, tree in modules():
            if layer != "app":
                bad = [n for n in imports(path, tree) if n.split(".")[0] in ("PyQt6", "pyqtgraph", "qtawesome")]
                self.assertEqual(bad, [], str(path))

    def test_the_core_runs_without_qt(self):
        import subprocess
        import sys

        code = (
            "import sys; sys.modules['PyQt6'] = None; from gelande.core.recipe.recipefile import load; from "
            "gelande.core.evaluate.executor import *; "
            f"r = load({str(ROOT / 'examples/varrowdale.gelande')!r}); Evaluator().result(Job(r), 'mix_1', 1)"
        )
        self.assertEqual(
            subprocess.run([sys.executable, "-c", code], env={"PYTHONPATH": str(SRC.parent)}).returncode, 0
        )

    def test_colours_live_in_the_theme(self):
        for path in (SRC / "app").rglob("*.py"):
            if path.name != "theme.py":
                self.assertIsNone(
                    re.search(r"""["']#[0-9A-Fa-f]{3,8}["']|QColor\(\s*\d""", path.read_text()), str(path)
                )

    def test_timers_call_methods(self):
        """A lambda may be collected, on whichever thread is at work, while a timer that still runs is to call it: that
        ends the program. A method's object is only looked for."""
        for path in [*(SRC / "app").rglob("*.py"), *(ROOT / "tools").glob("*.py")]:
            self.assertIsNone(re.search(r"timeout\.connect\(\s*lambda", path.read_text()), str(path))

    def test_modules_and_functions_stay_small(self):
        for path, _, tree in modules():
            self.assertLessEqual(path.read_text().count("\n"), 500, str(path))
            for node in ast.walk(tree):
                if isinstance(node, ast.FunctionDef):
                    body = node.body[1:] if ast.get_docstring(node) and len(node.body) > 1 else node.body
                    self.assertLessEqual(node.end_lineno - body[0].lineno, 60, f"{path}: {node.name}")

    def test_public_kernels_say_what_goes_in_and_comes_out(self):
        for path, layer, tree in modules():
            for node in tree.body if layer == "kernels" else ():
                if not isinstance(node, ast.FunctionDef) or node.name.startswith("_") or self.is_kernel(node):
                    continue
                doc, args = ast.get_docstring(node) or "", {a.arg for a in node.args.args}
                where = f"{path}: {node.name}"
                self.assertIn("Returns\n-------", doc, where)
                if args:
                    self.assertIn("Parameters\n----------", doc, where)
                    said = set(re.findall(r"\w+", " ".join(re.findall(r"^([\w, ]+) :$", doc, re.M))))
                    self.assertLessEqual(args, said, f"{where} does not speak of {args - said}")
                if "stop" in args:
                    self.assertIn("Raises\n------\nStopped", doc, where)
                if re.search(r"\((19|20)\d\d\)", doc.partition("References")[0]):
                    self.fail(f"{where} names a paper outside References")

    def test_generated_documents_are_current(self):
        import sys

        sys.path.insert(0, str(ROOT / "tools"))
        import make_docs

        self.assertEqual((ROOT / "docs" / "nodes.md").read_text(), make_docs.node_page(), "run tools/make_docs.py")
        self.assertEqual(listing.FILE.read_text(encoding="utf-8"), listing.made(), "run tools/make_docs.py")

    @slow
    def test_the_examples_are_what_their_script_makes_and_compute(self):
        import sys

        from support import result

        from gelande.core.evaluate.query import last_node
        from gelande.core.recipe.recipefile import dumps, load

        sys.path.insert(0, str(ROOT / "tools"))
        import make_examples

        self.assertGreaterEqual(len(make_examples.RECIPES), 9)
        for name, make in make_examples.RECIPES.items():
            made = make().placed()
            self.assertEqual(
                dumps(made), dumps(load(ROOT / "examples" / f"{name}.gelande")), "run tools/make_examples.py"
            )
            main = made.nodes[last_node(made)].spec.main
            self.assertGreater(float(result(made, last_node(made), 2)[main.id].std()), 1e-3, name)

    def test_text_contrast_in_both_themes(self):
        from gelande.app.theme import DARK, LIGHT

        def luminance(hex_):
            v = [int(hex_[k : k + 2], 16) / 255 for k in (1, 3, 5)]
            v = [c / 12.92 if c <= 0.04045 else ((c + 0.055) / 1.055) ** 2.4 for c in v]
            return 0.2126 * v[0] + 0.7152 * v[1] + 0.0722 * v[2]

        def contrast(a, b):
            a, b = sorted((luminance(a), luminance(b)))
            return (b + 0.05) / (a + 0.05)

        for t in (LIGHT, DARK):
            for text, grounds in (
                ("ink", ("paper", "sheet", "track")),
                ("muted", ("paper", "sheet")),
                ("fault", ("paper", "sheet")),
                ("on_accent", ("accent",)),
            ):
                for ground in grounds:
                    self.assertGreaterEqual(contrast(getattr(t, text), getattr(t, ground)), 4.5, f"{text} on {ground}")

    def test_every_test_is_run_and_none_is_skipped(self):
        for path in (ROOT / "tests").glob("test_*.py"):
            self.assertIsNone(
                re.search(r"^\s*@(unittest\.)?(skip|expectedFailure)|self\.skipTest\(", path.read_text(), re.M),
                str(path),
            )


if __name__ == "__main__":
    unittest.main()
