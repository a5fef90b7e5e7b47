"""Things that stand on the land: the same in the view and in a delivery, drawn where they are and nowhere else."""

import csv
import unittest
from dataclasses import replace
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np
from PIL import Image
from scipy.spatial import cKDTree
from support import chain
from test_window import WindowCase

from gelande.core.evaluate import standing
from gelande.core.evaluate.executor import Evaluator, Job
from gelande.core.recipe import graph
from gelande.core.recipe.deliverables import Deliverable, Delivery
from gelande.core.recipe.site import Site
from gelande.core.recipe.things import NAMES, SIZES, Placing
from gelande.deliver import build as B
from gelande.kernels.discs import room
from gelande.scene.camera import Camera
from gelande.scene.plan import PlanCamera, draw_plan
from gelande.scene.relief import PAPER, Buffer, Look, Scene, render
from gelande.scene.thingkinds import FORMS, KINDS, atlas
from gelande.scene.things import Things, draw, draw_map, with_person


def wooded(site: Site | None = None, **params):
    """A hilly land with conifers on its higher ground. Returns (recipe, height, things)."""
    recipe, (noise,) = chain("fractal_noise", site=site or Site("Wood", 1000, 1000))
    recipe, band = graph.add(recipe, "height_band")
    recipe = graph.link(recipe, noise, "height", band, "height")
    recipe, node = graph.add(recipe, "things", params={"density": 90.0, **params})
    return graph.link(recipe, band, "mask", node, "where"), noise, node


def flat(times: float = 1.0, **look) -> Scene:
    return Scene(np.zeros((65, 65), np.float32), 4.0, np.full((65, 65, 3), 0.2, np.float32), Look(times=times, **look))


def layer(table, kind="post", **more) -> Things:
    placing = Placing(kind, 1.0, 1.0, 1.0, 0, **more)
    return Things.of([standing.Layer("", placing, np.array(table, float))])


def passed(scene, camera, things, size=(320, 240)):
    """(picture without things, with things, which pixels differ) of one pass."""
    before, buffer = render(scene, camera, *size, PAPER)
    after = before.copy()
    draw(things, scene, camera, buffer, after, PAPER)
    return before, after, np.abs(after - before).max(-1) > 0.5


class PlacesTest(unittest.TestCase):
    def delivered(self, recipe, node, level, **more):
        order = Deliverable("Wood", node, "mask", "points_csv", more=(("height", next(iter(recipe.nodes)), "height"),))
        recipe = replace(recipe, deliverables=(order,), delivery=Delivery(**more))
        with TemporaryDirectory() as folder:
            (item,) = B.build(recipe, level, Path(folder), Evaluator())
            self.assertEqual(item.state, B.DONE, item.note)
            rows = []
            for file in Path(folder).glob("*.csv"):
                rows += [[float(v) for v in row] for row in list(csv.reader(file.read_text().splitlines()))[1:]]
        return np.array(sorted(rows))

    def test_what_stands_in_the_view_is_what_is_delivered_at_every_detail_and_in_tiles(self):
        recipe, _, node = wooded()
        (seen,) = standing.standing(Evaluator(), Job(recipe))
        self.assertGreater(len(seen.table), 300)
        table = np.array(sorted(np.round(seen.table, 3)[:, :3].tolist()))
        for level, more in ((2, {}), (4, {}), (3, {"tile": 129})):
            found = self.delivered(recipe, node, level, **more)
            np.testing.assert_array_equal(found[:, [0, 1, 5]], table)

    def test_they_are_as_many_as_was_asked_for_and_keep_their_distance(self):
        for density, least in ((40.0, 6.0), (1e5, 9.0)):
            recipe, node = graph.add(chain("level", site=Site("Plain", 800, 1600))[0], "things")
            recipe = graph.set_param(graph.set_param(recipe, node, "density", density), node, "least", least)
            (found,) = standing.standing(Evaluator(), Job(recipe))
            due = min(density, room(least)) * 800 * 1600 / 1e4
            self.assertAlmostEqual(len(found.table) / due, 1, delta=0.06)
            gaps, _ = cKDTree(found.table[:, :2]).query(found.table[:, :2], k=2)
            self.assertGreaterEqual(gaps[:, 1].min(), least - 1e-9)

    def test_another_seed_pattern_or_mask_gives_others_and_a_node_that_is_off_none(self):
        recipe, noise, node = wooded()
        now = {}
        for name, one in {
            "as it is": recipe,
            "seed": replace(recipe, seed=5),
            "pattern": graph.set_param(recipe, node, "pattern", 1),
            "mask": graph.set_param(recipe, "height_band_1", "low", 120.0),
        }.items():
            now[name] = standing.standing(Evaluator(), Job(one))[0].table.tobytes()
        self.assertEqual(len(set(now.values())), 4)
        off = recipe.with_node(node, replace(recipe.nodes[node], off=True))
        self.assertEqual(standing.standing(Evaluator(), Job(off)), [])

    def test_too_many_are_told_and_not_placed(self):
        recipe, _, node = wooded(Site("Wide", 100_000, 100_000), density=5000.0, least=1.0)
        (found,) = standing.standing(Evaluator(), Job(recipe))
        self.assertEqual(len(found.table), 0)
        self.assertIn("too many to be shown", found.left)


