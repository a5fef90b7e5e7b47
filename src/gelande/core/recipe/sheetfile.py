"""The control sheet and all that is chosen beside the graph, in recipe and set files."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from gelande.core.recipe.blocks import DeliverableBlock, FigureBlock

from ..errors import RecipeError
from ..words import clean
from . import model
from .blocks import ControlBlock, KeepBlock, PresetBlock, RecipeBlock, ValuesBlock
from .choices import FIGURE_IDS, GROUPS, FigureChoice, Keep, Measures, Preset, checked_outlines
from .control import checked_control, param_of
from .deliverables import Deliverable, Delivery
from .model import Control, Recipe
from .node import Target, spec_of


# -- reading ------------------------------------------------------------------------------------------------
def read(recipe: Recipe, parsed: RecipeBlock) -> Recipe:
    """The recipe with its sheet, deliverables, cameras and choices. Raises RecipeError with one sentence."""
    controls: list[Control] = []
    seen: set[str] = set()
    for c in parsed.controls:
        if c.label.casefold() in seen:
            raise RecipeError(f"Two controls are called {c.label}; give one another name.")
        seen.add(c.label.casefold())
        controls.append(checked_control(recipe, _control(recipe, c)))
    recipe = replace(recipe, controls=tuple(controls))
    cameras = tuple(
        model.NamedCamera(
            clean(c.name, 200),
            *(float(v) for v in (c.east_m, c.north_m, c.height_m, c.heading_deg, c.pitch_deg, c.heights_times)),
        )
        for c in parsed.cameras
    )
    measures = Measures(
        float(parsed.measures.walkable_deg), float(parsed.measures.flat_deg), read_pins(parsed.measures.pins)
    )
    if not (0 < measures.walkable <= 90 and 0 < measures.flat <= 90):
        raise RecipeError("The slopes that figures go by must be more than 0° and at most 90°.")
    return replace(
        recipe,
        deliverables=tuple(_deliverable(recipe, d) for d in parsed.deliverables),
        cameras=cameras,
        author=clean(parsed.author, 200),
        locks=read_locks(parsed.locks),
        presets=read_presets(recipe, parsed.presets),
        keeps=read_keeps(recipe, parsed.keeps),
        figures=tuple(_figure(f) for f in parsed.figures),
        measures=measures,
        delivery=Delivery(**{k.removesuffix("_m"): v for k, v in parsed.delivery.model_dump().items()}).checked(),
    )


def _control(recipe: Recipe, c: ControlBlock) -> Control:
    targets = tuple(
        Target(
            t.node,
            _param_id(recipe, t.node, t.param),
            float(t.times),
            None if t.low is None or t.high is None else (float(t.low), float(t.high)),
            t.curve,
        )
        for t in c.targets
    )
    when = (clean(c.shown_when.control, 200), tuple(c.shown_when.values)) if c.shown_when else ()
    more = (clean(c.help, 2000), c.step, c.closed, when)
    return Control(clean(c.label, 200), clean(c.group, 200), targets, c.low, c.high, *more)


def _deliverable(recipe: Recipe, d: DeliverableBlock) -> Deliverable:
    for node, port in ((d.node, d.port), *d.more.values()):
        if node not in recipe.nodes:
            raise RecipeError(f"Deliverable {d.name}: its node {node} does not exist.")
        spec = recipe.nodes[node].spec
        if spec and not spec.output(port):
            raise RecipeError(f"Deliverable {d.name}: {recipe.nodes[node].name} has no output called {port}.")
    more = tuple(sorted((slot, node, port) for slot, (node, port) in d.more.items()))
    return Deliverable(clean(d.name, 200), d.node, d.port, d.format, tuple(sorted(d.options.items())), more)


def _figure(f: FigureBlock) -> FigureChoice:
    if f.figure not in FIGURE_IDS:
        raise RecipeError(f"There is no figure called {f.figure!r}; there are {', '.join(FIGURE_IDS)}.")
    return FigureChoice(f.figure, *(None if v is None else float(v) for v in (f.low, f.high)))


def _param_id(recipe: Recipe, node_id: str, key: str) -> str:
    state = recipe.nodes.get(node_id)
    if state is None or state.spec is None:
        return key
    try:
        return next((p.id for p in state.spec.all_params if p.key == key), None) or state.setting(key).id
    except KeyError:
        return key


def read_locks(block: dict[str, int]) -> tuple[tuple[str, int], ...]:
    """Seeds of locked groups. Raises RecipeError."""
    odd = next((g for g in block if g not in GROUPS), None)
    if odd is not None:
        raise RecipeError(f"There is no seed group called {odd!r}; there are {', '.join(GROUPS)}.")
    return tuple((g, block[g]) for g in GROUPS if g in block)


def read_pins(block: list) -> tuple[tuple[float, float], ...]:
    """Two places in metres, or none. Raises RecipeError."""
    if len(block) not in (0, 2):
        raise RecipeError("A line of sight needs two pins.")
    return tuple((float(east), float(north)) for east, north in block)


def read_values(recipe: Recipe, block: ValuesBlock, name: str = "") -> Preset:
    """A preset; values of controls that the sheet has are checked, others are kept as they stand. Raises
    RecipeError."""
    known = {c.label.casefold(): c for c in recipe.controls}
    values = []
    for label, value in block.values.items():
        control = known.get(label.casefold())
        param = param_of(recipe, control) if control else None
        if param is not None and control is not None:
            try:
                value, label = param.check(value), control.label
            except ValueError as error:
                raise RecipeError(f"{name or 'Preset'}: {error}.") from None
        elif isinstance(value, list):
            value = _frozen(value)
        values.append((clean(label, 200), value))
    return Preset(name, block.seed, read_locks(block.locks), tuple(sorted(values, key=lambda v: v[0])))


def _frozen(value: Any) -> Any:
    return tuple(_frozen(v) for v in value) if isinstance(value, list) else value


def read_presets(recipe: Recipe, blocks: list[PresetBlock]) -> tuple[Preset, ...]:
    """Presets by name. Raises RecipeError when two have one name."""
    found: dict[str, Preset] = {}
    for block in blocks:
        name = clean(block.name, 200)
        if name.casefold() in found:
            raise RecipeError(f"Two presets are called {name}; give one another name.")
        found[name.casefold()] = read_values(recipe, block, name)
    return tuple(found.values())


def read_keeps(recipe: Recipe, blocks: list[KeepBlock]) -> tuple[Keep, ...]:
    """Areas that are kept. Raises RecipeError."""
    found = []
    for block in blocks:
        name = clean(block.name, 200)
        width, fade = float(block.width_m), float(block.fade_m)
        spec = spec_of("inset")
        assert spec is not None
        try:
            outlines = checked_outlines(block.outlines)
            spec.param("width").check(width), spec.param("fade").check(fade)
        except ValueError as error:
            raise RecipeError(f"Kept area {name}: {error}.") from None
        of = replace(read_values(recipe, block, name), name="")
        found.append(Keep(name, outlines, of, width, fade, block.on))
    return tuple(found)


# -- writing ------------------------------------------------------------------------------------------------
def written(recipe: Recipe) -> dict[str, Any]:
    """Sheet, deliverables, cameras and choices as JSON-ready data; what is not chosen is left out."""
    found: dict[str, Any] = {
        "controls": [_control_block(recipe, c) for c in recipe.controls],
        "deliverables": [_deliverable_block(d) for d in recipe.deliverables],
        "cameras": [
            {
                "name": c.name,
                "east_m": c.east,
                "north_m": c.north,
                "height_m": c.height,
                "heading_deg": c.heading,
                "pitch_deg": c.pitch,
                "heights_times": c.times,
            }
            for c in recipe.cameras
        ],
    }
    m = recipe.measures
    more = {
        "author": recipe.author,
        "locks": dict(recipe.locks),
        "presets": [{"name": s.name, **values_block(recipe, s)} for s in recipe.presets],
        "keeps": [keep_block(recipe, k) for k in recipe.keeps],
        "figures": [{k: v for k, v in vars(f).items() if v is not None} for f in recipe.figures],
        "measures": {}
        if m == Measures()
        else {"walkable_deg": m.walkable, "flat_deg": m.flat, "pins": [list(p) for p in m.pins]},
        "delivery": delivery_block(recipe.delivery),
    }
    return {**found, **{k: v for k, v in more.items() if v}}


def _control_block(recipe: Recipe, c: Control) -> dict[str, Any]:
    found: dict[str, Any] = {
        "label": c.label,
        "group": c.group,
        "help": c.help,
        "low": c.low,
        "high": c.high,
        "targets": [_target_block(recipe, t) for t in c.targets],
    }
    if c.step is not None:
        found["step"] = c.step
    if c.closed:
        found["closed"] = True
    if c.shown_when:
        found["shown_when"] = {"control": c.shown_when[0], "values": list(c.shown_when[1])}
    return found


def _target_block(recipe: Recipe, t: Target) -> dict[str, Any]:
    state = recipe.nodes.get(t.node)
    key = state.setting(t.param).key if state and state.spec else t.param
    found: dict[str, Any] = {"node": t.node, "param": key, "times": t.times}
    if t.span is not None:
        found |= {"low": t.span[0], "high": t.span[1], "curve": t.curve}
    return found


def _deliverable_block(d: Deliverable) -> dict[str, Any]:
    more = {"options": dict(d.options), "more": {slot: [node, port] for slot, node, port in d.more}}
    plain = {"name": d.name, "node": d.node, "port": d.port, "format": d.format}
    return {**plain, **{k: v for k, v in more.items() if v}}


def delivery_block(d: Delivery) -> dict[str, Any]:
    """Common options of all files of a delivery, as far as it is not the usual."""
    lengths, usual = ("low", "high", "east", "north"), Delivery()
    return {(f"{k}_m" if k in lengths else k): v for k, v in vars(d).items() if v != getattr(usual, k)}


def values_block(recipe: Recipe, preset: Preset) -> dict[str, Any]:
    """Seeds and values of a preset."""
    params = {c.label: param_of(recipe, c) for c in recipe.controls}
    values = {}
    for label, value in preset.values:
        param = params.get(label)
        values[label] = param.written(value) if param is not None else value
    found: dict[str, Any] = {"seed": preset.seed, "values": values}
    return {**found, "locks": dict(preset.locks)} if preset.locks else found


def keep_block(recipe: Recipe, keep: Keep) -> dict[str, Any]:
    """An area that is kept."""
    spec = spec_of("inset")
    assert spec is not None
    return {
        "name": keep.name,
        "on": keep.on,
        "width_m": keep.width,
        "fade_m": keep.fade,
        "outlines": spec.param("outlines").written(keep.outlines),
        **values_block(recipe, keep.of),
    }
