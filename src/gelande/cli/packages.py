"""The command line of nodes from other packages: which there are, and whether they keep the rules."""

from __future__ import annotations

import argparse
import sys
from importlib.metadata import entry_points

from .telling import BAD_INPUT, DONE, FAILED, json_word, told


def check_words(sub: argparse._SubParsersAction) -> None:
    """The words of check-nodes."""
    check = sub.add_parser(
        "check-nodes",
        help="check the nodes of a package against the rules",
        description="Checks that the nodes of an installed package are the same at every detail, every time and in "
        "regions, finite, stoppable and told well.",
    )
    check.add_argument("package", help="the package's name, or one of its nodes, as screes.creep")
    json_word(check)


def other_packages() -> bool:
    """True when any installed package brings nodes; nothing of them is imported."""
    return bool(entry_points(group="gelande.nodes"))


def check_nodes(args: argparse.Namespace) -> int:
    """Checks a package's nodes, and tells rule by rule."""
    from gelande import api
    from gelande.checking import check

    known = {one.name: one for one in api.packages()}
    name, dot, _ = args.package.replace("-", "_").casefold().partition(".")
    if name not in known:
        there = f"; there are: {', '.join(known)}" if known else "; no package brings any"
        print(f"gelande: no package called {name} brings nodes{there}.", file=sys.stderr)
        return BAD_INPUT
    if known[name].error:
        return FAILED  # why was told as it was loaded
    kinds = tuple(k for k in known[name].kinds if not dot or k == args.package.casefold())
    if not kinds:
        print(f"gelande: {name} has no node called {args.package}{api.nearest(args.package, known[name].kinds)}.",
              file=sys.stderr)  # fmt: skip
        return BAD_INPUT
    found = []
    for one in check(kinds):
        found.append(one)
        if not args.json:
            print(f"{'kept  ' if not one.fault else 'broken'}  {one.kind} {one.rule}", flush=True)
            if one.fault:
                print("        " + one.fault.replace("\n", "\n        "))
    if args.json:
        told([one._asdict() for one in found])
    return FAILED if any(one.fault for one in found) else DONE
