"""Meshes, contour lines and points: sound, as exact as they say, and read by programs that did not write them."""

import csv
import json
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path

import meshio
import numpy as np
import pygltflib
import pyogrio
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra import numpy as hn
from numba import njit
from scipy.spatial import cKDTree
from scipy.spatial.transform import Rotation
from support import chain, linked, result

from gelande.core.errors import DeliveryError
from gelande.core.evaluate.executor import Evaluator
from gelande.core.recipe.deliverables import Deliverable, Delivery
from gelande.core.recipe.site import Site
from gelande.deliver import build as B
from gelande.deliver.formats import FORMATS
from gelande.deliver.meshes import MeshOptions, mesh_of
from gelande.kernels.discs import bilinear, discs, scattered, tiles_of
from gelande.kernels.insertion import inserted
from gelande.kernels.triangles import mesh_error, regular

#: Heights of small grids, rough and level ones.
GRIDS = hn.arrays(
    np.float32,
    st.tuples(st.integers(2, 24), st.integers(2, 24)),
    elements=st.one_of(st.integers(0, 3).map(float), st.floats(-500, 500, width=16)),
)


@njit(cache=True)
def _farthest(height, points, triangles):
    worst = 0.0
    for k in range(len(triangles)):
        i, j, m = triangles[k, 0], triangles[k, 1], triangles[k, 2]
        ar, ac, br, bc = points[i, 0], points[i, 1], points[j, 0], points[j, 1]
        cr, cc = points[m, 0], points[m, 1]
        a, b, d = height[ar, ac], height[br, bc], height[cr, cc]
        area = (br - ar) * (cc - ac) - (bc - ac) * (cr - ar)
        for r in range(min(ar, br, cr), max(ar, br, cr) + 1):
            for c in range(min(ac, bc, cc), max(ac, bc, cc) + 1):
                u = ((r - ar) * (cc - ac) - (c - ac) * (cr - ar)) / area
                v = ((br - ar) * (c - ac) - (bc - ac) * (r - ar)) / area
                if u >= -1e-9 and v >= -1e-9 and u + v <= 1 + 1e-9:
                    worst = max(worst, abs(height[r, c] - (a + u * (b - a) + v * (d - a))))
    return worst


def distances(height, points, triangles):
    """The largest distance of a mesh from heights, by looking for each sample's triangle; plain."""
    return _farthest(height.astype(np.float64), points.astype(np.int64), np.asarray(triangles).astype(np.int64))


