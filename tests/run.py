"""Runs the tests by module, prints the time of each and one closing line."""

import sys
import time
import unittest
from pathlib import Path

HERE = Path(__file__).parent
sys.path.insert(0, str(HERE.parent / "src"))
sys.path.insert(0, str(HERE))


def main() -> int:
    names = sys.argv[1:] or sorted(p.stem for p in HERE.glob("test_*.py"))
    ran = failed = skipped = 0
    for name in names:
        began = time.perf_counter()
        suite = unittest.defaultTestLoader.loadTestsFromName(name.removesuffix(".py"))
        result = unittest.TextTestRunner(verbosity=1, stream=sys.stdout).run(suite)
        bad = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
        ran, failed, skipped = ran + result.testsRun, failed + bad, skipped + len(result.skipped)
        print(f"{name}: {result.testsRun} tests, {bad} failed, {time.perf_counter() - began:.1f} s", flush=True)
    print(f"{ran - failed - skipped} passed, {failed} failed" + (f", {skipped} skipped" if skipped else ""))
    return 1 if failed or not ran else 0


if __name__ == "__main__":
    sys.exit(main())
