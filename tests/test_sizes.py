"""Files with other numbers of samples than the detail has: what they hold, how far off they are, what is refused."""

import tempfile
import unittest
from dataclasses import replace
from pathlib import Path
from unittest import mock

import numpy as np
import rasterio
import tifffile
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image
from scipy.interpolate import RectBivariateSpline, RegularGridInterpolator
from support import chain, linked
from test_window import WindowCase

from gelande import receive as R
from gelande.core.errors import DeliveryError
from gelande.core.evaluate.executor import Evaluator, Job
from gelande.core.evaluate.query import last_of
from gelande.core.recipe.deliverables import SIZES, Deliverable, Delivery
from gelande.core.recipe.site import Site
from gelande.deliver import build as B
from gelande.deliver.grid import Grid, offered
from gelande.kernels.grid_window import GridWindow
from gelande.kernels.resample import distance, resampled, source_of

LEVEL, SIZE = 3, 253


def land(**more):
    """A tall site with a height and weights that are one together."""
    recipe, (_, rain) = chain("massif", "rain_erosion", site=Site("Tall", 1000, 2000, base=32))
    recipe, cover = linked(recipe, "ground_cover", rain, "height")
    fractions = [p.id for p in recipe.nodes[cover].declared.outputs if p.role == "share"]
    orders = [Deliverable("Height", rain, "height", "height_tiff32")]
    orders += [Deliverable(f"Weight {p}", cover, p, "mask_png8") for p in fractions]
    return replace(recipe, deliverables=tuple(orders), delivery=Delivery(**{"size": SIZE, **more}))


