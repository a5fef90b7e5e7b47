"""Flipped bits of stored results, of which none may be served, and another user who tries to reach local workers."""

import multiprocessing
import os
import random
import tempfile
from pathlib import Path

import numpy as np

from gelande.core.errors import GelandeError
from gelande.core.files import arrays

#: Somebody who owns nothing.
NOBODY = 65534


def flip_all(count: int, seed: int = 4) -> dict:
    """Flips one bit of a stored file so many times. Returns figures and faults."""
    draw, served, faults = random.Random(seed), 0, []
    made = {"height": np.arange(129 * 65, dtype=np.float32).reshape(129, 65), "flow": np.ones((9, 9), np.float32)}
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "kept.npz"
        arrays.write(path, made)
        whole = path.read_bytes()
        for _ in range(count):
            data = bytearray(whole)
            at = draw.choice([draw.randrange(len(data)), draw.randrange(300), -draw.randrange(1, 400)])
            data[at] ^= 1 << draw.randrange(8)
            path.write_bytes(data)
            try:
                found = arrays.read(path)
            except (GelandeError, OSError):
                continue
            except Exception as error:
                faults.append(f"byte {at}: {type(error).__name__}: {error}")
                continue
            served += 1
            if {n: (a.shape, a.tobytes()) for n, a in found.items()} != {
                n: (a.shape, a.tobytes()) for n, a in made.items()
            }:
                faults.append(f"byte {at}: what was served is not what was stored")
    # fields that nobody reads, as the time of a part of the archive, may change
    return {"flips": count, "read as they were stored": served, "faults": faults}


def _visit(address: str, pid: int, answer) -> None:
    """As another user: every way to the workers that is tried. Sends what succeeded."""
    from distributed import Client
    from distributed.security import Security

    os.setgroups([])
    os.setgid(NOBODY)
    os.setuid(NOBODY)
    found = []
    for where, security in ((address.replace("tls", "tcp"), None), (address, None), (address, Security.temporary())):
        try:
            with Client(where, timeout=4, security=security) as client:
                found.append(f"{where}: ran as {client.submit(os.getuid).result(5)}")
        except Exception:
            continue
    for name in ("environ", "mem", "fd"):
        try:
            place = Path(f"/proc/{pid}/{name}")
            list(place.iterdir()) if name == "fd" else place.read_bytes()
            found.append(f"/proc/{pid}/{name} can be read")
        except OSError:
            continue
    answer.send(found)


def visit() -> dict:
    """Lets another user of this machine try to reach the workers of a build. Returns figures and faults."""
    if os.getuid() != 0:
        return {"another user": "not tried: only root can become somebody else", "faults": []}
    from gelande.deliver.workers import cluster

    mine, theirs = multiprocessing.get_context("spawn").Pipe()
    with cluster(workers=1) as client:
        address = client.scheduler_info()["address"]
        other = multiprocessing.get_context("spawn").Process(target=_visit, args=(address, os.getpid(), theirs))
        other.start()
        found = mine.recv() if mine.poll(120) else ["no answer within two minutes"]
        other.join()
    return {"another user": "tried three ways to connect, and to read this program", "faults": found}