class InsertionTest(unittest.TestCase):
    @settings(max_examples=60, deadline=None)
    @given(GRIDS, st.floats(0.01, 100), st.booleans())
    def test_a_mesh_covers_the_land_once_and_is_no_further_from_it_than_it_may_be(self, height, tolerance, border):
        points, triangles, error = inserted(height, tolerance, None, border)
        rows, columns = height.shape
        corners = points[triangles]
        side, other = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
        twice = side[:, 0] * other[:, 1] - side[:, 1] * other[:, 0]
        self.assertTrue((twice > 0).all(), "all turn the same way")
        self.assertEqual(twice.sum(), 2 * (rows - 1) * (columns - 1))
        edges = np.sort(np.concatenate([triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]]), 1)
        count = np.unique(edges, axis=0, return_counts=True)[1]
        self.assertLessEqual(count.max(), 2)
        self.assertLessEqual(error, tolerance)
        measured = distances(height, points, triangles)
        self.assertAlmostEqual(measured, error, delta=1e-3)
        ids = (points[:, 0] * columns + points[:, 1])[triangles]
        self.assertAlmostEqual(mesh_error(height, ids), error, delta=1e-3)
        if border:
            there = {tuple(p) for p in points.tolist()}
            self.assertTrue({(r, c) for r in range(rows) for c in (0, columns - 1)} <= there)
            self.assertTrue({(r, c) for c in range(columns) for r in (0, rows - 1)} <= there)

    def test_a_number_of_triangles_is_kept_to_and_filled(self):
        height = np.random.default_rng(3).normal(size=(200, 150)).astype(np.float32)
        for most in (9000, 20_000):
            _, triangles, error = inserted(height, 0.0, most)
            self.assertTrue(most - 3 <= len(triangles) <= most)
            self.assertGreater(error, 0)

    def test_it_is_fine_where_the_land_is(self):
        r, c = np.mgrid[0:257, 0:257].astype(np.float32)
        bump = 100 * np.exp(-((r - 60) ** 2 + (c - 60) ** 2) / 300).astype(np.float32)
        points, triangles, _ = inserted(bump, 0.5)
        near = (np.hypot(*(points - 60).T) < 60).sum()
        self.assertLess(len(triangles), 2 * 256 * 256 / 8)
        # beyond the bump only the coarse grid is left that every mesh is begun with
        self.assertGreater(near / (np.pi * 60**2), 3 * (len(points) - near) / (257**2 - np.pi * 60**2))

    def test_regular_meshes(self):
        height = np.random.default_rng(1).normal(size=(34, 20)).astype(np.float32)
        self.assertEqual(mesh_error(height, regular(height.shape)), 0)
        self.assertEqual(len(regular(height.shape)), 2 * 33 * 19)
        self.assertEqual(len(regular(height.shape, 5)), 2 * 7 * 4, "the far edges are kept")
        self.assertGreater(mesh_error(height, regular(height.shape, 5)), 0.5)

    def test_a_mesh_with_a_base_is_closed(self):
        r, c = np.mgrid[0:40, 0:30]
        height = (9 * np.sin(r / 9) * np.cos(c / 7)).astype(np.float32)
        for wish in (MeshOptions(base=5), MeshOptions(step=3, base=5), MeshOptions(base=5, border=True)):
            mesh = mesh_of(height, 2.0, wish)
            solid = trimesh.Trimesh(mesh.points, mesh.triangles, process=False)
            self.assertTrue(solid.is_watertight and solid.is_winding_consistent)
            wanted = (height.mean() - height.min() + 5) * 78 * 58
            self.assertAlmostEqual(solid.volume / wanted, 1, delta=0.05)

    def test_a_skirt_hangs_down_all_around(self):
        height = np.random.default_rng(1).normal(size=(40, 30)).astype(np.float32)
        mesh = mesh_of(height, 2.0, MeshOptions(skirt=7))
        border = np.concatenate([height[0], height[-1], height[:, 0], height[:, -1]])
        self.assertAlmostEqual(mesh.points[:, 2].min(), min(height.min(), border.min() - 7), places=4)
        self.assertGreater(len(mesh.triangles), mesh.land)
        self.assertEqual(trimesh.Trimesh(mesh.points, mesh.triangles, process=False).is_winding_consistent, True)

    def test_too_many_triangles_are_refused(self):
        with self.assertRaisesRegex(DeliveryError, "million triangles"):
            mesh_of(
                np.lib.stride_tricks.as_strided(np.zeros(1, np.float32), (6000, 6000), (0, 0)), 1.0, MeshOptions(step=1)
            )


class DiscTest(unittest.TestCase):
    @settings(max_examples=30, deadline=None)
    @given(st.floats(1.5, 9), st.integers(0, 999), st.floats(0, 300), st.floats(0, 300))
    def test_a_part_has_the_points_of_the_whole(self, least, seed, x, y):
        whole = discs(0, 0, 400, 400, least, seed)
        part = discs(x, y, x + 90, y + 60, least, seed)
        inside = (whole[:, 0] >= x) & (whole[:, 0] < x + 90) & (whole[:, 1] >= y) & (whole[:, 1] < y + 60)
        np.testing.assert_array_equal(part, whole[inside])
        nearest = cKDTree(whole[:, :2]).query(whole[:, :2], 2)[0][:, 1]
        self.assertGreaterEqual(nearest.min(), least)
        self.assertAlmostEqual(len(whole) * least**2 / 400**2, 0.6096, delta=0.06)

    @settings(max_examples=30, deadline=None)
    @given(st.floats(4, 60), st.integers(0, 999), st.integers(2, 60), st.integers(2, 60), st.data())
    def test_a_narrow_mask_takes_the_same_points_as_all_of_them_would_give(self, least, seed, rows, columns, data):
        share, site = np.zeros((rows, columns), np.float32), (700.0, 450.0)
        for _ in range(data.draw(st.integers(0, 4))):
            r, c = data.draw(st.integers(0, rows - 1)), data.draw(st.integers(0, columns - 1))
            share[r, c : c + 2] = data.draw(st.floats(0.125, 1, width=32))
        everywhere = np.concatenate([discs(*tile, least, seed) for tile in tiles_of(share + 1, site, least)])
        row, column = (site[1] - everywhere[:, 1]) / site[1] * (rows - 1), everywhere[:, 0] / site[0] * (columns - 1)
        wanted = everywhere[everywhere[:, 2] < bilinear(share, row, column)]
        np.testing.assert_array_equal(scattered(share, site, least, seed), wanted)


