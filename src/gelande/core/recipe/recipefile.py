"""Recipe files: JSON that a person can diff and merge; sorted keys, one node a block, units in the names.

Reading never runs code. Nodes that this version does not know are kept as they stand and saved back unharmed.
"""

from __future__ import annotations

import hashlib
import json
import re
from collections.abc import Callable, Iterable
from dataclasses import replace
from functools import lru_cache
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from ..errors import GelandeError, RecipeError
from ..files.disk import read_bytes, reason_of, sweep, write_text
from ..words import clean, shorten
from . import graph, model, sheetfile
from .blocks import FaceBlock, NodeBlock, RecipeBlock, damaged
from .model import NodeState, Recipe, with_defaults
from .node import GROUP, Port, Target, spec_of
from .packages import package_of
from .param import Param
from .param.words import FORMER, as_id
from .site import BARE, Site

FORMAT = "gelande recipe"
VERSION = 2
LARGEST = 64_000_000
#: How many of each a recipe may hold.
MOST = {
    "nodes": model.MOST_NODES,
    "controls": model.MOST_CONTROLS,
    "deliverables": model.MOST_DELIVERABLES,
    "cameras": model.MOST_CAMERAS,
}
#: Blocks and lists stand in each other at most so deep.
DEEPEST = 40
#: Digits of the longest whole number that is read.
DIGITS = 25
NODE_ID = re.compile(r"[A-Za-z0-9_-]{1,150}")


def schema() -> dict:
    """The JSON Schema of recipe files."""
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        **RecipeBlock.model_json_schema(),
        "title": "Gelande recipe",
    }


def _choices_by_id(block: dict) -> dict:
    """From format 1, in which choices were kept by their labels. Settings take those still (Choice.check): group files
    and copied nodes tell no version. Damaged blocks stay as they are, for the checks that follow."""
    block = dict(block)
    delivery = block.get("delivery")
    if isinstance(delivery, dict) and isinstance(delivery.get("span"), str):
        block["delivery"] = {**delivery, "span": _by_id(delivery["span"])}
    if isinstance(block.get("controls"), list):
        block["controls"] = [_shown_by_id(c) for c in block["controls"]]
    if isinstance(block.get("deliverables"), list):
        block["deliverables"] = [_options_by_id(d) for d in block["deliverables"]]
    return block


def _by_id(value: Any) -> Any:
    return FORMER.get(value, as_id(value)) if isinstance(value, str) else value


def _shown_by_id(control: Any) -> Any:
    """A control's block with the values of another one while which it is shown."""
    when = control.get("shown_when") if isinstance(control, dict) else None
    if not isinstance(when, dict) or not isinstance(when.get("values"), list):
        return control
    return {**control, "shown_when": {**when, "values": [_by_id(v) for v in when["values"]]}}


def _options_by_id(deliverable: Any) -> Any:
    """A deliverable's block with its options."""
    options = deliverable.get("options") if isinstance(deliverable, dict) else None
    if not isinstance(options, dict):
        return deliverable
    return {**deliverable, "options": {k: _by_id(v) if k in OPTIONS_1 else v for k, v in options.items()}}


#: Options of formats that were choices in format 1.
OPTIONS_1 = ("asked", "corners", "green", "origin", "span", "up")
#: version read -> function that brings the block one version on.
MIGRATIONS: dict[int, Callable[[dict], dict]] = {1: _choices_by_id}


def from_block(block: dict) -> Recipe:
    """A recipe from parsed JSON. Raises RecipeError with one sentence."""
    if not isinstance(block, dict) or block.get("format") != FORMAT:
        raise RecipeError(f'This is not a Gelande recipe: it does not say "format": "{FORMAT}".')
    version = block.get("version")
    if isinstance(version, int) and version > VERSION:
        raise RecipeError(
            f"The recipe is of format version {version}, and this program reads up to {VERSION}; "
            "open it with a newer Gelande."
        )
    while isinstance(version, int) and version in MIGRATIONS:
        block, version = MIGRATIONS[version](block), version + 1
    for word, most in MOST.items():
        if isinstance(block.get(word), (dict, list)) and len(block[word]) > most:
            raise RecipeError(f"The recipe has {len(block[word])} {word}, more than the {most} that are allowed.")
    nodes = block.get("nodes")
    odd = next((n for n in nodes if not NODE_ID.fullmatch(n)), None) if isinstance(nodes, dict) else None
    if odd is not None:
        raise RecipeError(
            f"The recipe is damaged at nodes: {shorten(odd, 60)!r} is no node's id; letters, digits, _ and - are."
        )
    try:
        parsed = RecipeBlock.model_validate(block)
    except ValidationError as error:
        raise damaged(error, "recipe") from None
    s = parsed.site
    has_sea = s.sea_level_m != 0 if s.sea is None else s.sea
    site = Site(clean(s.name, 200), float(s.width_m), float(s.depth_m), s.base, float(s.sea_level_m), has_sea, s.bare)
    nodes = {
        node_id: read_node(node_id, n, block["nodes"][node_id], site) for node_id, n in parsed.nodes.items()
    }  # in the file's order
    recipe = Recipe(site, parsed.seed, nodes, view=parsed.view)
    faults = graph.broken_links(recipe)
    if faults:
        raise RecipeError(faults[0] + ".")
    return sheetfile.read(recipe, parsed)


