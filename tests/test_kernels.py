"""Numeric kernels against closed forms, other libraries and slow reference versions."""

import heapq
import math
import unittest

import numpy as np
import scipy.ndimage as ndi
from hypothesis import given, settings
from hypothesis import strategies as st
from support import drainage, slow

from gelande.kernels import (
    bands,
    caster,
    curves,
    flow,
    kept,
    light,
    measure,
    morphology,
    noise,
    shapes,
    spurs,
    streams,
    transfer,
)
from gelande.kernels.grid_window import GridWindow
from gelande.scene.camera import Camera
from gelande.scene.relief import Scene, Tones, pick, render

GREY = Tones(((200, 200, 200),) * 6)


def bumpy(n=129, seed=3, tall=120.0):
    return noise.fractal((n, n), (0, 4096), 4096 / (n - 1), 900, 6, seed=seed) * np.float32(tall)


class KeptTest(unittest.TestCase):
    def test_what_was_not_asked_for_the_longest_goes_first(self):
        held = kept.Kept(100)
        for key in "abc":
            held.put(key, key.upper(), 30)
        self.assertEqual(held.get("a"), "A")
        held.put("d", "D", 30)
        self.assertEqual([held.get(k) for k in "abcd"], ["A", None, "C", "D"])
        held.put("a", "larger", 95)
        self.assertEqual((held.get("a"), held.get("d"), held.held), ("larger", None, 95))
        held.put("e", "too large", 101)
        self.assertEqual((held.get("e"), held.held), (None, 0))

    def test_noise_that_is_kept_is_the_same_and_nobody_changes_it(self):
        def asked():
            return noise.fractal((65, 65), (0.0, 4096.0), 64.0, 900.0, 5, seed=7, warp=120.0)

        noise.forget()
        first = asked()
        whole = first.copy()
        first[:] = 0
        np.testing.assert_array_equal(asked(), whole)
        noise.forget()
        np.testing.assert_array_equal(asked(), whole)

    def test_no_two_kinds_of_noise_are_taken_for_each_other(self):
        plain = {"window": (33, 33), "origin": (0.0, 800.0), "dx": 25.0, "size": 300.0, "octaves": 3}
        others = (
            {"origin": (5.0, 800.0)},
            {"dx": 24.0},
            {"size": 301.0},
            {"octaves": 4},
            {"lacunarity": 2.1},
            {"gain": 0.6},
            {"seed": 2},
            {"kind": noise.VALUE},
            {"form": noise.RIDGED},
            {"form": noise.RIDGED, "sharp": 2.0},
            {"warp": 40.0},
            {"fine": 80.0},
        )
        found = {noise.fractal(**(plain | other)).tobytes() for other in ({}, *others)}
        self.assertEqual(len(found), 1 + len(others))


class LineTest(unittest.TestCase):
    @given(st.integers(0, 10_000))
    @settings(max_examples=25, deadline=None)
    def test_the_nearest_piece_is_found_as_by_trying_all(self, seed):
        draw = np.random.default_rng(seed)
        points, dx = draw.uniform(-200, 1200, (int(draw.integers(2, 30)), 2)), 20.0
        far, _ = shapes.to_line(points, (41, 97), 800.0, dx)
        y, x = 800.0 - dx * np.arange(41)[:, None], dx * np.arange(97)[None]
        best = np.full((41, 97), np.inf)
        for (ax, ay), (bx, by) in zip(points, points[1:]):
            t = np.clip(((x - ax) * (bx - ax) + (y - ay) * (by - ay)) / ((bx - ax) ** 2 + (by - ay) ** 2), 0, 1)
            best = np.minimum(best, np.hypot(ax + t * (bx - ax) - x, ay + t * (by - ay) - y))
        np.testing.assert_allclose(far, best, atol=1e-3)


