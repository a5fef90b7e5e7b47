"""Formulas: one line of arithmetic, read into steps that are carried out on arrays and on nothing else."""

from __future__ import annotations

import ast
from collections.abc import Callable, Mapping
from typing import NamedTuple

import numpy as np

#: Characters of a formula, parts that it is made of, and how deep they are nested, at most.
LONGEST, MOST_PARTS, DEEPEST = 2000, 400, 40

Value = np.ndarray | float


class FormulaError(ValueError):
    """A formula cannot be read: a sentence, and the character that it is about, counted from 1."""

    def __init__(self, what: str, at: int) -> None:
        super().__init__(f"{what}, at character {at}")
        self.at = at


class Noise(NamedTuple):
    """Noise that a formula asks for: metres of its features, and a number that tells it from others."""

    size: float
    seed: int


class Formula(NamedTuple):
    """A formula that was read. reads: names that stand in it; noises: what noise it asks for; run: called with a value
    for each of these names and arrays for the noises, it gives the result."""

    reads: frozenset[str]
    noises: tuple[Noise, ...]
    run: Callable[[Mapping[str, Value], Mapping[Noise, np.ndarray]], Value]


Step = Callable[[Mapping[str, Value], Mapping[Noise, np.ndarray]], Value]


def _smooth(low: Value, high: Value, value: Value) -> Value:
    width = np.asarray(high) - low
    t = np.clip((value - np.asarray(low)) / np.where(width == 0, 1e-9, width), 0, 1)
    return t * t * (3 - 2 * t)


def _chosen(condition: Value, yes: Value, no: Value) -> Value:
    return np.where(np.asarray(condition), yes, no)


def _least(*values: Value) -> Value:
    found = values[0]
    for value in values[1:]:
        found = np.minimum(found, value)
    return found


def _most(*values: Value) -> Value:
    found = values[0]
    for value in values[1:]:
        found = np.maximum(found, value)
    return found


#: Functions by name: how many values they take at least and at most, and what they do. Angles are in degrees.
FUNCTIONS: dict[str, tuple[int, int, Callable[..., Value]]] = {
    "abs": (1, 1, np.abs),
    "sqrt": (1, 1, lambda v: np.sqrt(np.maximum(v, 0))),
    "exp": (1, 1, lambda v: np.exp(np.minimum(v, 80))),
    "log": (1, 1, lambda v: np.log(np.maximum(v, 1e-30))),
    "sin": (1, 1, lambda v: np.sin(np.radians(v))),
    "cos": (1, 1, lambda v: np.cos(np.radians(v))),
    "floor": (1, 1, np.floor),
    "minimum": (2, 8, _least),
    "maximum": (2, 8, _most),
    "clip": (3, 3, lambda v, low, high: np.minimum(np.maximum(v, low), high)),
    "where": (3, 3, _chosen),
    "smooth": (3, 3, _smooth),
}
#: What joins two values. Division by nothing gives a large number, as slopes of walls are.
OPERATORS: dict[type, Callable[[Value, Value], Value]] = {
    ast.Add: np.add,
    ast.Sub: np.subtract,
    ast.Mult: np.multiply,
    ast.Div: lambda a, b: np.divide(a, np.where(np.asarray(b) == 0, 1e-9, b)),
    ast.Mod: lambda a, b: np.mod(a, np.where(np.asarray(b) == 0, 1e-9, b)),
    ast.FloorDiv: lambda a, b: np.floor(np.divide(a, np.where(np.asarray(b) == 0, 1e-9, b))),
    ast.Pow: lambda a, b: np.power(np.asarray(a, np.float64), b),
}
COMPARISONS: dict[type, Callable[[Value, Value], Value]] = {
    ast.Lt: np.less,
    ast.LtE: np.less_equal,
    ast.Gt: np.greater,
    ast.GtE: np.greater_equal,
    ast.Eq: np.equal,
    ast.NotEq: np.not_equal,
}
#: What is not allowed, in words.
WORDS = {
    ast.Attribute: "A point after a name means nothing here",
    ast.Subscript: "Brackets [ ] mean nothing here",
    ast.Lambda: "There are no functions of one's own",
    ast.List: "A list means nothing here",
    ast.Tuple: "A comma joins nothing here",
    ast.Dict: "Braces mean nothing here",
    ast.Set: "Braces mean nothing here",
    ast.ListComp: "A list means nothing here",
    ast.GeneratorExp: "A list means nothing here",
    ast.NamedExpr: "Nothing can be named",
    ast.JoinedStr: "Text means nothing here",
    ast.Starred: "A star means times, between two values",
    ast.Await: "There is nothing to wait for",
}


