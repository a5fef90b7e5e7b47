"""How natural land looks: figures against lands whose figures are known, and of eroded land."""

import contextlib
import io
import tempfile
import unittest
from pathlib import Path

import numpy as np
import scipy.stats
from PyQt6.QtTest import QTest
from support import chain, result, slow
from test_window import LEFT, WindowCase

from gelande.cli.main import main
from gelande.core.evaluate.executor import Cache, Evaluator
from gelande.core.recipe import graph
from gelande.core.regenerate.formchange import form_change
from gelande.core.regenerate.likeness import likeness_of


def spectral(exponent: float, n: int = 513, seed: int = 1) -> np.ndarray:
    """Gaussian land whose radial power density falls with frequency to the power of an exponent."""
    draw = np.random.default_rng(seed)
    rate = np.hypot(np.fft.fftfreq(n)[:, None], np.fft.fftfreq(n)[None])
    rate[0, 0] = 1.0
    return np.fft.ifft2(np.fft.fft2(draw.normal(size=(n, n))) * rate ** (-exponent / 2)).real * 40


class FiguresTest(unittest.TestCase):
    def test_the_spectrum_of_a_known_surface(self):
        for exponent in (2.5, 3.6, 4.4):
            self.assertAlmostEqual(likeness_of(spectral(exponent), 8.0).spectrum, exponent, delta=0.12)

    def test_gaussian_land_has_the_slopes_and_curvature_of_the_law(self):
        found = likeness_of(spectral(3.0), 8.0)
        ends = np.clip(
            scipy.stats.norm.ppf((np.arange(100_000) + 0.5) / 100_000), *scipy.stats.norm.ppf([0.005, 0.995])
        )
        self.assertAlmostEqual(found.kurtosis, scipy.stats.kurtosis(ends), delta=0.06)
        law = scipy.stats.rayleigh  # slopes of Gaussian land
        self.assertAlmostEqual(found.variation, law.std() / law.mean(), delta=0.02)
        self.assertAlmostEqual(found.steepest, law.ppf(0.99) / law.mean(), delta=0.06)
        self.assertAlmostEqual(found.flat, law.cdf(0.2 * law.mean()), delta=0.01)

    def test_half_flat_half_rough_is_told_whatever_its_relief(self):
        h = spectral(3.0)
        h[:, :256] *= 1e-3
        for tall in (0.01, 1.0, 100.0):
            found = likeness_of(h * tall, 8.0)
            self.assertAlmostEqual(found.featureless, 0.5, delta=0.03)
            self.assertGreater(found.flat, 0.48)
            self.assertGreater(found.variation, 1.0)

    def test_a_wall_counts_as_steep_and_a_plain_has_no_faults_that_cannot_be_told(self):
        h = np.zeros((129, 129))
        h[:, 64:] = 100.0
        self.assertAlmostEqual(likeness_of(h, 8.0).steep, 2 / 129, places=5)
        rows = {name: (text, inside) for name, text, _, inside in likeness_of(np.zeros((129, 129)), 8.0).rows()}
        self.assertEqual(rows["Curvature's kurtosis"], ("–", True))
        with self.assertRaisesRegex(ValueError, "at least 65 samples"):
            likeness_of(np.zeros((30, 30)), 8.0)

    @slow
    def test_eroded_land_looks_like_land_on_seeds_it_was_not_tuned_on(self):
        for kind in ("ridge_noise", "fractal_noise"):  # a massif keeps its plain
            for seed in (11, 12):
                ways = {kind: {"seed": seed}, "surface_noise": {"seed": seed}, "rain_erosion": {"seed": seed}}
                recipe, ids = chain(kind, "surface_noise", "rain_erosion", **ways)
                engine = Evaluator(Cache(2_000_000_000))
                before, after = (result(recipe, k, 3, engine)["height"] for k in ids[1:])
                found = likeness_of(after, 8.0)
                with self.subTest(kind=kind, seed=seed):
                    self.assertTrue(0.45 <= found.variation <= 0.75, found)
                    self.assertTrue(1.9 <= found.steepest <= 2.9, found)
                    self.assertLessEqual(found.flat, 0.17, found)  # the aim is 0.12
                    self.assertLessEqual(abs(found.kurtosis), 0.6, found)
                    self.assertLess(form_change(before, after, 8.0).walls, 0.02)

    def test_the_command_line_prints_them_for_recipes_and_height_files(self):
        from PIL import Image

        from gelande.core.recipe import recipefile as files

        recipe, (noise,) = chain("fractal_noise")
        with tempfile.TemporaryDirectory() as folder, contextlib.redirect_stdout(io.StringIO()) as said:
            Image.fromarray(result(recipe, noise, 2)["height"]).save(Path(folder) / "land.tif")
            files.save(recipe, Path(folder) / "land.gelande")
            self.assertEqual(main(["info", "--land", str(Path(folder) / "land.tif"), "--width", "4096"]), 0)
            self.assertEqual(main(["info", "--land", "--drainage", str(Path(folder) / "land.gelande")]), 0)
        self.assertEqual(said.getvalue().count("Relief along trunk streams"), 2)
        self.assertEqual(said.getvalue().count("Hack's exponent"), 1)
        self.assertIn("land has 0.45 to 0.75", said.getvalue())


class WindowTest(WindowCase):
    def test_the_bench_says_how_natural_the_chosen_land_looks(self):
        noise, rain = self.load("fractal_noise", "rain_erosion")
        self.click(rain)
        self.wait.still(self.window)
        self.assertTrue(self.bench.where.natural.isVisible())
        QTest.mouseClick(self.bench.where.natural, LEFT)
        self.wait.until(self.window.compose.engine.judged)
        sheet = self.bench.natural
        self.assertTrue(sheet.isVisible())
        wanted = likeness_of(result(self.doc.recipe, rain, 3)["height"], 8.0).rows()
        self.assertEqual(sheet.rows, wanted)
        sheet.close()
        self.doc.edit("Add", lambda r: graph.add(r, "slope_band")[0])
        self.canvas.choose("slope_band_1")
        self.window.compose._chosen("slope_band_1")
        self.wait.still(self.window)
        self.assertFalse(self.bench.where.natural.isVisible(), "a mask is no land")


if __name__ == "__main__":
    unittest.main()
