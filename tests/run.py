"""Runs the tests by module, prints the time of each and one closing line. --fast: without those that are marked as
slow."""

import sys
import time
import unittest
from pathlib import Path

HERE = Path(__file__).parent
sys.path.insert(0, str(HERE.parent / "src"))
sys.path.insert(0, str(HERE))


def quick(suite) -> unittest.TestSuite:
    """The tests of a suite that are not marked with support.slow."""
    kept = unittest.TestSuite()
    for test in suite:
        if isinstance(test, unittest.TestSuite):
            kept.addTest(quick(test))
        elif not (getattr(test, "slow", False) or getattr(getattr(test, test._testMethodName, None), "slow", False)):
            kept.addTest(test)
    return kept


def main() -> int:
    fast = "--fast" in sys.argv
    names = [n for n in sys.argv[1:] if n != "--fast"] or sorted(p.stem for p in HERE.glob("test_*.py"))
    ran = failed = skipped = 0
    start = time.perf_counter()
    for name in names:
        began = time.perf_counter()
        suite = unittest.defaultTestLoader.loadTestsFromName(name.removesuffix(".py"))
        result = unittest.TextTestRunner(verbosity=1, stream=sys.stdout).run(quick(suite) if fast else suite)
        bad = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
        ran, failed, skipped = ran + result.testsRun, failed + bad, skipped + len(result.skipped)
        print(f"{name}: {result.testsRun} tests, {bad} failed, {time.perf_counter() - began:.1f} s", flush=True)
    print(
        f"{ran - failed - skipped} passed, {failed} failed"
        + (f", {skipped} skipped" if skipped else "")
        + f", {time.perf_counter() - start:.0f} s"
    )
    return 1 if failed or not ran else 0


if __name__ == "__main__":
    sys.exit(main())
