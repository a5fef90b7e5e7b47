"""Runs the tests by module in three processes, prints the time of each, the dearest tests and one closing line.

--fast: without those that are marked as slow. --one: in this process, one module after the other; --first: until one
fails. --kind KIND: only tests that take the kinds of nodes one by one, for one of them."""

import json
import os
import queue
import signal
import subprocess
import sys
import tempfile
import threading
import time
import unittest
from pathlib import Path

HERE = Path(__file__).parent
sys.path.insert(0, str(HERE.parent / "src"))
sys.path.insert(0, str(HERE))
#: Modules that take longest; they begin first, so that all processes end at about the same time.
LONG = (
    *("test_variants", "test_plan", "test_nodes", "test_window", "test_floor_window", "test_weather", "test_view"),
    *("test_farm", "test_api", "test_receive", "test_guiding", "test_near", "test_mask_jobs", "test_rolling"),
)
#: Processes at once: more than cores, since tests of the window wait now and then.
PROCESSES = 3
#: Seconds after which a module hangs, and is ended: many times what the longest takes on a busy machine.
PATIENCE = 1500
#: How many of the dearest tests are told at the end.
SHOWN = 60
#: What a worker prints before the figures of a module.
MARK = "\x1e"


#: Modules with tests of every kind of node.
OF_KINDS = ("test_nodes", "test_plan", "test_golden", "test_rolling")


def marked(test, mark: str) -> bool:
    """True when a test, or its class, is marked by a decorator of support.py."""
    return getattr(test, mark, False) or getattr(getattr(test, test._testMethodName, None), mark, False)


def chosen(suite, fast: bool) -> unittest.TestSuite:
    """The tests of a suite that are to run."""
    kept = unittest.TestSuite()
    for test in suite:
        if isinstance(test, unittest.TestSuite):
            kept.addTest(chosen(test, fast))
        elif not (fast and marked(test, "slow")) and ("GELANDE_KIND" not in os.environ or marked(test, "of_kinds")):
            kept.addTest(test)
    return kept


def cpu() -> float:
    """Seconds of CPU that this process and what it started have used so far."""
    at = os.times()
    return at.user + at.system + at.children_user + at.children_system


class Timed(unittest.TextTestResult):
    """Notes the CPU that each test used: on a busy machine the clock tells more of its neighbours."""

    def __init__(self, *args, **more):
        super().__init__(*args, **more)
        self.times: list[tuple[float, str]] = []

    def startTest(self, test):
        super().startTest(test)
        self._began = cpu()

    def stopTest(self, test):
        self.times.append((cpu() - self._began, test.id()))
        super().stopTest(test)


def run(name: str, fast: bool) -> tuple[int, int, int, list]:
    """(tests that ran, failed, were skipped, seconds of each) of one module; prints what they print."""
    began, worked = time.perf_counter(), cpu()
    suite = unittest.defaultTestLoader.loadTestsFromName(name)
    first = "--first" in sys.argv
    runner = unittest.TextTestRunner(verbosity=1, stream=sys.stdout, resultclass=Timed, failfast=first)
    result = runner.run(chosen(suite, fast))
    bad = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    took = f"{time.perf_counter() - began:.1f} s, {cpu() - worked:.1f} s of CPU"
    print(f"{name}: {result.testsRun} tests, {bad} failed, {took}", flush=True)
    return result.testsRun, bad, len(result.skipped), result.times


def work(fast: bool) -> int:
    """Runs the modules whose names come in, and prints the figures of each behind a mark."""
    for line in sys.stdin:
        print(MARK + json.dumps(run(line.strip(), fast)), flush=True)
    return 0


def drive(names: queue.Queue, fast: bool, found: list) -> None:
    """Hands modules to a process of its own until none is left; a process that dies failed its module."""
    process = None
    while True:
        try:
            name = names.get_nowait()
        except queue.Empty:
            break
        if process is None:
            own = {**os.environ, "GELANDE_STATE": tempfile.mkdtemp(dir=os.environ.get("GELANDE_STATE"))}
            command = [sys.executable, "-X", "faulthandler", __file__, "--work", *(["--fast"] if fast else [])]
            process = subprocess.Popen(
                command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True, env=own
            )
        process.stdin.write(name + "\n")
        process.stdin.flush()
        said, patience = [], threading.Timer(PATIENCE, process.send_signal, (signal.SIGABRT,))  # it tells where it is
        patience.start()
        for line in process.stdout:
            if line.startswith(MARK):
                found.append(json.loads(line[len(MARK) :]))
                break
            said.append(line)
        else:
            hung = f" (it was ended after {PATIENCE} s)" if process.wait() == -signal.SIGABRT else ""
            said.append(f"{name}: the process ended with {process.returncode}{hung}\n")
            found.append((1, 1, 0, []))
            process = None
        patience.cancel()
        sys.stdout.write("".join(said))
        sys.stdout.flush()
    if process is not None:
        process.stdin.close()
        process.wait()


def main() -> int:
    fast = "--fast" in sys.argv
    if "--work" in sys.argv:
        return work(fast)
    if "--kind" in sys.argv:
        at = sys.argv.index("--kind")
        os.environ["GELANDE_KIND"] = (sys.argv[at + 1 : at + 2] or [""])[0]
        sys.argv[at : at + 2] = OF_KINDS
    names = [n.removesuffix(".py") for n in sys.argv[1:] if not n.startswith("--")]
    rank = {name: k for k, name in enumerate(LONG)}
    names = names or sorted((p.stem for p in HERE.glob("test_*.py")), key=lambda n: (rank.get(n, 99), n))
    start, found = time.perf_counter(), []
    if "--one" in sys.argv or len(names) == 1:
        found = []
        for name in names:
            found.append(run(name, fast))
            if "--first" in sys.argv and found[-1][1]:
                break
    else:
        waiting: queue.Queue = queue.Queue()
        for name in names:
            waiting.put(name)
        threads = [threading.Thread(target=drive, args=(waiting, fast, found)) for _ in range(PROCESSES)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
    times = sorted((t for one in found for t in one[3]), reverse=True)
    if len(names) > 1:
        print(
            "dearest, in seconds of CPU: "
            + ", ".join(f"{name.partition('.')[2]} {seconds:.0f}" for seconds, name in times[:SHOWN])
        )
    ran, failed, skipped = (sum(one[k] for one in found) for k in range(3))
    print(
        f"{ran - failed - skipped} passed, {failed} failed"
        + (f", {skipped} skipped" if skipped else "")
        + f", {time.perf_counter() - start:.0f} s"
    )
    return 1 if failed or not ran else 0


if __name__ == "__main__":
    sys.exit(main())