class NoiseTest(unittest.TestCase):
    def test_rows_and_points_are_one_function(self):
        for kind in (noise.GRADIENT, noise.VALUE):
            grid = noise.fractal((33, 41), (100.0, 900.0), 7.0, 150, 4, seed=5, kind=kind)
            for r, c in ((0, 0), (10, 40), (32, 17)):
                at = noise.fractal_at(kind, 0, 100.0 + 7.0 * c, 900.0 - 7.0 * r, 150.0, 4, 2.0, 0.5, 1.0, 5, 7.0)
                self.assertAlmostEqual(float(grid[r, c]), at, places=5)

    def test_levels_sample_one_function_where_all_octaves_are_present(self):
        a = noise.fractal((65, 65), (0, 4096), 64.0, 2000, 3, seed=2)
        b = noise.fractal((257, 257), (0, 4096), 16.0, 2000, 3, seed=2)
        np.testing.assert_allclose(a, b[::4, ::4], atol=1e-6)

    def test_range_and_mean(self):
        for kind in (noise.GRADIENT, noise.VALUE, noise.SIMPLEX):
            n = noise.fractal((257, 257), (0, 100_000), 100.0, 900, 1, kind=kind)
            self.assertLess(abs(float(n.mean())), 0.05)
            self.assertTrue(0.7 < float(np.abs(n).max()) <= 1.26, f"{kind}: {np.abs(n).max()}")

    def test_gradient_noise_has_no_preferred_axis(self):
        n = noise.fractal((513, 513), (0, 4096), 8.0, 64, 1, seed=9)
        gy, gx = np.gradient(n)
        self.assertAlmostEqual(float(gx.std() / gy.std()), 1.0, delta=0.05)

    def test_octaves_do_not_show_the_axes_of_their_lattice(self):
        """Slopes that prefer four directions at right angles are what a lattice shows; its strength was 0.03 with
        all lattices alike."""
        found = []
        for seed in range(4):
            gy, gx = np.gradient(noise.fractal((257, 257), (0, 4096), 16.0, 1000, 4, seed=seed, gain=0.6))
            slope = gx + 1j * gy
            found.append((slope**4 / np.abs(slope) ** 2).sum() / (np.abs(slope) ** 2).sum())
        self.assertLess(abs(np.mean(found)), 0.012)

    def test_cells_against_every_point(self):
        first, second, _ = noise.cells((24, 24), (0.0, 240.0), 10.0, 60.0, 1.0, 0, seed=4)
        h = lambda i, j, s: float(noise.unit(noise.hash2(i, j, s)))
        points = [(i + 0.5 + h(i, j, 4) - 0.5, j + 0.5 + h(i, j, 75) - 0.5) for i in range(-3, 8) for j in range(-3, 8)]
        for r, c in ((0, 0), (11, 7), (23, 23)):
            x, y = 10.0 * c / 60, (240.0 - 10.0 * r) / 60
            away = sorted(math.hypot(px - x, py - y) for px, py in points)
            self.assertAlmostEqual(float(first[r, c]), away[0], places=4)
            self.assertGreaterEqual(float(second[r, c]), away[1] - 1e-4)


class SpursTest(unittest.TestCase):
    def made(self, n, east, north, octaves=1, window=None):
        dx, window = 4096.0 / (n - 1), window or GridWindow.of((n, n))
        rise = [np.full(window.shape, v, np.float32) for v in (east, north)]
        return spurs.spurs(window, (0.0, 4096.0), dx, *rise, 320.0, octaves, 0.15, 0.8, 5)

    def test_they_run_down_the_slope(self):
        for east, north in ((-0.6, 0.0), (0.3, 0.5), (-0.4, 0.7)):
            h, steep = self.made(257, east, north), math.hypot(east, north)
            south, to_east = np.gradient(h, 16.0)
            down = np.abs(to_east * east - south * north).mean() / steep
            across = np.abs(to_east * north + south * east).mean() / steep
            self.assertGreater(across, 4 * down, (east, north))
            # from ravine to crest 2 * depth * distance * slope within half a distance; less where ridges fork
            self.assertAlmostEqual(across / (4 * 0.15 * steep), 0.85, delta=0.15)
            self.assertLess(abs(float(h.mean())), 0.1 * 320 * 0.15 * steep)

    def test_level_ground_has_none(self):
        self.assertEqual(float(np.abs(self.made(129, 0.0, 0.0, 6)).max()), 0.0)

    def test_they_stand_in_the_same_place_at_every_detail_and_in_any_part(self):
        fine, coarse = self.made(513, -0.5, 0.2, 2), self.made(129, -0.5, 0.2, 2)
        np.testing.assert_allclose(fine[::4, ::4], coarse, atol=1e-3)
        part = GridWindow(133, 201, 90, 77, 513, 513)
        np.testing.assert_array_equal(self.made(513, -0.5, 0.2, 2, part), part.cut(fine, GridWindow.of(fine.shape)))

    def test_its_sine_and_its_angle_are_near_those_of_the_library(self):
        turns, cosines = np.linspace(-3, 3, 2001), np.linspace(-1, 1, 2001)
        self.assertLess(max(abs(spurs._turn(t) - math.sin(2 * math.pi * t)) for t in turns), 1.2e-3)
        self.assertLess(max(abs(spurs._angle(c) - math.acos(c) / math.pi) for c in cosines), 1e-4)