class ThingTest(unittest.TestCase):
    """All of them from one build, whole and in tiles."""

    @classmethod
    def setUpClass(cls):
        recipe, (_, rain) = chain("massif", "rain_erosion", site=Site.fitted("High Test", 2000, 1500))
        recipe, ramp = linked(recipe, "colour_ramp", rain, "height")
        cls.rain, cls.ramp = rain, ramp
        colour, height = (("colour", ramp, "colour"),), (("height", rain, "height"),)
        orders = []
        for f in FORMATS.values():
            source = (rain, "flow") if f.kind == "mask" else (rain, "height")
            more = {"colour": colour, "height": height}
            slots = [s for slot in f.slots for s in more.get(slot.id, ())]
            options = (("density", 300),) if f.group == "Points" else ()
            if f.group in ("Mesh", "Points") or f.id.startswith("contours"):
                orders.append(Deliverable(f.id, *source, f.id, options, tuple(slots)))
        orders.append(Deliverable("Far", rain, "height", "mesh_glb", (("error", 2), ("levels", 3), ("skirt", 20))))
        nodes = (("density", 300), ("kept", "nodes"))
        orders.append(Deliverable("As nodes", rain, "flow", "points_glb", nodes, height))
        cls.recipe = replace(recipe, deliverables=tuple(orders))
        cls.temp = tempfile.TemporaryDirectory()
        cls.folder = Path(cls.temp.name)
        cls.items = {i.deliverable.name: i for i in B.build(cls.recipe, 2, cls.folder, Evaluator())}
        cls.height = result(recipe, rain, 2)["height"]
        cls.dx = recipe.site.spacing(2)

    @classmethod
    def tearDownClass(cls):
        cls.temp.cleanup()

    def path(self, name):
        return self.folder / self.items[name].facts["file"]

    def tiles(self, name, **more):
        order = next(d for d in self.recipe.deliverables if d.name == name)
        recipe = replace(self.recipe, deliverables=(order,), delivery=Delivery(tile=129, **more))
        with tempfile.TemporaryDirectory() as folder:
            (item,) = B.build(recipe, 2, Path(folder), Evaluator())
            self.assertEqual(item.state, B.DONE, item.note)
            yield from ((f, Path(folder) / f["file"]) for f in item.files)

    def test_all_are_written(self):
        self.assertEqual({i.state for i in self.items.values()}, {B.DONE}, {i.note for i in self.items.values()})

    def off(self, points, triangles):
        """How far a mesh in metres with Z up is from the land at most."""
        rows = self.height.shape[0]
        at = np.rint(np.stack([rows - 1 - points[:, 1] / self.dx, points[:, 0] / self.dx], -1)).astype(int)
        np.testing.assert_allclose(points[:, 2], self.height[tuple(at.T)], atol=1e-3)
        return distances(self.height, at, triangles)

    def test_gltf_through_two_readers(self):
        path = self.path("mesh_glb")
        block = pygltflib.GLTF2().load(str(path))
        self.assertEqual(block.asset.version, "2.0")
        self.assertEqual(len(block.images), 1)
        mesh = trimesh.load(path, process=False, force="mesh")
        points = np.stack([mesh.vertices[:, 0], -mesh.vertices[:, 2], mesh.vertices[:, 1]], -1)
        self.assertEqual(len(mesh.faces), self.items["mesh_glb"].facts["levels"][0]["triangles"])
        self.assertLessEqual(self.off(points, mesh.faces), 0.501)
        self.assertEqual(block.accessors[block.meshes[0].primitives[0].attributes.POSITION].count, len(points))
        image = mesh.visual.material.baseColorTexture
        self.assertEqual(image.size, self.height.shape[::-1])

    def test_pictures_lie_on_meshes_to_the_pixel_and_end_at_their_edges(self):
        """A sample is the middle of its pixel: UV times the picture's size ends in .5 at every corner."""
        rows, columns = self.height.shape
        block = pygltflib.GLTF2().load(str(self.path("mesh_glb")))
        clamp = pygltflib.CLAMP_TO_EDGE
        self.assertEqual((block.samplers[0].wrapS, block.samplers[0].wrapT), (clamp, clamp))
        glb = trimesh.load(self.path("mesh_glb"), process=False, force="mesh")
        obj = trimesh.load(self.path("mesh_obj"), process=False, force="mesh")
        for mesh, north in ((glb, -glb.vertices[:, 2]), (obj, obj.vertices[:, 1])):
            at = mesh.visual.uv * (columns, rows) - 0.5
            wanted = np.stack([mesh.vertices[:, 0], north], -1) / self.dx
            np.testing.assert_allclose(at, wanted, atol=2e-3)

    def test_gltf_has_the_lands_normals(self):
        block = pygltflib.GLTF2().load(str(self.path("mesh_glb")))
        attributes, found = block.meshes[0].primitives[0].attributes, []
        for number in (attributes.POSITION, attributes.NORMAL):
            a = block.accessors[number]
            start = block.bufferViews[a.bufferView].byteOffset
            found.append(np.frombuffer(block.binary_blob(), "<f4", a.count * 3, start).reshape(-1, 3))
        points, normals = found
        south, east = np.gradient(self.height.astype(float), self.dx)
        rows = np.rint(len(self.height) - 1 + points[:, 2] / self.dx).astype(int)
        columns = np.rint(points[:, 0] / self.dx).astype(int)
        wanted = np.stack([-east, np.ones_like(east), -south], -1)[rows, columns]  # Y up, Z to the south
        wanted /= np.linalg.norm(wanted, axis=1)[:, None]
        np.testing.assert_allclose(normals, wanted, atol=1e-5)

    def test_obj_ply_and_stl(self):
        for name in ("mesh_obj", "mesh_ply", "mesh_stl"):
            mesh = meshio.read(self.path(name))
            faces = mesh.cells_dict["triangle"]
            self.assertEqual(len(faces), self.items[name].facts["levels"][0]["triangles"])
            self.assertLessEqual(self.off(mesh.points, faces), 0.501)
        text = self.path("mesh_obj").read_text()
        self.assertIn("mtllib high_test_mesh_obj.mtl", text)
        self.assertIn("map_Kd high_test_mesh_obj_colour.png", self.path("mesh_obj").with_suffix(".mtl").read_text())
        textured = trimesh.load(self.path("mesh_obj"), process=False, force="mesh")
        self.assertEqual(textured.visual.material.image.size, self.height.shape[::-1])

    def test_levels_of_detail_are_files_with_their_own_errors(self):
        facts = self.items["Far"].facts
        self.assertEqual(facts["file"], "high_test_far_lod0.glb")
        self.assertEqual([b["file"] for b in facts["beside"]], ["high_test_far_lod1.glb", "high_test_far_lod2.glb"])
        errors = [level["height_error_m"] for level in facts["levels"]]
        self.assertTrue(errors[0] <= 2.01 and errors[0] < errors[1] <= 4.01 and errors[1] < errors[2] <= 8.01)
        counts = [level["triangles"] for level in facts["levels"]]
        self.assertEqual(counts, sorted(counts, reverse=True))

    def test_meshes_of_tiles_meet_without_gaps(self):
        edges = {}
        for f, path in self.tiles("mesh_ply"):
            points = meshio.read(path).points
            left, top = f["first_sample"]
            x = (left + 128) * self.dx
            inside = points[np.abs(points[:, 0] - x) < 1e-3]
            edges.setdefault((left + 128, top), []).append({tuple(np.round(p, 3)) for p in inside})
            inside = points[np.abs(points[:, 0] - left * self.dx) < 1e-3]
            edges.setdefault((left, top), []).append({tuple(np.round(p, 3)) for p in inside})
        shared = [pair for pair in edges.values() if len(pair) == 2]
        self.assertEqual(len(shared), 2)
        for a, b in shared:
            self.assertEqual(a, b)

    def test_contour_lines_lie_at_their_heights(self):
        info = pyogrio.read_info(self.path("contours_gpkg"))
        self.assertEqual(
            (info["features"], info["geometry_type"]), (self.items["contours_gpkg"].facts["lines"], "LineString")
        )
        _, _, shapes, (heights,) = pyogrio.raw.read(self.path("contours_gpkg"))
        self.assertEqual(set(np.unique(heights) % 10), {0.0})
        rows = self.height.shape[0]
        for wkb, height in list(zip(shapes, heights))[::7]:
            xy = np.frombuffer(wkb, "<f8", offset=9).reshape(-1, 2)
            r, c = rows - 1 - xy[:, 1] / self.dx, xy[:, 0] / self.dx
            r0, c0 = np.minimum(r.astype(int), rows - 2), np.minimum(c.astype(int), self.height.shape[1] - 2)
            around = np.stack([self.height[r0 + a, c0 + b] for a in (0, 1) for b in (0, 1)])
            self.assertTrue(((around.min(0) <= height + 1e-3) & (around.max(0) >= height - 1e-3)).all())
        self.assertEqual(self.path("contours_svg").read_text().count("<polyline"), len(heights))

    def test_points_stand_on_the_land_where_the_mask_is(self):
        with self.path("points_csv").open() as file:
            rows = list(csv.DictReader(file))
        table = np.array([[float(v) for v in row.values()] for row in rows])
        flow = result(self.recipe, self.rain, 4)["flow"]  # the detail at which masks are asked
        at = (1500 - table[:, 1]) / 1500 * (flow.shape[0] - 1), table[:, 0] / 2000 * (flow.shape[1] - 1)
        found = flow[np.rint(at[0]).astype(int), np.rint(at[1]).astype(int)]
        self.assertGreater(found.mean(), 1.5 * flow.mean())
        self.assertAlmostEqual(len(table) / (300 * flow.mean() * 300), 1, delta=0.1)
        nearest = cKDTree(table[:, :2]).query(table[:, :2], 2)[0][:, 1]
        self.assertGreaterEqual(nearest.min(), 3 - 0.002)
        r, c = (1500 - table[:, 1]) / self.dx, table[:, 0] / self.dx
        self.assertLess(np.abs(self.height[np.rint(r).astype(int), np.rint(c).astype(int)] - table[:, 2]).mean(), 3)
        self.assertTrue(((table[:, 5] >= 0.7) & (table[:, 5] <= 1.3)).all())
        points = pyogrio.raw.read(self.path("points_gpkg"))
        self.assertEqual(len(points[2]), len(table))
        self.assert_stand_as(table)

    def assert_stand_as(self, table):
        """In glTF as instances, and as nodes, at the places of a table of points."""
        block = pygltflib.GLTF2().load(str(self.path("points_glb")))
        self.assertEqual(block.extensionsRequired, ["EXT_mesh_gpu_instancing"])
        attributes = block.nodes[0].extensions["EXT_mesh_gpu_instancing"]["attributes"]
        found = {}
        for name, number in attributes.items():
            a = block.accessors[number]
            start, width = block.bufferViews[a.bufferView].byteOffset, {"VEC3": 3, "VEC4": 4}[a.type]
            found[name] = np.frombuffer(block.binary_blob(), "<f4", a.count * width, start).reshape(-1, width)
        east, height, south = found["TRANSLATION"].T
        np.testing.assert_allclose(np.stack([east, -south, height], -1), table[:, :3], atol=1e-3)
        np.testing.assert_allclose(found["SCALE"], np.repeat(table[:, 5:], 3, 1), atol=1e-3)
        turned = Rotation.from_quat(found["ROTATION"]).apply((0, 0, -1))  # what looked north
        angle = np.degrees(np.arctan2(turned[:, 0], -turned[:, 2])) % 360
        off = np.abs((angle - table[:, 4] + 180) % 360 - 180)
        self.assertLess(off.max(), 0.06)
        scene = trimesh.load(self.path("As nodes"))
        self.assertEqual(len(scene.graph.nodes_geometry), len(table))

    def test_points_are_the_same_in_tiles_and_at_every_detail(self):
        def read(path):
            lines = path.read_text().splitlines()[1:]
            return {tuple(line.split(",")[:2]) + tuple(line.split(",")[4:]) for line in lines}

        whole = read(self.path("points_csv"))
        tiles = [read(path) for _, path in self.tiles("points_csv")]
        self.assertEqual(sum(map(len, tiles)), len(whole))
        self.assertEqual(set().union(*tiles), whole)
        with tempfile.TemporaryDirectory() as folder:
            order = next(d for d in self.recipe.deliverables if d.name == "points_csv")
            (item,) = B.build(replace(self.recipe, deliverables=(order,)), 3, Path(folder), Evaluator())
            self.assertEqual(read(Path(folder) / item.facts["file"]), whole)

    def test_what_there_is_no_room_for_is_told(self):
        order = next(d for d in self.recipe.deliverables if d.name == "points_csv")
        bare = replace(order, options=(), more=())
        crowd = replace(order, options=(("density", 5000), ("least", 3)))
        many = Deliverable("Lines", self.rain, "height", "contours_svg", (("step", 0.1),))
        with tempfile.TemporaryDirectory() as folder:
            for d, why in ((bare, "needs an output for height"), (crowd, "room for 677"), (many, "larger step")):
                (item,) = B.build(replace(self.recipe, deliverables=(d,)), 1, Path(folder), Evaluator())
                self.assertEqual(item.state, B.FAILED)
                self.assertIn(why, item.note)

    def test_the_manifest_tells_of_each(self):
        block = json.loads((self.folder / "high_test_manifest.json").read_text())
        facts = {f["name"]: f for f in block["files"]}
        self.assertEqual(facts["mesh_glb"]["channels"], {"colour": f"{self.ramp}.colour"})
        self.assertEqual(facts["mesh_stl"]["meaning"]["up"], "Z")
        self.assertGreater(facts["points_csv"]["points"], 100)


if __name__ == "__main__":
    unittest.main()
