"""Mutants: small faults put into the code one by one, each of which some test should notice.

Draws places from core, deliver, kernels and the window's engine, changes one of them in a copy of the project, runs the
test modules that lie nearest to it, and prints what survived. ``./run-tests --mutants N [--seed S]``.
"""

from __future__ import annotations

import argparse
import ast
import os
import random
import re
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import islice
from pathlib import Path

ROOT = Path(__file__).parents[1]
#: Where mutants are made.
PLACES = ("core", "deliver", "kernels", "app/engine.py")
#: Test modules that are run for a mutant at most, and seconds until one counts as noticed: it hangs.
MODULES, PATIENCE = 5, 420
#: Modules that look at all nodes: they are run for whatever a node may use.
GENERAL = ("test_golden", "test_keys", "test_core")
#: How a module declares a kind of node.
KIND = re.compile(r'@node\(\s*"(\w+)"')
_COMPARED = {ast.Lt: "<=", ast.LtE: "<", ast.Gt: ">=", ast.GtE: ">", ast.Eq: "!=", ast.NotEq: "=="}
_COUNTED = {ast.Add: "-", ast.Sub: "+", ast.Mult: "/", ast.Div: "*"}


@dataclass(frozen=True)
class Mutant:
    """A change of one place. start, end: bytes of the source that ``new`` stands in place of."""

    path: Path
    line: int
    start: int
    end: int
    new: str
    what: str

    def __str__(self) -> str:
        return f"{self.path.relative_to(ROOT)}:{self.line} {self.what}"


def _offsets(text: bytes) -> list[int]:
    found = [0]
    for line in text.split(b"\n"):
        found.append(found[-1] + len(line) + 1)
    return found


def mutants_of(path: Path) -> Iterator[Mutant]:
    """All changes of a file that are made: comparisons and arithmetic turned, numbers moved, conditions dropped or
    negated, calls left out."""
    text = path.read_bytes()
    starts, tree = _offsets(text), ast.parse(text)
    quiet = {id(a) for n in ast.walk(tree) if isinstance(n, (ast.arg, ast.AnnAssign)) for a in ast.walk(n)}

    def place(node) -> tuple[int, int]:
        return starts[node.lineno - 1] + node.col_offset, starts[node.end_lineno - 1] + node.end_col_offset

    def made(node, new: str, what: str, start=None, end=None) -> Mutant:
        first, last = place(node)
        return Mutant(path, node.lineno, first if start is None else start, last if end is None else end, new, what)

    for node in ast.walk(tree):
        if id(node) in quiet:
            continue
        if isinstance(node, ast.Compare) and len(node.ops) == 1 and type(node.ops[0]) in _COMPARED:
            new = _COMPARED[type(node.ops[0])]
            ends = place(node.left)[1], place(node.comparators[0])[0]
            yield made(node, f" {new} ", f"comparison is {new}", *_within(text, ends))
        elif isinstance(node, ast.BinOp) and type(node.op) in _COUNTED:
            if isinstance(node.left, (ast.Constant, ast.JoinedStr)) and not _number(node.left):
                continue  # text
            new = _COUNTED[type(node.op)]
            ends = place(node.left)[1], place(node.right)[0]
            yield made(node, f" {new} ", f"arithmetic is {new}", *_within(text, ends))
        elif _number(node):
            new = repr(node.value + 1) if isinstance(node.value, int) else repr(node.value * 1.5 + 0.01)
            yield made(node, new, f"{node.value} is {new}")
        elif isinstance(node, ast.Constant) and isinstance(node.value, bool):
            yield made(node, repr(not node.value), f"{node.value} is {not node.value}")
        elif isinstance(node, ast.If):
            yield made(node.test, "False", "the condition never holds")
        elif isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.Not):
            yield made(node, f"bool({ast.unparse(node.operand)})", "not is left out")
        elif isinstance(node, ast.Expr) and isinstance(node.value, ast.Call):
            yield made(node, "pass", f"{ast.unparse(node.value.func)}() is not called")


def _sound(mutant: Mutant) -> bool:
    """True when the file can be read with the change: brackets over several lines are not told apart here."""
    whole = mutant.path.read_bytes()
    try:
        ast.parse(whole[: mutant.start] + mutant.new.encode() + whole[mutant.end :])
    except SyntaxError:
        return False
    return True


def _number(node) -> bool:
    return isinstance(node, ast.Constant) and type(node.value) in (int, float)


def _within(text: bytes, ends: tuple[int, int]) -> tuple[int, int]:
    """Where an operator stands between two operands, whose brackets are left alone."""
    start, end = ends
    while start < end and text[start : start + 1] in b") ":
        start += 1
    while end > start and text[end - 1 : end] in b"( ":
        end -= 1
    return start, end