class TransferTest(unittest.TestCase):
    @given(st.integers(3, 20), st.integers(3, 20), st.integers(0, 1000))
    @settings(max_examples=30, deadline=None)
    def test_up_keeps_shared_samples_and_bilinear_stays_in_range(self, r, c, seed):
        a = np.random.default_rng(seed).random((r, c), np.float32)
        for smooth in (True, False):
            b = transfer.up(a, smooth)
            self.assertEqual(b.shape, (2 * r - 1, 2 * c - 1))
            np.testing.assert_array_equal(b[::2, ::2], a)
        self.assertTrue(b.min() >= a.min() and b.max() <= a.max())

    def test_cubic_up_is_exact_for_quadratics(self):
        y, x = np.mgrid[0:9, 0:12].astype(np.float32)
        f = lambda y, x: 2 + 0.5 * x - y + 0.25 * x * x - 0.125 * y * y + 0.3 * x * y
        fine = np.mgrid[0:17, 0:23].astype(np.float32) / 2
        np.testing.assert_allclose(transfer.up(f(y, x)), f(*fine), atol=1e-4)

    def test_down_keeps_planes_inside(self):
        y, x = np.mgrid[0:17, 0:17].astype(np.float32)
        np.testing.assert_allclose(transfer.down(3 * x - y)[1:-1, 1:-1], (3 * x - y)[::2, ::2][1:-1, 1:-1], atol=1e-4)

    def test_sampling_at_whole_places_returns_the_samples(self):
        a = bumpy(33)
        y, x = np.mgrid[0:33, 0:33].astype(np.float32)
        np.testing.assert_allclose(transfer.sample(a, y, x), a, atol=1e-4)
        self.assertTrue(np.isfinite(transfer.sample(a, y * 50 - 400, x - 900)).all())


class MeasureTest(unittest.TestCase):
    def test_blur_agrees_with_scipy(self):
        a = bumpy(65)
        np.testing.assert_allclose(
            measure.gaussian(a, 2.0), ndi.gaussian_filter(a, 2.0, mode="mirror", truncate=3.0), atol=0.02
        )

    def test_slope_of_a_plane(self):
        y, x = np.mgrid[0:33, 0:33].astype(np.float32) * 10
        slope = measure.slope_degrees((x * math.tan(math.radians(30))).astype(np.float32), 10.0, 40.0)
        np.testing.assert_allclose(slope, 30.0, atol=1e-3)

    def test_slope_at_shared_samples_does_not_depend_on_detail(self):
        y, x = np.mgrid[0:257, 0:257] * 4.0
        f = lambda y, x: (60 * np.sin(x / 90) * np.cos(y / 70)).astype(np.float32)
        fine, coarse = measure.slope_degrees(f(y, x), 4.0, 32.0), measure.slope_degrees(f(y, x)[::4, ::4], 16.0, 32.0)
        np.testing.assert_allclose(fine[::4, ::4][2:-2, 2:-2], coarse[2:-2, 2:-2], atol=1e-3)

    def test_grow_agrees_with_scipy_for_whole_radii(self):
        a = (np.random.default_rng(1).random((40, 50)) > 0.985).astype(np.float32)
        y, x = np.mgrid[-3:4, -3:4]
        disc = x * x + y * y <= 9
        np.testing.assert_array_equal(morphology.grow(a, 3.0) >= 1.0, ndi.grey_dilation(a, footprint=disc) >= 1.0)

    def test_hillshade_is_brightest_towards_the_sun(self):
        y, x = np.mgrid[0:33, 0:33].astype(np.float32) * 10
        towards, away = (measure.hillshade(s * x, 10.0, azimuth=270.0, elevation=45.0)[16, 16] for s in (1.0, -1.0))
        self.assertAlmostEqual(float(towards), 1.0, places=3)
        self.assertAlmostEqual(float(away), 0.0, places=3)

    def test_curves_agree_with_scipy(self):
        from scipy.interpolate import PchipInterpolator

        draw = np.random.default_rng(2)
        for n in range(2, 9):
            xs, ys = np.sort(draw.random(n)), draw.random(n)
            at = np.linspace(xs[0], xs[-1], 50)
            np.testing.assert_allclose(curves._monotone(xs, ys, at), PchipInterpolator(xs, ys)(at), atol=1e-9)

    @given(st.lists(st.tuples(st.floats(0, 1), st.floats(0, 1)), min_size=2, max_size=9))
    @settings(max_examples=60, deadline=None)
    def test_curves_never_overshoot_their_points(self, points):
        lut = curves.table(sorted(points))
        ys = [y for _, y in points]
        self.assertTrue(lut.min() >= min(ys) - 1e-5 and lut.max() <= max(ys) + 1e-5)


