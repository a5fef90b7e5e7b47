"""Deliveries by workers: the same bytes, whoever builds them and whoever is lost on the way."""

import hashlib
import json
import os
import shutil
import signal
import tempfile
import unittest
import urllib.error
import urllib.request
from dataclasses import replace
from pathlib import Path
from unittest import mock

from support import chain, linked

from gelande.core.errors import DeliveryError
from gelande.core.evaluate.executor import Evaluator, Stop
from gelande.core.evaluate.plan import RAW
from gelande.core.evaluate.shared import Shared
from gelande.core.recipe.deliverables import Deliverable, Delivery
from gelande.core.recipe.recipefile import dumps, loads
from gelande.core.recipe.site import Site
from gelande.deliver import build as B
from gelande.deliver import workers
from gelande.deliver.build import begun
from gelande.deliver.farm import Farm, Variant
from gelande.deliver.strips import block_rows
from gelande.deliver.workers import cluster

#: 257 samples, computed at once; 513, which can be computed in strips.
LEVEL, FINE = 3, 4


def land(seed=0, **more):
    recipe, (_, rain) = chain("massif", "rain_erosion", site=Site("Farmed", 1000, 1000, base=32))
    recipe, ramp = linked(recipe, "colour_ramp", rain, "height")
    orders = [("Height", rain, "height", "height_png16"), ("Ground", ramp, "colour", "colour_png8")]
    recipe = replace(recipe, seed=seed, deliverables=tuple(Deliverable(*o) for o in orders), delivery=Delivery(**more))
    return loads(dumps(recipe))


def sums(folder: Path) -> dict[str, str]:
    return {p.name: hashlib.sha256(p.read_bytes()).hexdigest() for p in folder.iterdir() if p.is_file()}


class FarmTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.context = cluster(workers=2)
        cls.client = cls.context.__enter__()

    @classmethod
    def tearDownClass(cls):
        cls.context.__exit__(None, None, None)

    def setUp(self):
        temporary = tempfile.TemporaryDirectory()
        self.addCleanup(temporary.cleanup)
        self.folder = Path(temporary.name)

    def variants(self, count, **more):
        return [Variant(land(seed, **more), self.folder / f"seed {seed}") for seed in range(count)]

    def same_as_here(self, variants, level=LEVEL):
        for v in variants:
            B.build(v.recipe, level, self.folder / "here", Evaluator())
            self.assertEqual(sums(v.folder), sums(self.folder / "here"))
            self.assertEqual([p.name for p in v.folder.iterdir() if p.is_dir()], [])
            for path in (self.folder / "here").iterdir():
                path.unlink()

    def test_variants_and_tiles_are_the_same_bytes(self):
        said: set[str] = set()
        for tile, level, how, units in (
            (0, LEVEL, {}, 2),
            (129, LEVEL, {}, 2),
            (257, FINE, {"whole": 1}, 2 * (1 + 1 + 2)),  # whole levels, blocks of rain erosion, rows of tiles
            (0, FINE, {"whole": 1}, 2),
        ):
            variants, seen = self.variants(2, tile=tile), []
            found = Farm(self.client, Stop(), seen.append, **how).deliver(variants, level)
            self.assertEqual({i.state for items in found for i in items}, {B.DONE})
            self.assertEqual((seen[-1].done, seen[-1].total), (units, units))
            self.assertEqual(seen[-1].link, "", "workers of this machine have no page")
            said |= {what for p in seen for what in p.at.values()}
            self.same_as_here(variants, level)
            shutil.rmtree(self.folder)
        for part in ("seed 0", "whole levels", "Rain erosion, rows from", "tiles in row"):
            self.assertTrue(any(part in what for what in said), said)

    def test_what_rows_share_is_computed_once(self):
        (v,) = self.variants(1, tile=257)
        shared, stop, level, whole = Shared(self.folder / "shared"), Stop(), 5, 513 * 513
        strips = begun(v.recipe, level, v.folder, Evaluator(), shared, stop, whole=whole)
        strips.publish(shared)
        there = sorted(p.name for p in shared.folder.iterdir())
        self.assertTrue(any("-4-raw" in name for name in there), "what rain left at 513 samples")
        (rain,) = {node for node, _, _ in block_rows(v.recipe, list(v.recipe.nodes), level)}
        self.enterContext(mock.patch.dict("gelande.kernels.local_erosion.TILE", {1025: (512, 512)}))
        rows = [row[1:] for row in block_rows(v.recipe, [rain], level)]
        self.assertEqual(rows, [(0, 512), (512, 1025)])
        strips.publish_blocks(shared, rain, 0, 512)
        self.assertEqual(len(list(shared.folder.iterdir())), len(there) + 2)
        made: set[tuple] = set()
        count = lambda self, job, unit, own, weight: made.add((unit.level, unit.node, unit.stage))
        with mock.patch.object(Evaluator, "_count", count):
            items = B.build(v.recipe, level, v.folder, Evaluator(), rows=[0], whole=whole, shared=shared)
        self.assertEqual({i.state for i in items}, {B.DONE})
        # but for the ends of its counts, which are found at 129 samples
        found = {of for of in made if of[0] > 1}
        finished = {(level, "colour_ramp_1", RAW), (level, rain, RAW)}  # a row of rain is finished from shared blocks
        self.assertEqual(found, finished, "nothing that is shared is computed again")
        (shared.folder / there[0]).write_bytes(b"damaged")
        self.assertIsNone(shared.get(tuple(there[0].removesuffix(".npz").rsplit("-", 2))))

    def test_a_worker_that_is_killed_costs_only_what_it_was_at(self):
        pids = self.client.run(os.getpid)
        killed, variants = [], self.variants(3, tile=129)

        def tell(progress):
            if progress.done and not killed:
                killed.append(next(iter(pids.values())))
                os.kill(killed[0], signal.SIGKILL)

        found = Farm(self.client, Stop(), tell, whole=1).deliver(variants, FINE)
        self.assertTrue(killed)
        self.assertEqual({i.state for items in found for i in items}, {B.DONE})
        self.same_as_here(variants, FINE)
        left = [p for v in variants for p in v.folder.iterdir() if p.is_dir()]
        self.assertEqual(left, [], "what it had begun is swept away")

    def test_a_stop_is_seen_and_what_was_done_stays(self):
        stop, variants = Stop(), self.variants(3, tile=129)
        found = Farm(self.client, stop, lambda p: stop.set() if p.done > 8 else None, whole=1).deliver(variants, FINE)
        self.assertIn(B.STOPPED, {i.state for items in found for i in items})
        for v, items in zip(variants, found):  # which of them was how far is a matter of speed
            tiles = [p.name for p in v.folder.glob("*.png")]
            blocks = [json.loads(p.read_text()) for p in v.folder.glob("*_manifest.json")]
            self.assertEqual([b["complete"] for b in blocks], [{i.state for i in items} == {B.DONE}] * bool(tiles))
            noted = sorted(f["file"] for b in blocks for f in b["files"])
            self.assertEqual(noted, sorted(tiles))
        again = Farm(self.client, Stop(), whole=1).deliver(variants, FINE)
        self.assertGreater(sum(i.kept for items in again for i in items), 0)
        self.same_as_here(variants, FINE)

    def test_a_file_that_fails_is_told(self):
        recipe = land()
        lonely = replace(recipe.deliverables[0], name="Odd", format="mask_png8")
        v = Variant(replace(recipe, deliverables=(*recipe.deliverables, lonely)), self.folder / "odd")
        (items,) = Farm(self.client, Stop()).deliver([v], LEVEL)
        self.assertEqual([i.state for i in items], [B.DONE, B.DONE, B.FAILED])
        self.assertIn("choose another format", items[2].note)

    def test_nobody_else_gets_in(self):
        from distributed import Client
        from distributed.security import Security

        address = self.client.scheduler_info()["address"]
        self.assertTrue(address.startswith("tls://127.0.0.1:"))
        for where, security in ((address.replace("tls", "tcp"), None), (address, Security.temporary())):
            with self.assertRaises(OSError), Client(where, timeout=5, security=security) as client:
                client.submit(os.getuid).result(5)
        page = self.client.dashboard_link
        for path in ("/status", "/info/main/workers.html", "/json/counts.json", "/metrics", "/api/v1/get_workers"):
            with self.assertRaisesRegex(urllib.error.HTTPError, "404"):
                urllib.request.urlopen(page.removesuffix("/status") + path, timeout=5)

    def test_workers_of_another_version_or_another_folder_are_refused(self):
        other = mock.patch.object(workers, "program_digest", return_value="other")
        with other, self.assertRaisesRegex(DeliveryError, "another version of Gelande"):
            Farm(self.client, Stop()).deliver(self.variants(1), LEVEL)
        with self.assertRaisesRegex(DeliveryError, "does not see"):
            workers.check(self.client, self.folder / "nowhere" / "probe")


class ClusterTest(unittest.TestCase):
    def test_a_scheduler_without_tls_is_warned_of(self):
        self.assertEqual([workers.warning(a) for a in ("", "tls://first:8786")], ["", ""])
        self.assertIn("anybody who reaches it", workers.warning("tcp://first:8786"))
        self.assertIn("anybody on this machine", workers.warning("tcp://127.0.0.1:8786"))

    def test_certificates_that_are_not_there_are_told(self):
        given = workers.Certificates.within(Path("/nowhere"))
        with self.assertRaisesRegex(DeliveryError, "certificate /nowhere/ca.pem is not there"):
            self.enterContext(cluster(0, "tls://127.0.0.1:9", given))

    def test_a_scheduler_that_is_not_there_is_told(self):
        with self.assertRaisesRegex(DeliveryError, "No scheduler answers at tcp://127.0.0.1:9"):
            self.enterContext(mock.patch("distributed.Client", side_effect=OSError))
            self.enterContext(cluster(scheduler="tcp://127.0.0.1:9"))

    def test_without_dask_it_says_how_to_get_it(self):
        self.enterContext(mock.patch.dict("sys.modules", {"distributed": None}))
        with self.assertRaisesRegex(DeliveryError, r"pip install gelande\[farm\]"):
            self.enterContext(cluster(workers=2))


if __name__ == "__main__":
    unittest.main()