class _Reader:
    """Reads a formula's parts into steps. names: what may stand in it; fixed: values of names
    that are known; lead: blanks before it."""

    def __init__(self, text: str, lead: int, names: frozenset[str], fixed: Mapping[str, float]) -> None:
        self.lead, self.names, self.fixed, self.parts = lead, names, fixed, 0
        self.reads: set[str] = set()
        self.noises: list[Noise] = []
        self.line = text.encode()

    def fail(self, what: str, node: ast.AST) -> FormulaError:
        # columns of the parser count bytes
        before = self.line[: getattr(node, "col_offset", 0)].decode(errors="ignore")
        return FormulaError(what, self.lead + len(before) + 1)

    def step(self, node: ast.expr, deep: int = 0) -> Step:
        self.parts += 1
        if self.parts > MOST_PARTS or deep > DEEPEST:
            raise self.fail(f"The formula has more than {MOST_PARTS} parts, or is too deeply nested", node)
        if isinstance(node, ast.Constant):
            return self._constant(node)
        if isinstance(node, ast.Name):
            return self._name(node)
        if isinstance(node, ast.UnaryOp) and isinstance(node.op, (ast.USub, ast.UAdd, ast.Not)):
            one = self.step(node.operand, deep + 1)
            if isinstance(node.op, ast.Not):
                return lambda values, noises: np.logical_not(one(values, noises))
            sign = -1.0 if isinstance(node.op, ast.USub) else 1.0
            return lambda values, noises: np.multiply(sign, one(values, noises))
        if isinstance(node, ast.BinOp) and type(node.op) in OPERATORS:
            how, left, right = OPERATORS[type(node.op)], self.step(node.left, deep + 1), self.step(node.right, deep + 1)
            return lambda values, noises: how(left(values, noises), right(values, noises))
        if isinstance(node, ast.BoolOp):
            join = np.logical_and if isinstance(node.op, ast.And) else np.logical_or
            some = [self.step(v, deep + 1) for v in node.values]
            return lambda values, noises: join.reduce(np.broadcast_arrays(*(s(values, noises) for s in some)))
        if isinstance(node, ast.Compare) and all(type(op) in COMPARISONS for op in node.ops):
            return self._compare(node, deep)
        if isinstance(node, ast.IfExp):
            test, yes, no = (self.step(v, deep + 1) for v in (node.test, node.body, node.orelse))
            return lambda values, noises: np.where(test(values, noises), yes(values, noises), no(values, noises))
        if isinstance(node, ast.Call):
            return self._call(node, deep)
        raise self.fail(WORDS.get(type(node), "This means nothing here"), node)

    def _constant(self, node: ast.Constant) -> Step:
        if isinstance(node.value, bool) or not isinstance(node.value, (int, float)):
            raise self.fail("Only numbers can stand here", node)
        try:
            value = float(node.value)
        except OverflowError:
            value = np.inf
        if not np.isfinite(value):
            raise self.fail("The number is too large", node)
        return lambda values, noises: value

    def _name(self, node: ast.Name) -> Step:
        name = node.id
        if name in self.fixed:
            value = float(self.fixed[name])
            return lambda values, noises: value
        if name not in self.names:
            known = ", ".join(sorted(self.names | set(self.fixed)))
            also = " (a function: its values follow in parentheses)" if name in FUNCTIONS or name == "noise" else ""
            raise self.fail(f"There is no value called {name}{also}; there are {known}", node)
        self.reads.add(name)
        return lambda values, noises: values[name]

    def _compare(self, node: ast.Compare, deep: int) -> Step:
        some = [self.step(v, deep + 1) for v in (node.left, *node.comparators)]
        how = [COMPARISONS[type(op)] for op in node.ops]

        def run(values: Mapping[str, Value], noises: Mapping[Noise, np.ndarray]) -> Value:
            found = [s(values, noises) for s in some]
            result: Value = how[0](found[0], found[1])
            for k in range(1, len(how)):
                result = np.logical_and(result, how[k](found[k], found[k + 1]))
            return result

        return run

    def _call(self, node: ast.Call, deep: int) -> Step:
        if not isinstance(node.func, ast.Name):
            raise self.fail("Only a function's name can stand before parentheses", node)
        name = node.func.id
        if node.keywords or any(isinstance(a, ast.Starred) for a in node.args):
            raise self.fail(f"{name} takes values one after the other, without names", node)
        if name == "noise":
            return self._noise(node, deep)
        if name not in FUNCTIONS:
            known = ", ".join(sorted([*FUNCTIONS, "noise"]))
            raise self.fail(f"There is no function called {name}; there are {known}", node)
        least, most, how = FUNCTIONS[name]
        if not least <= len(node.args) <= most:
            count = f"{least}" if least == most else f"{least} to {most}"
            raise self.fail(f"{name} takes {count} values, not {len(node.args)}", node)
        some = [self.step(a, deep + 1) for a in node.args]
        return lambda values, noises: how(*(s(values, noises) for s in some))

    def _noise(self, node: ast.Call, deep: int) -> Step:
        if not 1 <= len(node.args) <= 2:
            raise self.fail("noise takes the metres of its features, and a number for another one of them", node)
        before = set(self.reads)
        numbers = []
        for a in node.args:
            step = self.step(a, deep + 1)
            if self.reads != before:
                raise self.fail("The size of noise must be the same everywhere: a number, or of width and depth", a)
            with np.errstate(all="ignore"):
                numbers.append(float(step({}, {})))
        size, seed = numbers[0], numbers[1] if len(numbers) > 1 else 0.0
        if not 0.01 <= size <= 1e6 or not 0 <= seed <= 1e6 or seed != int(seed):
            raise self.fail("noise takes 0.01 to 1,000,000 m, and a whole number from 0", node)
        noise = Noise(size, int(seed))
        if noise not in self.noises:
            self.noises.append(noise)
        return lambda values, noises: noises[noise]