class DrawnTest(unittest.TestCase):
    def test_every_kind_has_pictures_that_stand_on_their_feet(self):
        self.assertEqual(len({len(KINDS), len(NAMES), len(SIZES)}), 1)
        pictures = atlas()
        for k, name in enumerate(NAMES):
            for form in range(FORMS):
                begin, side = pictures.at[k * FORMS + form, 0], pictures.dims[0]
                alpha = pictures.texels[begin : begin + side * side * 7].reshape(side, side, 7)[..., 0]
                self.assertGreater(alpha[side * 9 // 10 :].max(), 200, f"{name} hangs in the air")
                self.assertTrue(0.03 < (alpha > 127).mean() < 0.95, name)

    def test_a_thing_is_as_tall_as_it_is_and_stands_where_it_stands(self):
        # a post of 1.4 m, 20 m before the eye, at a field of 38 degrees over 240 pixels
        scene, camera = flat(), Camera(128.0, 100.0, 1.0, 0.0, 0.0)
        before, after, differs = passed(scene, camera, layer([(128.0, 120.0, 1.0, 0.3)], "post"))
        per_metre = 240 / (2 * np.tan(np.radians(19)) * 20)
        upper = differs[:120]  # above the horizon there is no shadow
        tall, wide = np.flatnonzero(upper.any(1)), np.flatnonzero(upper.any(0))
        self.assertAlmostEqual(120 - tall[0], 0.4 * per_metre, delta=1.5)
        self.assertAlmostEqual(wide.mean(), 160, delta=1.5)

    def test_a_picture_of_ones_own_stands_in_its_colours_as_tall_as_it_is_said(self):
        sign = np.zeros((90, 60, 4), np.uint8)
        sign[20:80, 10:40] = (230, 30, 200, 255)  # with nothing around it: 2 to 1
        with TemporaryDirectory() as folder:
            Image.fromarray(sign).save(f"{folder}/sign.png")
            recipe, _, node = wooded(Site("Signed", 256, 256), thing="own_picture", file="sign.png", tall=2.8)
            (found,) = standing.standing(Evaluator(), Job(recipe, Path(folder)))
        self.assertEqual((found.left, found.picture.shape), ("", (60, 30, 4)))
        one = replace(found, table=np.array([(128.0, 120.0, 1.0, 0.3)]))
        scene, camera = flat(), Camera(128.0, 100.0, 1.0, 0.0, 0.0)
        _, after, differs = passed(scene, camera, with_person(Things.of([one]), 1e6, 1e6))
        per_metre = 240 / (2 * np.tan(np.radians(19)) * 20)
        upper = differs[:120]
        tall, wide = np.flatnonzero(upper.any(1)), np.flatnonzero(upper.any(0))
        self.assertAlmostEqual(120 - tall[0], 1.8 * per_metre, delta=1.5)
        self.assertAlmostEqual(len(wide), 1.4 * per_metre, delta=2.5)
        red, green, blue = after[:120][upper].mean(0)
        self.assertGreater(min(red, blue), 3 * green)

    def test_a_picture_that_cannot_be_read_says_so_on_its_node(self):
        with TemporaryDirectory() as folder:
            Image.new("RGBA", (8, 8)).save(f"{folder}/clear.png")
            Path(folder, "text.png").write_text("no picture")
            for file, words in (
                ("lost.png", "lost.png"),
                ("text.png", "cannot be read as a picture"),
                ("clear.png", "transparent all over"),
            ):
                recipe, _, node = wooded(Site("Lost", 256, 256), thing="own_picture", file=file)
                (found,) = standing.standing(Evaluator(), Job(recipe, Path(folder)))
                self.assertIn(words, found.left)
                self.assertEqual((len(found.table), len(Things.of([found]).rows)), (0, 0))

    def test_ground_in_front_hides_a_thing(self):
        ridge = np.zeros((65, 65), np.float32)
        ridge[30:34] = 40.0
        for height, seen in ((ridge, False), (np.zeros_like(ridge), True)):
            scene = Scene(height, 4.0, None, Look())
            camera = Camera(128.0, 60.0, 2.0, 0.0, 0.0)
            _, _, differs = passed(scene, camera, layer([(128.0, 170.0, 1.0, 0.3)], "conifer"))
            self.assertEqual(bool(differs.any()), seen)

    def test_its_shadow_lies_away_from_the_sun_and_only_darkens(self):
        scene = flat(azimuth=270.0, elevation=20.0)
        camera = Camera(128.0, 128.0, 120.0, 0.0, -88.0)
        before, after, differs = passed(scene, camera, layer([(128.0, 128.0, 1.0, 0.3)], "conifer"))
        dark = (after - before).mean(-1) < -4
        columns = np.flatnonzero(dark.any(0))
        self.assertGreater(columns.max() - 160, 3 * (160 - columns.min()), "the sun stands in the west")

    def test_a_map_shows_each_as_wide_as_it_is_at_its_place(self):
        scene, plan = flat(), PlanCamera(128.0, 128.0, 0.5)
        total, buffer = draw_plan(scene, plan, 320, 240, PAPER, None)
        before = total.copy()
        draw_map(layer([(140.0, 110.0, 2.0, 0.3)], "conifer"), scene, plan, buffer, total)
        rows, columns = np.nonzero(np.abs(total - before).max(-1) > 0.5)
        self.assertAlmostEqual(columns.mean() + 0.5, 160 + 24, delta=0.6)
        self.assertAlmostEqual(rows.mean() + 0.5, 120 + 36, delta=0.6)
        self.assertAlmostEqual(np.ptp(columns) + 1, 2 * 5.4 / 0.5, delta=1.5)

    def test_a_million_and_none_are_drawn(self):
        scene, camera = flat(), Camera.home(flat().outline)
        draw_of = np.random.default_rng(3)
        table = np.stack([*draw_of.uniform(0, 256, (2, 1_000_000)), np.ones(1_000_000), draw_of.random(1_000_000)], -1)
        before, _, differs = passed(scene, camera, layer(table, "tuft"))
        ground = render(scene, camera, 320, 240, PAPER)[1].kind == 1
        self.assertGreater(differs[ground].mean(), 0.8)
        _, _, none = passed(scene, camera, Things.of(()))
        self.assertFalse(none.any())

    def test_without_things_a_picture_is_what_it_was(self):
        scene, camera, buffer = flat(), Camera.home(flat().outline), Buffer.of(64, 48)
        one, _ = render(scene, camera, 64, 48, PAPER, buffer=buffer)
        kinds = buffer.kind.copy()
        draw(layer([(1e6, 1e6, 1.0, 0.2)]), scene, camera, buffer, one, PAPER)
        np.testing.assert_array_equal(one, render(scene, camera, 64, 48, PAPER)[0])
        np.testing.assert_array_equal(kinds, buffer.kind)


class WindowTest(WindowCase):
    def test_a_wood_is_seen_counted_and_left_out_where_land_is_measured(self):
        self.window.set_detail(2)
        recipe, noise, node = wooded()
        self.doc.start(recipe, None)
        self.wait.still(self.window)
        self.click(noise)
        self.wait.still(self.window)
        bar, things = self.view.bar, self.view.things.value
        picture = self.canvas.looks[node].picture
        self.assertGreater(max(picture.pixelColor(x, x).lightness() for x in range(picture.width())), 200)
        self.assertEqual(bar.things.text(), f"Things  ({len(things.rows):,})")
        self.assertIs(self.view.frame.request.things, things)
        with_wood = self.view.frame.image.copy()
        bar.things.trigger()
        self.wait.until(self.view.pictured, lambda frame: frame.passes == 8)
        self.assertNotEqual(self.view.frame.image, with_wood)
        bar.things.trigger()
        self.wait.until(self.view.pictured, lambda frame: frame.passes == 8)
        self.assertEqual(self.view.frame.image, with_wood)
        self.click(node)
        self.wait.still(self.window)
        self.assertIn(
            f"{len(things.rows):,} things\n{len(things.rows) / 100:.3g} a hectare", self.bench.pictures.words.text()
        )
        # chosen, they are seen where they stand, and not as the mask that they come from
        self.assertIs(self.view.frame.request.things, things)
        self.assertEqual(self.view.asked.content[3], "height")
        self.assertRegex(self.view.caption.text(), "looking at Things.* on ")
        self.doc.edit("Fewer", lambda r: graph.set_param(r, node, "density", 10.0))
        self.wait.still(self.window)
        self.assertLess(len(self.view.things.value.rows), len(things.rows) / 4)
        self.doc.edit("None", lambda r: graph.remove(r, [node]))
        self.wait.still(self.window)
        self.assertFalse(bar.things.isVisible())
        self.assertIsNone(self.view.frame.request.things)


if __name__ == "__main__":
    unittest.main()
