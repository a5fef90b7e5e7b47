"""Formula: as NumPy computes it, nothing beyond arithmetic, the same in pieces."""

import unittest

import numpy as np
from hypothesis import example, given, settings
from hypothesis import strategies as st
from support import chain

from gelande.core.errors import GelandeError
from gelande.core.evaluate.executor import Evaluator, Job
from gelande.core.recipe import graph
from gelande.core.recipe.site import Site
from gelande.kernels.formula import DEEPEST, FormulaError, read
from gelande.kernels.grid_window import GridWindow

NAMES = frozenset(("a", "b", "x"))
FIXED = {"width": 4000.0}
Y, X = np.mgrid[:9, :11]
VALUES = {"a": 100 + 7.0 * Y - X, "b": 3.0 * np.cos(X + Y), "x": 400.0 * X}


def _step(t):
    return t * t * (3 - 2 * t)


#: What the words mean, told once more by NumPy alone.
SAME = {
    "smooth": lambda lo, hi, v: _step(np.clip((v - lo) / np.where(hi == lo, 1e-9, hi - lo), 0, 1)),
    "clip": lambda v, lo, hi: np.minimum(np.maximum(v, lo), hi),
    "where": np.where,
    "minimum": np.minimum,
    "maximum": np.maximum,
    "abs": np.abs,
    "sin": lambda v: np.sin(np.pi / 180 * v),
}


def texts() -> st.SearchStrategy[str]:
    """Formulas of all allowed parts that divide by nothing that may be 0."""
    number = st.floats(-500, 500, allow_nan=False).map(lambda v: f"{v:.3f}" if v >= 0 else f"({v:.3f})")
    leaf = number | st.sampled_from(["a", "b", "x", "width"])

    def more(inner):
        return st.one_of(
            st.tuples(inner, st.sampled_from("+-*"), inner).map(lambda t: f"({t[0]} {t[1]} {t[2]})"),
            st.tuples(inner, st.floats(1, 90)).map(lambda t: f"{t[0]} / {t[1]:.2f}"),
            st.tuples(inner, st.integers(0, 2)).map(lambda t: f"({t[0]}) ** {t[1]}"),
            inner.map(lambda t: f"-({t})"),
            inner.map(lambda t: f"abs({t})"),
            inner.map(lambda t: f"sin({t})"),
            st.tuples(inner, inner).map(lambda t: f"minimum({t[0]}, {t[1]})"),
            st.tuples(inner, inner).map(lambda t: f"maximum({t[0]}, {t[1]})"),
            st.tuples(inner, inner, inner).map(lambda t: f"where({t[0]} < {t[1]}, {t[2]}, 1)"),
            st.tuples(inner, inner, inner).map(lambda t: f"smooth(2, 9, {t[0]}) + clip({t[1]}, 0, 5) + {t[2]}"),
        )

    return st.recursive(leaf, more, max_leaves=12)