class ResampleTest(unittest.TestCase):
    @given(st.integers(5, 70), st.floats(1.0, 1.99), st.booleans())
    @settings(max_examples=40, deadline=None)
    def test_planes_stay_planes_and_shares_stay_between_those_around(self, count, step, cubic):
        new = int((count - 1) / step) + 1
        step = (count - 1) / (new - 1)
        r, c = np.mgrid[0:count, 0:count].astype(np.float32)
        held, whole = GridWindow.of((count, count)), GridWindow.of((new, new))
        out = resampled(3 * r - 2 * c, held, whole, step, False)
        k = np.arange(new) * step
        np.testing.assert_allclose(out, 3 * k[:, None] - 2 * k, atol=1e-3)
        self.assertLess(distance(3 * r - 2 * c, held, out, whole, step)[0], 1e-3)
        mask = np.random.default_rng(count).random((count, count), np.float32)
        fractions = resampled(mask, held, whole, step, cubic)
        if not cubic:
            self.assertTrue(fractions.min() >= mask.min() and fractions.max() <= mask.max())
        window = GridWindow.between(new // 3, new - 1, 1, new // 2 + 1, whole.grid)
        part = source_of(window, held.grid, step)
        np.testing.assert_array_equal(
            resampled(part.cut(mask, held), part, window, step, cubic),
            window.cut(fractions, whole),
            "pieces are not the whole",
        )

    def test_heights_are_taken_as_another_library_takes_them(self):
        r, c = np.mgrid[0:65, 0:65] / 64.0
        h = (40 * np.sin(7 * r) * np.cos(5 * c) + 9 * np.sin(17 * c)).astype(np.float32)
        held, window, step = GridWindow.of(h.shape), GridWindow.of((57, 57)), 64 / 56
        out = resampled(h, held, window, step, True)
        k = np.arange(57) * step
        smooth = RectBivariateSpline(np.arange(65.0), np.arange(65.0), h.astype(float))(k, k)
        self.assertLess(np.abs(out - smooth)[2:-2, 2:-2].max(), 0.05)
        linear = resampled(h, held, window, step, False)
        # the cubic is several times as near to what the samples are of
        self.assertLess(np.abs(out - smooth).mean() * 3, np.abs(linear - smooth).mean())
        at = RegularGridInterpolator((k, k), out.astype(float), bounds_error=False)
        points = np.stack(np.meshgrid(np.arange(64), np.arange(64), indexing="ij"), -1)
        off = np.abs(at(points) - h[:64, :64])
        largest, squares, count = distance(h, held, out, window, step)
        self.assertGreaterEqual(largest, off.max() - 1e-4)
        self.assertAlmostEqual((squares / count) ** 0.5, np.sqrt((off**2).mean()), delta=0.02)


class SizeTest(unittest.TestCase):
    def setUp(self):
        temporary = tempfile.TemporaryDirectory()
        self.addCleanup(temporary.cleanup)
        self.folder = Path(temporary.name)
        low = mock.patch("gelande.deliver.parts.STRIP", 60)
        low.start()
        self.addCleanup(low.stop)

    def build(self, recipe, name="out", **more):
        items = B.build(recipe, LEVEL, self.folder / name, Evaluator(), **more)
        self.assertEqual({i.state for i in items}, {B.DONE}, [i.note for i in items])
        return items

    def test_files_have_the_number_of_samples_and_cover_the_site(self):
        recipe = land()
        items = self.build(recipe)
        facts = items[0].facts
        self.assertEqual(facts["samples"], [127, SIZE])
        self.assertAlmostEqual(facts["metres_per_sample"], 2000 / 252)
        self.assertEqual(facts["resampled"]["from"], 257)
        with rasterio.open(self.folder / "out" / facts["file"]) as file:
            half = 2000 / 252 / 2
            np.testing.assert_allclose(file.bounds, (-half, -half, 1000 + half, 2000 + half))
            data = file.read(1)
        height = Evaluator().result(Job(recipe), *items[0].deliverable.source[:1], LEVEL)["height"]
        at = RegularGridInterpolator((np.linspace(0, 1, SIZE), np.linspace(0, 1, 127)), data.astype(float))
        r, c = np.meshgrid(np.linspace(0, 1, 257), np.linspace(0, 1, 129), indexing="ij")
        off = np.abs(at(np.stack([r, c], -1)) - height)
        self.assertAlmostEqual(facts["resampled"]["largest_error"], off.max(), delta=1e-3)
        self.assertAlmostEqual(facts["resampled"]["root_mean_square_error"], np.sqrt((off**2).mean()), delta=0.02)

    def test_weights_are_still_one_together(self):
        items = self.build(land())
        total = sum(np.array(Image.open(self.folder / "out" / i.facts["file"]), int) for i in items[1:])
        self.assertEqual((total.min(), total.max()), (255, 255))

    def test_tiles_and_strips_are_the_whole(self):
        whole = tifffile.imread(self.folder / "out" / self.build(land())[0].facts["file"])
        for name, more in (("at_once", {}), ("strips", {"whole": 1})):
            for facts in self.build(land(tile=65), name, **more)[0].files:
                data = tifffile.imread(self.folder / name / facts["file"])
                left, top = facts["first_sample"]
                np.testing.assert_array_equal(data, whole[top : top + data.shape[0], left : left + data.shape[1]])

    def test_who_receives_them_finds_nothing_wrong(self):
        self.build(land(tile=65))
        arrived = R.receive(self.folder / "out")
        self.assertEqual(arrived.faults, [])
        self.assertEqual(arrived.height.shape, (SIZE, 127))

    def test_what_does_not_fit_is_told_with_what_does(self):
        site, tall = Site("Even", 2000, 2000), Site.fitted("Odd", 2000, 1000 + 1000 / 32)
        for place, level, size, words in (
            (site, 3, 1009, "made from a detail of 1025"),
            (site, 4, 505, "made from a detail of 513"),
            (site, 8, 16_500, "finest detail is 16385"),
            (tall, 3, 505, "do not come out even"),
        ):
            with self.assertRaisesRegex(DeliveryError, words):
                Grid.of(place, level, Delivery(size=size))
        with self.assertRaisesRegex(DeliveryError, "449 or 513"):
            Grid.of(tall, 3, Delivery(size=505))
        self.assertEqual(Grid.of(tall, 3, Delivery(size=449)).shape, (232, 449))
        sizes = [g.samples for g in offered(site, Delivery())]
        self.assertTrue(set(SIZES) < set(sizes))
        self.assertEqual(sizes, sorted(sizes))
        self.assertEqual({4033, 8129}, set(SIZES) & {g.samples for g in offered(tall, Delivery())})


class PageTest(WindowCase):
    def test_an_engines_size_is_chosen_and_delivered(self):
        self.load("massif")
        self.window.go("Deliver")
        page = self.window.deliver
        page.folder = Path(tempfile.mkdtemp(dir=self.folder)) / "out"
        at = next(k for k in range(page.detail.count()) if page.detail.itemText(k).startswith("505 × 505"))
        self.assertIn("made from 513", page.detail.itemText(at))
        page.detail.setCurrentIndex(at)
        page.detail.activated.emit(at)
        self.assertEqual(page.table.item(0, 3).text(), "505 × 505")
        page.go_button.click()
        self.wait.until(page.ended)
        with Image.open(page.folder / "test_height_for_engine.png") as image:
            self.assertEqual(image.size, (505, 505))
        lines = [page.facts.lines.itemAt(k).widget().text() for k in range(page.facts.lines.count())]
        self.assertIn("root mean square", next(t for t in lines if t.startswith("513 samples")))
        self.assertEqual(last_of(self.doc.recipe)["height"][1], "height")
        self.doc.undo()
        self.assertTrue(page.detail.currentText().startswith("513 × 513"))


if __name__ == "__main__":
    unittest.main()