def imports() -> dict[str, set[str]]:
    """Modules that each module and each test imports itself, by dotted name."""
    names = {}
    for path in (ROOT / "src").rglob("*.py"):
        names[".".join(path.relative_to(ROOT / "src").with_suffix("").parts).removesuffix(".__init__")] = path
    for path in (ROOT / "tests").glob("test_*.py"):
        names[path.stem] = path
    found: dict[str, set[str]] = {}
    for name, path in names.items():
        package = name.split(".") if path.name == "__init__.py" else name.split(".")[:-1]
        found[name] = set()
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.ImportFrom):
                base = package[: len(package) - node.level + 1] if node.level else []
                full = ".".join([*base, *([node.module] if node.module else [])])
                found[name] |= {m for m in (full, *(f"{full}.{a.name}" for a in node.names)) if m in names}
    return found


def users(module: str, known: dict[str, set[str]]) -> list[set[str]]:
    """Modules that import a module themselves, those that import these, and so on."""
    rows, seen = [], {module}
    row = {module}
    while row:
        row = {name for name, needs in known.items() if needs & row} - seen
        seen |= row
        rows.append(row)
    return rows


def nearest(rows: list[set[str]]) -> list[str]:
    """Test modules that come to a module in the fewest imports, and those that look at all nodes."""
    found = [name for row in rows for name in sorted(row) if name.startswith("test_")]
    return list(dict.fromkeys([*found[: MODULES - 1], *GENERAL]))


def source(module: str) -> str:
    """The text of a module of the program; "" of a test."""
    path = ROOT / "src" / Path(*module.split("."))
    path = path / "__init__.py" if path.is_dir() else path.with_suffix(".py")
    return path.read_text() if path.exists() else ""


def forget_code(copy: Path, modules: set[str]) -> None:
    """Deletes the machine code of modules: it holds that of kernels in other modules which it calls."""
    for module in modules:
        file = copy / "src" / Path(*module.split(".")).with_suffix(".py")
        for cached in (file.parent / "__pycache__").glob(f"{file.stem}.*.nb?"):
            cached.unlink()


def survives(mutant: Mutant, copy: Path, rows: list[set[str]], module: str) -> bool:
    """True when no test notices a mutant in a copy of the project."""
    target = copy / mutant.path.relative_to(ROOT)
    whole, env = target.read_bytes(), dict(os.environ)
    target.write_bytes(whole[: mutant.start] + mutant.new.encode() + whole[mutant.end :])
    command = [sys.executable, str(copy / "tests" / "run.py"), "--one", "--first"]
    runs = [[*command, "--fast", *nearest(rows)]]
    coded = {module, *set().union(*rows)} if "kernels" in target.parts else set()
    kinds = [kind for name in coded for kind in KIND.findall(source(name))]
    if kinds:  # figures of the nodes that use it
        runs.insert(0, [*command, "test_golden"])
        env["GELANDE_KIND"] = ",".join(sorted(kinds))
    forget_code(copy, coded)
    try:
        for run in runs:
            done = subprocess.run(run, cwd=copy / "tests", capture_output=True, timeout=PATIENCE, env=env)
            if done.returncode:
                return False
            env.pop("GELANDE_KIND", None)
        return True
    except subprocess.TimeoutExpired:
        return False
    finally:
        target.write_bytes(whole)
        forget_code(copy, coded)


def main() -> int:
    parser = argparse.ArgumentParser()
    parser.add_argument("count", type=int)
    parser.add_argument("--seed", type=int, default=1)
    args = parser.parse_args()
    draw, src = random.Random(args.seed), ROOT / "src" / "gelande"
    files = [f for p in PLACES for f in (sorted((src / p).rglob("*.py")) if (src / p).is_dir() else [src / p])]
    every = [m for f in files for m in mutants_of(f)]
    sound = (m for m in draw.sample(every, len(every)) if _sound(m))
    drawn, known = list(islice(sound, args.count)), imports()
    print(f"{len(drawn)} of {len(every)} mutants")
    lived = []
    with tempfile.TemporaryDirectory() as home:
        copy = Path(home) / "copy"
        leave = shutil.ignore_patterns(".venv", ".git", "build", ".hypothesis", "*.png")
        shutil.copytree(ROOT, copy, ignore=leave, symlinks=True)
        for k, mutant in enumerate(drawn, 1):
            name = ".".join(mutant.path.relative_to(ROOT / "src").with_suffix("").parts).removesuffix(".__init__")
            began = time.perf_counter()
            alive = survives(mutant, copy, users(name, known), name)
            lived += [mutant] if alive else []
            print(f"{k:4} {'lives ' if alive else 'killed'} {time.perf_counter() - began:4.0f} s  {mutant}", flush=True)
    print(f"{len(drawn) - len(lived)} of {len(drawn)} were noticed; survivors:")
    for mutant in lived:
        print(f"  {mutant}")
    return 0


if __name__ == "__main__":
    sys.exit(main())