def slow_flood(h):
    """Priority flood with a heap (Barnes et al. 2014, algorithm 1)."""
    rows, columns = h.shape
    level, seen, queue = h.copy(), np.zeros(h.shape, bool), []
    for r in range(rows):
        for c in range(columns):
            if r in (0, rows - 1) or c in (0, columns - 1):
                heapq.heappush(queue, (h[r, c], r, c))
                seen[r, c] = True
    while queue:
        z, r, c = heapq.heappop(queue)
        for j in range(max(0, r - 1), min(rows, r + 2)):
            for i in range(max(0, c - 1), min(columns, c + 2)):
                if not seen[j, i]:
                    seen[j, i] = True
                    level[j, i] = max(h[j, i], z)
                    heapq.heappush(queue, (level[j, i], j, i))
    return level


class FlowTest(unittest.TestCase):
    def test_flooding_agrees_with_a_heap(self):
        h = bumpy(65, tall=80)
        _, level = drainage(h, 10.0)
        np.testing.assert_allclose(level, slow_flood(h), atol=flow.BUCKET + 1e-4)

    def test_a_flood_by_the_bed_stands_as_high_and_leads_out_along_the_deepest_way(self):
        h, stop = bumpy(65, tall=80), np.zeros(1, np.uint8)
        level, (order, parent) = np.empty_like(h), np.empty((2, h.size), np.int32)
        self.assertTrue(flow.flood(h, level, order, parent, True, stop))
        np.testing.assert_allclose(level, slow_flood(h), atol=flow.BUCKET + 1e-4)
        place = np.empty(h.size, int)
        place[order] = np.arange(h.size)
        inner = parent >= 0
        self.assertTrue(np.all(place[parent[inner]] < place[inner]), "each after the one it came from")
        trough = np.full((9, 40), 50.0, np.float32)  # a basin with a winding bed, and a sill at its east end
        trough[1:-1, 1:-2] = 10.0
        bed = [(4 + round(2 * np.sin(c / 3)), c) for c in range(1, 39)]
        for r, c in bed:
            trough[r, c] = 2.0
        trough[bed[-1][0], 38:] = 20.0
        level, (order, parent) = np.empty_like(trough), np.empty((2, trough.size), np.int32)
        flow.flood(trough, level, order, parent, True, stop)
        way, at = [], bed[0][0] * 40 + bed[0][1]
        while parent[at] >= 0:
            way.append(float(trough.ravel()[at]))
            at = parent[at]
        self.assertEqual(sum(z == 10.0 for z in way), 0, "never over the basin's floor beside its bed")

    def test_all_rain_leaves_over_the_edge(self):
        h = bumpy(65)
        n = h.size
        level, way, fraction, order = flow.drain(h, jitter=0.5)
        area, steps = np.ones(n), flow.neighbours(65)
        flow.accumulate(order, way, steps, fraction, area, np.inf)
        self.assertEqual(sorted(order), list(range(n)))
        place = np.argsort(order)
        for i in range(n):
            for code in (way[i] & 15, way[i] >> 4):
                if code != flow.NONE:
                    j = i + steps[code]
                    self.assertLess(place[i], place[j], "a cell comes before those it drains to")
                    self.assertLessEqual(level.ravel()[j], level.ravel()[i])
        self.assertAlmostEqual(float(area[(way & 15) == flow.NONE].sum()), n, delta=1e-6 * n)

    def test_no_cell_hands_on_more_than_the_cap(self):
        _, way, fraction, order = flow.drain(bumpy(65))
        area = np.ones(65 * 65)
        flow.accumulate(order, way, flow.neighbours(65), fraction, area, 20.0)
        self.assertEqual(float(area.max()), 20.0)

    def test_a_tilted_plane_drains_straight_down(self):
        y = np.mgrid[0:21, 0:21][0].astype(np.float32)
        area, _ = drainage(-5.0 * y, 2.0)
        self.assertAlmostEqual(float(area[19, 10] / 4.0), 20.0, delta=1.5)

    def test_longest_stream_of_a_straight_valley(self):
        y, x = np.mgrid[0:41, 0:41].astype(np.float32)
        length = flow.longest_stream(-2.0 * y + 3.0 * np.abs(x - 20), 10.0, 500.0)
        self.assertTrue(380 <= length <= 440, length)