def read_node(node_id: str, n: NodeBlock, raw: dict, site: Site) -> NodeState:
    """One node from its parsed block and the raw one (kept for kinds this version does not know)."""
    inputs = {}
    for port, text in n.inputs.items():
        source, dot, output = text.rpartition(".")
        if not dot:
            raise RecipeError(
                f"{n.name}: its input {port} says {text!r}; it must name a node and an output, as in rain_1.flow."
            )
        inputs[port] = (source, output)
    at, name = (float(n.at[0]), float(n.at[1])), clean(n.name, 200)
    spec = spec_of(n.kind)
    if spec is None or n.version > spec.version:
        return NodeState(n.kind, name, at, dict(n.params), inputs, n.off, raw, n.group, n.frame)
    bake = model.Bake(n.bake.key, n.bake.finest, n.bake.files) if n.bake else None
    state = NodeState(n.kind, name, at, {}, inputs, n.off, None, n.group, n.frame, _face(n), bake)
    state = with_defaults(_with_values(state, spec.params, n.params), spec, site.long_side)
    known = {p.key for p in state.declared.all_params}
    for key in n.params:
        if key not in known:
            raise RecipeError(f"{n.name} ({node_id}): there is no parameter called {key}.")
    return _with_values(state, state.declared.all_params, n.params)


def _with_values(state: NodeState, params: Iterable[Param], written: dict) -> NodeState:
    """The node with those of some settings that a file gives, checked."""
    values = dict(state.params)
    for p in params:
        if p.key in written:
            try:
                values[p.id] = p.check(written[p.key])
            except ValueError as error:
                raise RecipeError(f"{state.name}: {error}.") from None
    return replace(state, params=values)


def _face(n: NodeBlock) -> model.Face | None:
    """A group's ports and settings; every group has a face."""
    spec = spec_of(n.kind)
    if spec is None or spec.role != GROUP:
        return None
    face = n.face or FaceBlock()
    ports = tuple(Port(p.id, p.label, "any") for p in face.outputs)
    return model.Face(ports, ports, tuple(Target(t.node, t.param) for t in face.settings))


def to_block(recipe: Recipe) -> dict:
    """The recipe as JSON-ready data."""
    s = recipe.site
    return {
        "format": FORMAT,
        "version": VERSION,
        "seed": recipe.seed,
        "view": recipe.view,
        "site": {
            "name": s.name,
            "width_m": float(s.width),
            "depth_m": float(s.depth),
            "base": s.base,
            "sea_level_m": float(s.sea_level),
            "sea": s.has_sea,
            **({"bare": s.bare} if s.bare != BARE[0] else {}),
        },
        "nodes": {node_id: node_block(state) for node_id, state in recipe.nodes.items()},
        **sheetfile.written(recipe),
    }


def node_block(state: NodeState) -> dict:
    """One node as JSON-ready data."""
    inputs = {port: f"{source}.{output}" for port, (source, output) in state.inputs.items()}
    more: dict[str, object] = {k: v for k, v in (("group", state.group), ("frame", state.frame)) if v}
    if state.raw is not None:
        plain = {k: v for k, v in state.raw.items() if k not in ("group", "frame")}
        return {**plain, "name": state.name, "at": list(state.at), "off": state.off, "inputs": inputs, **more}
    if state.face is not None:
        more["face"] = {
            "outputs": [{"id": p.id, "label": p.label} for p in state.face.outputs],
            "settings": [{"node": t.node, "param": t.param} for t in state.face.controls],
        }
    if state.bake is not None:
        more["bake"] = {"key": state.bake.key, "finest": state.bake.finest, "files": state.bake.files}
    spec, package = state.declared, package_of(state.kind)
    if package is not None:
        more["package"] = f"{package.name} {package.version}".strip()
    return {
        "kind": state.kind,
        "version": spec.version,
        "name": state.name,
        "at": list(state.at),
        "off": state.off,
        "params": {p.key: p.written(state.params[p.id]) for p in spec.all_params},
        "inputs": inputs,
        **more,
    }


def dumps(recipe: Recipe) -> str:
    """The recipe's text: sorted keys, lists of numbers on one line."""
    return pretty(to_block(recipe)) + "\n"


@lru_cache(20_000)
def _known_line(value: tuple) -> str:
    """A tuple's text: of a thousand strokes only the new one is spelt out each time that the journal is written."""
    return json.dumps(value, ensure_ascii=False)