def read(text: str, names: frozenset[str], fixed: Mapping[str, float]) -> Formula:
    """A formula that can be carried out.

    Parameters
    ----------
    text :
        one line of arithmetic: + - * / // % **, comparisons, and, or, not, `a if c else b`, FUNCTIONS, noise(metres).
    names :
        values that differ from sample to sample.
    fixed :
        values that are the same everywhere, by name.

    Returns
    -------
    Formula. Its run takes arrays that broadcast, and gives an array or a number; what is no number comes out as NaN
    or infinite.

    Raises
    ------
    FormulaError :
        a sentence and the character that it is about. Nothing but what is named here can stand in a formula.
    """
    lead = len(text) - len(text.lstrip())
    line = " ".join(text.split("\n")).strip()
    if not line:
        raise FormulaError("The formula is empty", 1)
    if len(line) > LONGEST:
        raise FormulaError(f"The formula is longer than {LONGEST} characters", LONGEST + 1)
    try:
        tree = ast.parse(line, mode="eval")
    except SyntaxError as error:
        raise FormulaError("The formula cannot be read", lead + max(1, error.offset or 1)) from None
    except (ValueError, RecursionError, MemoryError):
        raise FormulaError("The formula cannot be read", 1) from None
    reader = _Reader(line, lead, names, fixed)
    step = reader.step(tree.body)

    def run(values: Mapping[str, Value], noises: Mapping[Noise, np.ndarray]) -> Value:
        with np.errstate(all="ignore"):
            return step(values, noises)

    return Formula(frozenset(reader.reads), tuple(reader.noises), run)
