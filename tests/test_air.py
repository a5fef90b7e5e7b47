"""Air and water of a picture: what they show, and that they leave alone what is measured."""

import unittest

import numpy as np

from gelande.kernels import air as K
from gelande.scene.camera import Camera
from gelande.scene.passes import one_pass
from gelande.scene.patches import Nest, Patch
from gelande.scene.picture import pictured
from gelande.scene.relief import PAPER, Look, Part, Scene, render

SIZE, N, DX = (160, 100), 129, 16.0
#: Somebody who stands at the middle of the southern edge and looks north.
STANDS = Camera(1024.0, 60.0, 60.0, 0.0, -4.0, 50.0)


def hills(tall):
    """Rolling land of so many metres."""
    rows, columns = np.mgrid[0:N, 0:N]
    return (0.5 * tall * np.sin(rows / 9.0) * np.cos(columns / 7.0)).astype(np.float32)


def bowl(slope=0.0, **look):
    """A level lake of 1.2 km before a red wall in the north, or water that falls towards the viewer by a slope."""
    height = np.zeros((N, N), np.float32)
    height[:48] = np.linspace(700.0, 0.0, 48, dtype=np.float32)[:, None]
    height[48:] -= slope * DX * np.arange(N - 48, dtype=np.float32)[:, None]
    water = np.zeros_like(height)
    water[48:120] = 5.0
    colours = np.full((N, N, 3), 0.3, np.float32)
    colours[:48] = (0.7, 0.05, 0.05)
    return Scene(height, DX, colours, Look(**look), water)


class AirTest(unittest.TestCase):
    def drawn(self, scene, camera=STANDS, **more):
        return one_pass(scene, camera, SIZE, PAPER, **more)

    def test_a_plain_picture_is_what_the_caster_draws(self):
        scene = bowl()
        np.testing.assert_array_equal(self.drawn(scene)[0], render(scene, STANDS, *SIZE, PAPER)[0])

    def test_dry_land_seen_from_afar_is_as_without(self):
        for site in (100.0, 4096.0, 100_000.0):
            height = hills(site / 20)
            camera = Camera.home(Scene(height, site / 128).outline, 1.6)
            one, other = (self.drawn(Scene(height, site / 128, None, Look(air=a)), camera)[0] for a in (False, True))
            np.testing.assert_allclose(one, other, atol=0.51)

    def test_a_lake_mirrors_the_wall_behind_it_far_off_and_shows_itself_at_the_feet(self):
        plain, natural = (self.drawn(bowl(air=a)) for a in (False, True))
        row = natural[1].row
        change = natural[0] - plain[0]
        far = (natural[1].kind == 1) & (row > 49) & (row < 75)
        self.assertGreater(far.sum(), 100)
        # before it was blue, now the red of the wall stands in it
        self.assertGreater(change[far][:, 0].mean() - change[far][:, 2].mean(), 25)
        steep = Camera(1024.0, 500.0, 300.0, 0.0, -80.0, 50.0)
        down = [self.drawn(bowl(air=a), steep)[0] for a in (False, True)]
        self.assertLess(np.abs(down[1] - down[0]).mean(), 12)

    def test_water_that_falls_mirrors_nothing(self):
        level, falling = (self.share_changed(slope) for slope in (0.0, 0.12))
        self.assertGreater(level, 8.0)
        self.assertLess(falling, 1.0)

    def share_changed(self, slope):
        """Mean change of water by what it mirrors, without haze."""
        scene = bowl(slope, air=True)
        outside = Camera(1024.0, -2600.0, 900.0, 0.0, -14.0, 30.0)  # beyond the air
        total, b = self.drawn(scene, outside)
        before = render(scene, outside, *SIZE, PAPER)[0]
        wet = (b.kind == 1) & (b.row > 50) & (b.row < 118)
        return float(np.abs(total - before)[wet].mean())

    def test_the_sea_mirrors_too_on_its_surface(self):
        height = np.full((N, N), -30.0, np.float32)
        height[:40] = 400.0
        scene = Scene(height, DX, np.full((N, N, 3), 0.3, np.float32), Look(water=0.0, air=True))
        total, b = self.drawn(scene)
        before = render(scene, STANDS, *SIZE, PAPER)[0]
        sea = (b.kind == 1) & (b.row > 45)
        self.assertGreater(np.abs(total - before)[sea].mean(), 8)

    def test_haze_grows_with_distance_and_is_thinner_high_up(self):
        clear = np.array([12000.0, 0.0, 800.0, 1.0])
        near, far, high = (K._haze(clear, z, z, way) for z, way in ((0.0, 500.0), (0.0, 5000.0), (2000.0, 5000.0)))
        self.assertLess(near, 0.05)
        self.assertAlmostEqual(far, 1 - np.exp(-5 / 12), places=6)
        self.assertLess(high, 0.25 * far)
        # through a slanting way as much as in small steps along it
        steps = [K._thickness(z, z + 20, 100.0, 0.0, 800.0) for z in range(0, 1000, 20)]
        self.assertAlmostEqual(sum(steps), K._thickness(0.0, 1000.0, 5000.0, 0.0, 800.0), places=6)

    def test_the_sky_glows_around_the_sun(self):
        scene = Scene(hills(20.0), DX, None, Look(azimuth=0.0, elevation=8.0, air=True))
        north, east = (Camera(1024.0, 1024.0, 60.0, heading, 10.0, 50.0) for heading in (0.0, 90.0))
        bright = [
            self.drawn(scene, c)[0][:40, :, 0].mean() for c in (Camera(1024.0, 1024.0, 60.0, 0.0, 10.0, 50.0), east)
        ]
        self.assertGreater(bright[0], bright[1] + 8)

    def test_an_evening_is_exposed_for_longer_and_stays_darker_than_noon(self):
        def mean(elevation, air):
            return float(Scene(hills(20.0), DX, None, Look(elevation=elevation, air=air)).plan[..., :3].mean())

        self.assertGreater(mean(7.0, True), 1.15 * mean(7.0, False))
        self.assertLess(mean(7.0, True), mean(34.0, True))
        self.assertEqual(mean(34.0, True), mean(34.0, False))

    def test_a_patch_mirrors_the_same(self):
        scene = bowl(air=True)
        plain = self.drawn(scene)[0]
        height, deep = (np.kron(a[60:110, 40:90], np.ones((2, 2), np.float32))[:99, :99] for a in scene._sources)
        ground = np.full((99, 99, 3), 0.3, np.float32)
        scene.nest = Nest(scene, (Patch(2, 120, 80, height, "colour", ground, deep),))
        self.assertLess(np.abs(self.drawn(scene)[0] - plain).mean(), 2.0)

    def test_a_picture_in_pieces_is_the_whole(self):
        scene = bowl(air=True, elevation=10.0)
        whole = pictured(scene, STANDS, SIZE, passes=1)
        piece, _ = self.drawn_part(scene, Part(80, 40, *SIZE), (80, 60))
        self.assertLessEqual(np.abs(piece - whole[40:, 80:].astype(float)).max(), 1.6)

    def drawn_part(self, scene, part, size):
        return one_pass(scene, STANDS, size, PAPER, part=part)