def _line(value: tuple) -> str:
    try:
        return _known_line(value) if isinstance(value, tuple) else json.dumps(value, ensure_ascii=False)
    except TypeError:  # it holds a list somewhere
        return json.dumps(value, ensure_ascii=False)


def pretty(value, indent: int = 0) -> str:
    """JSON with sorted keys; of a list without names each part stands on a line of its own, and a list of numbers on
    one."""
    pad, inner = "  " * indent, "  " * (indent + 1)
    if isinstance(value, dict) and value:
        rows = [f"{inner}{json.dumps(k, ensure_ascii=False)}: {pretty(value[k], indent + 1)}" for k in sorted(value)]
        return "{\n" + ",\n".join(rows) + f"\n{pad}}}"
    if isinstance(value, (list, tuple)) and any(isinstance(v, (dict, list, tuple)) for v in value):
        named = any(isinstance(v, dict) for v in value)
        parts = (pretty(v, indent + 1) if named else _line(v) for v in value)
        return "[\n" + ",\n".join(inner + part for part in parts) + f"\n{pad}]"
    return json.dumps(value, ensure_ascii=False, sort_keys=True)


def loads(text: str) -> Recipe:
    """A recipe from its text. Raises RecipeError with one sentence."""
    return from_block(parsed_json(text, "recipe"))


def _integer(digits: str) -> int:
    if len(digits) > DIGITS:
        raise RecipeError(
            f"A whole number of {len(digits)} digits, {shorten(digits, 30)}, is more than a recipe can hold."
        )
    return int(digits)


def _no_number(word: str) -> None:
    raise RecipeError(f"{word} stands where a number should be.")


def parsed_json(text: str, what: str):
    """JSON from a stranger: what Python would take and cannot work with or save again is refused. Raises
    RecipeError; what: of what the message speaks."""
    try:
        block = json.loads(text, parse_int=_integer, parse_constant=_no_number)
    except json.JSONDecodeError as error:
        raise RecipeError(f"The {what} is not valid JSON at line {error.lineno}, column {error.colno}.") from None
    except RecursionError:
        raise RecipeError(f"The {what} is nested too deeply to be one.") from None
    if "\\ud" in text or "\\uD" in text:
        try:
            json.dumps(block, ensure_ascii=False).encode("utf-8")
        except UnicodeEncodeError:
            raise RecipeError(
                f"The {what} holds half a character (a lone surrogate, as in \\\\ud800), which no file can be "
                "saved with."
            ) from None
    level, depth = [block], 0
    while level and depth <= DEEPEST:
        depth += 1
        level = (
            [v for b in level for v in (b.values() if isinstance(b, dict) else b) if isinstance(v, (dict, list))]
            if isinstance(level[0], (dict, list))
            else []
        )
    if depth > DEEPEST:
        raise RecipeError(f"The {what} is nested too deeply to be one.")
    return block


def load(path: Path) -> Recipe:
    """Opens a recipe file. The file is never touched. Raises RecipeError with one sentence that names it."""
    path = Path(path)
    text = read_text(path, "recipe")
    try:
        return loads(text)
    except RecipeError as error:
        text = str(error)
        raise RecipeError(text if path.name in text else f"{path.name}: {text}") from None


def read_text(path: Path, what: str) -> str:
    """The text of a recipe or group file, with or without a byte order mark. Raises RecipeError with one sentence
    that names it."""
    try:
        return read_bytes(path, LARGEST).decode("utf-8-sig")
    except OSError as error:
        raise RecipeError(f"{path} cannot be opened: {reason_of(error)}.") from None
    except UnicodeDecodeError:
        raise RecipeError(f"{path.name} is not a text file, so it cannot be a {what}.") from None
    except GelandeError as error:
        raise RecipeError(f"{path.name} cannot be a {what}: {error}.") from None
    except ValueError:  # a NUL
        raise RecipeError(f"{path.name} is no name that a file can have.") from None


def save(recipe: Recipe, path: Path) -> None:
    """Writes a recipe file whole or not at all. Raises RecipeError."""
    try:
        sweep(Path(path).resolve().parent)
        write_text(Path(path), dumps(recipe), folders=False)
    except OSError as error:
        raise RecipeError(f"{path} cannot be saved: {reason_of(error)}. Nothing was changed.") from None


def fingerprint(recipe: Recipe) -> str:
    """SHA-256 of what the recipe computes: view, card places and names left out."""
    block = to_block(replace(recipe, view={}, presets=(), figures=(), measures=model.Recipe().measures, author=""))
    for node in block["nodes"].values():
        node.pop("at", None)
        for word in ("name", "group", "frame"):
            node.pop(word, None)
    return hashlib.sha256(json.dumps(block, sort_keys=True).encode()).hexdigest()