class ReadTest(unittest.TestCase):
    @given(texts())
    @settings(max_examples=300, deadline=None)
    def test_it_gives_what_numpy_gives(self, text):
        with np.errstate(all="ignore"):
            wanted = eval(text, {"__builtins__": {}}, {**VALUES, **FIXED, **SAME})  # noqa: S307
        found = read(text, NAMES, FIXED).run(VALUES, {})
        wanted, found = np.broadcast_to(wanted, Y.shape), np.broadcast_to(found, Y.shape)
        fine = np.isfinite(wanted)
        np.testing.assert_allclose(found[fine], wanted[fine], rtol=1e-9, atol=1e-6)

    def test_comparisons_conditions_and_words(self):
        for text, wanted in (
            ("1 < a < 120 and not b > 0", (VALUES["a"] > 1) & (VALUES["a"] < 120) & ~(VALUES["b"] > 0)),
            ("a if b >= 0 else -a", np.where(VALUES["b"] >= 0, VALUES["a"], -VALUES["a"])),
            ("x == 0 or x != x", VALUES["x"] == 0),
            ("x % 900 // 2", np.floor(np.mod(VALUES["x"], 900) / 2)),
            ("sqrt(-4) + log(exp(2)) + floor(2.7) + cos(60)", 0 + 2 + 2 + 0.5),
        ):
            found = read(text, NAMES, FIXED).run(VALUES, {})
            np.testing.assert_allclose(np.broadcast_to(found, Y.shape), np.broadcast_to(wanted, Y.shape), atol=1e-9)

    def test_nothing_but_arithmetic_can_be_said_and_the_character_is_told(self):
        for text, sentence, at in (
            ("a + q", "There is no value called q", 5),
            ("a.real", "A point after a name", 1),
            ("  a + __import__('os')", "There is no function called __import__", 7),
            ("().__class__", "A point after a name", 1),
            ("a[0]", "Brackets", 1),
            ("[v for v in a]", "A list", 1),
            ("lambda: 1", "There are no functions of one's own", 1),
            ("a := 3", "cannot be read", 3),
            ("(a := 3)", "Nothing can be named", 2),
            ("a +", "cannot be read", 4),
            ("'x'", "Only numbers", 1),
            ("True", "Only numbers", 1),
            ("noise(a)", "The size of noise must be the same everywhere", 7),
            ("noise(-3)", "noise takes 0.01", 1),
            ("noise()", "noise takes the metres", 1),
            ("sin(1, 2)", "sin takes 1 values, not 2", 1),
            ("sin(v=1)", "without names", 1),
            ("sin", "a function: its values follow in parentheses", 1),
            ("a(3)", "There is no function called a", 1),
            ("f''", "Text means nothing", 1),
            ("é + ü", "There is no value called é", 1),
            ("1e999", "too large", 1),
            ("", "empty", 1),
            ("a" * 3000, "longer than", 2001),
            ("-" * 1500 + "a", "too deeply nested", DEEPEST + 2),
            ("(" * 900 + "a" + ")" * 900, "cannot be read", 1),
            ("+".join(["a"] * 600), "too deeply nested", 1),
            ("a\0b", "cannot be read", 1),
        ):
            with self.assertRaises(FormulaError, msg=text[:40]) as told:
                read(text, NAMES, FIXED)
            self.assertIn(sentence, str(told.exception), text[:40])
            if "cannot be read" not in sentence and len(text) < 100:  # the parser's own places are near enough
                self.assertEqual(told.exception.at, at, text)

    @given(st.text(max_size=60) | st.text("ab(x)+-*/.,_[]{}'\"=<>!%1e:@ \n", max_size=80))
    @example("9**9**9**9")
    @example("(-8)**0.5")
    @example("10**400")
    @settings(max_examples=400, deadline=None)
    def test_any_text_is_a_formula_or_one_sentence(self, text):
        try:
            formula = read(text, NAMES, FIXED)
        except FormulaError:
            return
        noises = {n: np.zeros(Y.shape) for n in formula.noises}
        found = np.asarray(formula.run(VALUES, noises))
        self.assertIn(found.dtype.kind, "fb")
        np.broadcast_to(found, Y.shape)


class FormulaNodeTest(unittest.TestCase):
    def made(self, text, level=3, window=None, site=None, **more):
        recipe, ids = chain("fractal_noise", "formula", site=site or Site("Formula"), formula={"formula": text, **more})
        engine = Evaluator()
        return engine.result(Job(recipe, whole=1) if window else Job(recipe), ids[-1], level, window), (
            engine.result(Job(recipe), ids[0], level)["height"]
        )

    def test_values_are_where_they_should_be(self):
        found, a = self.made("y / 10 + x / 1000 + 0 * a", site=Site("Oblong", 4096, 2048))
        rows, columns = a.shape
        north, east = np.linspace(2048, 0, rows)[:, None], np.linspace(0, 4096, columns)[None]
        np.testing.assert_allclose(found["height"], north / 10 + east / 1000, atol=1e-3)
        found, a = self.made("(a - low) / (high - low)", 1)
        self.assertAlmostEqual(float(found["height"].min()), 0.0, places=5)
        self.assertAlmostEqual(float(found["share"].max()), 1.0, places=5)

    def test_any_window_is_the_same_bytes(self):
        text = "where(slope > 12, a + 9 * noise(200), a - 3 * noise(80, 2) * smooth(0, width, x))"
        whole, _ = self.made(text, 4)
        grid = whole["height"].shape
        for window in (GridWindow(0, 0, 70, 90, *grid), GridWindow(411, 333, 200, 65, *grid)):
            part, _ = self.made(text, 4, window)
            for port in ("height", "share"):
                cut = window.cut(whole[port], GridWindow.of(grid))
                self.assertEqual(part[port].tobytes(), cut.tobytes())

    def test_what_is_wrong_stands_on_the_card(self):
        for text, sentence in (
            ("a + c", "There is no value called c; there are .*, at character 5"),
            ("a + b", "nothing is linked to its input B"),
            ("a * 10 ** 300 * 10 ** 300", "too large"),
        ):
            with self.assertRaisesRegex(GelandeError, sentence):
                self.made(text, 1)

    def test_a_second_height_and_a_mask_come_in(self):
        recipe, ids = chain("fractal_noise", "formula", formula={"formula": "a + m * (b - a)"})
        recipe, ridge = graph.add(recipe, "ridge_noise")
        recipe, patches = graph.add(recipe, "patches")
        recipe = graph.link(recipe, ridge, "height", ids[1], "second")
        recipe = graph.link(recipe, patches, "mask", ids[1], "mask_in")
        engine, job = Evaluator(), Job(recipe)
        a, b, m = (engine.result(job, n, 2)[p] for n, p in ((ids[0], "height"), (ridge, "height"), (patches, "mask")))
        np.testing.assert_allclose(engine.result(job, ids[1], 2)["height"], a + m * (b - a), atol=2e-3)
