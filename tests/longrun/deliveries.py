"""Hostile deliveries: what a stranger's folder may hold, handed to ``gelande receive``. Nothing but a land or one
sentence may come of it, in time, and no server is spoken to."""

import contextlib
import json
import os
import random
import shutil
import signal
import socket
import sys
import tempfile
import time
from collections.abc import Iterator
from hashlib import sha256
from pathlib import Path
from unittest import mock

sys.path.insert(0, str(Path(__file__).parents[1]))

from test_receive import land  # noqa: E402

from gelande.core.errors import GelandeError  # noqa: E402
from gelande.core.evaluate.executor import Evaluator  # noqa: E402
from gelande.deliver import build as B  # noqa: E402
from gelande.receive import receive  # noqa: E402

#: Seconds that one delivery may take.
PATIENCE = 20
_VRT = (
    b'<VRTDataset rasterXSize="129" rasterYSize="97"><VRTRasterBand dataType="Byte" band="1"><SimpleSource>'
    b'<SourceFilename relativeToVRT="0">/vsicurl/http://127.0.0.1:%d/x.tif</SourceFilename></SimpleSource>'
    b"</VRTRasterBand></VRTDataset>"
)
_OGR = (
    b'<OGRVRTDataSource><OGRVRTLayer name="a"><SrcDataSource>/vsicurl/http://127.0.0.1:%d/x.csv</SrcDataSource>'
    b"</OGRVRTLayer></OGRVRTDataSource>"
)
_ODD = (
    *(None, True, -1, 0, 1e308, 10**30, "", "x" * 3000, "a\0b", [], {}, [[[]]], [1] * 50, "~root", "..", {"a": [1]}),
    *("../../etc/passwd", "/vsicurl?http://127.0.0.1:9/x", "/vsizip/x", float(10**18)),
)


class Stranger:
    """Spoils deliveries. base: a sound one; port: of a server on this machine that nobody should speak to."""

    def __init__(self, base: Path, seed: int, port: int):
        self.base, self.draw, self.port = base, random.Random(seed), port
        self.manifest = next(base.glob("*_manifest.json"))

    def spoil(self, folder: Path) -> str:
        """Fills a folder with a delivery that is not as it should be. Returns what was done."""
        block = json.loads(self.manifest.read_text())
        for path in self.base.iterdir():
            if path.is_file() and path != self.manifest:
                shutil.copy(path, folder / path.name)
        way = self.draw.choice(
            [self._manifest, self._bytes, self._cut, self._other, self._no_file, self._name, self._size]
        )
        way(folder, block, self.draw.choice(block["files"]))
        text = json.dumps(block)
        if self.draw.random() < 0.06:
            text = self.draw.choice(
                ["[" * 200_000, '{"a":' * 5000, text[: len(text) // 2], "null", "{}", "1" * 100_000]
            )
        (folder / self.manifest.name).write_text(text, errors="replace")
        return way.__name__

    def _manifest(self, folder, block, facts):
        for _ in range(self.draw.randint(1, 4)):
            at = block
            while isinstance(at, (dict, list)) and at:
                key = self.draw.choice(list(at) if isinstance(at, dict) else range(len(at)))
                if self.draw.random() < 0.35 or not isinstance(at[key], (dict, list)):
                    at[key] = self.draw.choice(_ODD)
                    break
                at = at[key]

    def _write(self, folder, facts, data):
        (folder / facts["file"]).write_bytes(data)
        facts["sha256"] = sha256(data).hexdigest()

    def _bytes(self, folder, block, facts):
        data = bytearray((folder / facts["file"]).read_bytes())
        for _ in range(self.draw.randint(1, 30)):
            data[self.draw.randrange(min(len(data), self.draw.choice([200, len(data)])))] = self.draw.randrange(256)
        self._write(folder, facts, bytes(data))

    def _cut(self, folder, block, facts):
        data = (folder / facts["file"]).read_bytes()
        self._write(folder, facts, data[: self.draw.randrange(len(data))])

    def _other(self, folder, block, facts):
        data = (folder / facts["file"]).read_bytes()
        whole = [
            _VRT % self.port,
            _OGR % self.port,
            b"",
            b"\x89PNG\r\n\x1a\n",
            b"[" * 200_000,
            b"PK\3\4" + data,
            data * 2,
        ]
        self._write(folder, facts, self.draw.choice(whole))

    def _no_file(self, folder, block, facts):
        path = folder / facts["file"]
        path.unlink()
        links = [os.mkfifo, Path.mkdir, *(lambda p, to=to: os.symlink(to, p) for to in ("/dev/zero", "/etc/passwd"))]
        self.draw.choice(links)(path)

    def _name(self, folder, block, facts):
        facts["file"] = self.draw.choice(["../../etc/passwd", "/etc/passwd", "..", "a\0b", ".", "x" * 300, ""])

    def _size(self, folder, block, facts):
        facts["samples"] = self.draw.choice([[129, 97], [10**9, 10**9], [1, 1], [2, 2], [128, 97], [], ["a", "b"]])
        block["samples"] = self.draw.choice([block["samples"], [65_536, 65_536], [129, 2], [1, 1]])


@contextlib.contextmanager
def in_time(seconds: int) -> Iterator[None]:
    """Raises TimeoutError when what is done inside takes longer."""

    def late(*_):
        raise TimeoutError("it takes too long")

    before = signal.signal(signal.SIGALRM, late)
    signal.alarm(seconds)
    try:
        yield
    finally:
        signal.alarm(0)
        signal.signal(signal.SIGALRM, before)


def receive_all(count: int, seed: int = 1) -> dict:
    """Hands so many hostile deliveries to receive(). Returns figures and faults."""
    recipe, _ = land()
    ended, faults, slowest = {"land": 0, "one sentence": 0}, [], 0.0
    with tempfile.TemporaryDirectory() as home, socket.create_server(("127.0.0.1", 0)) as server:
        server.setblocking(False)
        with mock.patch("gelande.deliver.sitepage.ACROSS", 400):  # no printer will see these pages
            B.build(recipe, 1, Path(home), Evaluator())
        stranger = Stranger(Path(home), seed, server.getsockname()[1])
        for _ in range(count):
            with tempfile.TemporaryDirectory() as folder:
                way, began = stranger.spoil(Path(folder)), time.perf_counter()
                try:
                    with in_time(PATIENCE):
                        receive(Path(folder))
                    ended["land"] += 1
                except GelandeError:
                    ended["one sentence"] += 1
                except BaseException as error:
                    faults.append(f"{way}: {type(error).__name__}: {error}")
                slowest = max(slowest, time.perf_counter() - began)
                with contextlib.suppress(BlockingIOError):
                    server.accept()
                    faults.append(f"{way}: a server was spoken to")
    return {"deliveries": count, "ended as": ended, "longest": f"{slowest:.1f} s", "faults": faults}
