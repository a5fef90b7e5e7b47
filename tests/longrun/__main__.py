"""Runs all of it and prints the figures that docs/measured.md has.

python -m longrun [mutate] [kills] [deliveries] [flips] [edits] [--share S]: S scales all counts and minutes, 1 for the
whole hour."""

import argparse
import os
import sys
import tempfile
import time
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ["GELANDE_STATE"] = tempfile.mkdtemp()
sys.path.insert(0, str(Path(__file__).parents[1]))


def main() -> int:
    parser = argparse.ArgumentParser()
    parser.add_argument("parts", nargs="*", default=[])
    parser.add_argument("--share", type=float, default=1.0)
    parser.add_argument("--seed", type=int, default=1)
    args = parser.parse_args()
    parts, bad = args.parts or ["kills", "deliveries", "flips", "mutate", "edits"], 0

    def tell(name, began, figures):
        nonlocal bad
        faults = figures.pop("faults")
        print(f"\n{name}, {time.perf_counter() - began:.0f} s")
        for key, value in figures.items():
            print(f"  {key}: {value}")
        print(f"  faults: {len(faults)}")
        for fault in faults[:12]:
            print(f"    {fault[:1500]}")
        bad += len(faults)
        sys.stdout.flush()

    for part in parts:
        began = time.perf_counter()
        if part == "kills":
            from longrun.kills import kill_all

            tell("Kills", began, kill_all(max(4, round(200 * args.share))))
        elif part == "deliveries":
            from longrun.deliveries import receive_all

            tell("Hostile deliveries", began, receive_all(max(40, round(2000 * args.share)), args.seed))
        elif part == "flips":
            from longrun.flips import flip_all, visit

            tell("Flipped bits", began, flip_all(max(400, round(12_000 * args.share)), args.seed))
            began = time.perf_counter()
            tell("Another user", began, visit())
        elif part == "mutate":
            from longrun.mutate import load_all, open_all

            figures, good = load_all(max(80, round(100_000 * args.share)), max(16, round(1000 * args.share)))
            tell("Mutated recipes through the loader", began, figures)
            began = time.perf_counter()
            with tempfile.TemporaryDirectory() as folder:
                tell("Mutated recipes in the window", began, open_all(good, Path(folder)))
        elif part == "edits":
            from longrun.edits import edit_all

            tell("Random edits", began, edit_all(30.0 * args.share, args.seed))
    return 1 if bad else 0


if __name__ == "__main__":
    sys.exit(main())