class StreamsTest(unittest.TestCase):
    def test_a_stream_is_as_broad_at_every_detail_and_brighter_downstream(self):
        line = np.array([[100.0, 120.0, 400.0, 280.0, 1e3, 1e5]])
        coarse, fine = (streams.draw((n, n), 512.0 / (n - 1), line, 1e3, 1e6, 6.0, 6.0) for n in (129, 513))
        np.testing.assert_array_equal(fine[::4, ::4], coarse)
        along = [fine[round(y), round(x)] for x, y in ((130, 136), (250, 200), (380, 269.3))]
        np.testing.assert_allclose(along, [2 / 3 * (x - 100) / 300 for x in (130, 250, 380)], atol=0.01)
        away = np.hypot(*(np.mgrid[0:513, 0:513] - np.array([200, 250]).reshape(2, 1, 1)))
        self.assertEqual(float(fine[away > 250].max()), 0.0)
        self.assertAlmostEqual(float((fine > 0).sum()), 340 * 24 + math.pi * 144, delta=0.06 * 340 * 24)

    def test_pieces_lead_down_to_the_edge_and_steps_are_smoothed(self):
        y, x = np.mgrid[0:65, 0:65].astype(np.float32)
        h = -y + np.abs(x - 10 - 0.6 * y)  # a valley that runs aslant to the grid
        _, way, fraction, order = flow.drain(h.astype(np.float32), single=True)
        area = np.ones(h.size)
        flow.accumulate(order, way, flow.neighbours(65), fraction, area, np.inf)
        found = streams.pieces(x, y, area, flow.receivers(way, 65), 400.0, 1.0)
        self.assertGreater(len(found), 10)
        self.assertTrue((found[:, 5] >= found[:, 4]).all(), "area grows downstream")
        valley = found[(found[:, 1] > 30) & (found[:, 3] < 58)]
        angle = np.degrees(np.arctan2(valley[:, 2] - valley[:, 0], valley[:, 3] - valley[:, 1]))
        np.testing.assert_allclose(
            angle, math.degrees(math.atan(0.6)), atol=9.0, err_msg="not 0 and 45 degrees in turn"
        )
        self.assertEqual(streams.draw((65, 65), 1.0, found[:0], 1.0, 10.0, 1.0, 1.0).max(), 0.0)


class CasterTest(unittest.TestCase):
    def setUp(self):
        self.h = bumpy(65, tall=600)
        self.scene = Scene(self.h, 64.0)
        self.camera = Camera.home(self.scene.outline)

    @slow
    def test_rays_meet_the_ground_where_a_slow_march_does(self):
        _, buffer = render(self.scene, self.camera, 48, 32, GREY)
        forward, right, up = self.camera.axes(48 / 32)
        checked = 0
        for y in range(0, 32, 3):
            for x in range(0, 48, 3):
                d = forward + (2 * (x + 0.5) / 48 - 1) * right + (1 - 2 * (y + 0.5) / 32) * up
                hit = None
                for t in np.arange(0, 12_000, 2.0):
                    p = self.camera.position + t * d
                    if 0 <= p[0] <= 4096 and 0 <= p[1] <= 4096 and p[2] <= self.scene.ground(p[0], p[1]):
                        hit = t
                        break
                if buffer.kind[y, x] == caster.GROUND:
                    self.assertIsNotNone(hit)
                    self.assertAlmostEqual(float(buffer.depth[y, x]), hit, delta=6.0 + 0.004 * hit)
                    checked += 1
                elif buffer.kind[y, x] == caster.SKY and hit is not None:
                    low = (self.camera.position + hit * d)[2]
                    self.assertLess(low, self.scene.low + 1, "a ray missed the ground")
        self.assertGreaterEqual(checked, 30)

    def test_the_cone_start_changes_no_pixel(self):
        camera = Camera(2048, 2048, self.scene.high + 250, 40, -20)
        forward, right, up = camera.axes(1.5)
        found = []
        for cone in (False, True):
            b = [np.zeros((64, 96), np.float32) for _ in range(3)] + [np.zeros((64, 96), np.uint8)]
            pixel = 2 * math.tan(math.radians(19)) / 64
            caster.cast_rows(
                self.h,
                *self.scene.pyramid,
                self.scene.to_grid(camera.position),
                self.scene.vector(forward),
                self.scene.vector(right),
                self.scene.vector(up),
                self.scene.low - 50,
                0.0,
                0.0,
                b[0],
                b[1],
                b[2],
                b[3],
                0,
                64,
                8 * pixel / 64.0,
                8 * pixel,
                cone,
            )
            found.append(b)
        np.testing.assert_array_equal(found[0][3], found[1][3])
        np.testing.assert_allclose(found[0][0], found[1][0], rtol=1e-4)

    def test_picking_finds_the_ground_in_the_middle(self):
        point = pick(self.scene, self.camera, 0.0, 0.0, 1.5)
        self.assertAlmostEqual(point[2], self.scene.ground(point[0], point[1]), delta=2.0)
        self.assertIsNone(pick(self.scene, self.camera, 0.0, 0.99, 1.5))

    def test_a_stop_gives_no_picture(self):
        with self.assertRaises(bands.Stopped):
            render(self.scene, self.camera, 60, 40, GREY, np.ones(1, np.uint8))

    def test_a_wall_throws_its_shadow_as_far_as_the_sun_says(self):
        h = np.zeros((64, 64), np.float32)
        h[:, 20] = 30.0
        lit = light.sunlight(h, 10.0, 270.0, 45.0)  # sun in the west: the shadow falls 30 m to the east
        self.assertLess(float(lit[32, 21]), 0.05)
        self.assertGreater(float(lit[32, 25]), 0.95)
        self.assertGreater(float(lit[32, 15]), 0.95)

    def test_open_ground_sees_the_whole_sky_and_a_pit_does_not(self):
        h = np.full((65, 65), 100, np.float32)
        self.assertAlmostEqual(float(light.sky_view(h, 10.0, 300.0)[32, 32]), 1.0, places=5)
        h[32, 32] = 0
        self.assertLess(float(light.sky_view(h, 10.0, 300.0)[32, 32]), 0.25)


class CameraTest(unittest.TestCase):
    @given(st.floats(-300, 300), st.floats(-60, 60))
    @settings(max_examples=50, deadline=None)
    def test_turning_keeps_the_point_under_the_pointer(self, heading, pitch):
        camera = Camera.home(np.array([(e, n, h) for e in (0, 4000) for n in (0, 4000) for h in (0, 400)], float))
        point = np.array([1500.0, 2500.0, 210.0])

        def place(c):
            f, r, u = c.axes(1.5)
            d = point - c.position
            return [np.dot(d, v) / np.dot(v, v) / np.dot(d, f) for v in (r, u)]

        turned = camera.turned_about(point, heading, pitch)
        np.testing.assert_allclose(place(camera), place(turned), atol=1e-6)
        self.assertAlmostEqual(
            np.linalg.norm(turned.position - point), np.linalg.norm(camera.position - point), places=4
        )

    def test_the_axes_are_square_to_each_other(self):
        f, r, u = Camera(0, 0, 0, 77, -33).axes(1.0)
        for a, b in ((f, r), (f, u), (r, u)):
            self.assertAlmostEqual(float(np.dot(a, b)), 0.0, places=9)
        self.assertGreater(u[2], 0)

    def test_walking_goes_where_one_looks(self):
        self.assertAlmostEqual(Camera(0, 0, 0, 90, -10).walked(10, 0, 0).east, 10)
        self.assertAlmostEqual(Camera(0, 0, 0, 0, -10).walked(0, 10, 0).east, 10)


if __name__ == "__main__":
    unittest.main()
