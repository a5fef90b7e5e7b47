"""What the command line lists of nodes and formats: made from their declarations by tools/make_docs.py and shipped
beside this file, so that a list does not wait for all that computes to be loaded."""

from __future__ import annotations

import json
from pathlib import Path

FILE = Path(__file__).with_name("listing.json")


def text_of(command: str, kind: str | None = None) -> str | None:
    """Text of "gelande nodes", "gelande nodes KIND", "gelande formats" or "gelande formats FORMAT"; None for a kind or
    a format that there is not."""
    held = json.loads(FILE.read_text(encoding="utf-8"))
    if kind is None:
        return held[command]
    wanted = kind.casefold()
    some = held["kinds"] if command == "nodes" else held["each format"]
    return next((text for *names, text in some if wanted in (n.casefold() for n in names)), None)


def listed(command: str, kind: str | None = None) -> list | dict | None:
    """The same as values, for programs."""
    held = json.loads(FILE.read_text(encoding="utf-8"))["values"][command]
    if kind is None:
        return held
    wanted = kind.casefold()
    return next((one for one in held if wanted in (one["id"].casefold(), one["name"].casefold())), None)


def made() -> str:
    """The file's content, from the declarations."""
    from . import api

    kinds = [spec for specs in api.node_kinds().values() for spec in specs]
    held = {
        "nodes": nodes_text(api.node_kinds()),
        "formats": formats_text(api.formats()),
        "kinds": [[spec.kind, spec.name, node_text(spec)] for spec in kinds],
        "each format": [[f.id, format_text(f)] for f in api.all_formats()],
        "values": {
            "nodes": [node_values(spec) for spec in kinds],
            "formats": [format_values(f) for f in api.all_formats()],
        },
    }
    return json.dumps(held, indent=1, ensure_ascii=False) + "\n"


def nodes_text(kinds: dict) -> str:
    """All nodes, a line each. kinds: declarations by category."""
    lines = []
    for category, specs in kinds.items():
        lines.append(category)
        lines += [f"  {spec.kind:<16} {spec.name:<18} {spec.summary}" for spec in specs]
    return "\n".join(lines)


def node_text(spec) -> str:
    """One node with its ports and settings."""
    lines = [f"{spec.name} ({spec.kind}), {spec.category}\n{spec.summary}\n\n{spec.help}\n"]
    for word, ports in (("in ", spec.all_inputs), ("out", spec.outputs)):
        lines += [f"  {word}  {p.id:<12} {p.kind}{', optional' if p.optional else ''}" for p in ports]
    lines.append("")
    for p in (part for whole in spec.all_params for part in (whole, *whole.parts)):
        lines.append(f"  {p.key:<24} {p.text(p.default):>12}   {p.range_text}\n{'':28}{p.help}")
    return "\n".join(lines)


def node_values(spec) -> dict:
    """One node with its ports and settings."""
    return {
        "id": spec.kind,
        "name": spec.name,
        "category": spec.category,
        "summary": spec.summary,
        "inputs": [{"id": p.id, "kind": p.kind, "optional": p.optional} for p in spec.all_inputs],
        "outputs": [{"id": p.id, "kind": p.kind} for p in spec.outputs],
        "settings": [
            {
                "id": p.id,
                "name": p.label,
                "kind": p.kind,
                "default": p.text(p.default),
                "range": p.range_text,
                "help": p.help,
            }
            for p in spec.all_params
        ],
    }


def format_text(format) -> str:
    """One format with its options."""
    lines = [f"{format.label} ({format.id}), of a {format.kind}\n"]
    for p in format.params:
        lines.append(f"  {p.id:<16} {p.text(p.default):>12}   {p.range_text}\n{'':20}{p.help}")
    return "\n".join(lines if format.params else [*lines, "  It has no options."])


def format_values(format) -> dict:
    """One format with its options."""
    return {"id": format.id, "name": format.label, "of": format.kind, "options": [_setting(p) for p in format.params]}


def _setting(p) -> dict:
    return {"id": p.id, "name": p.label, "default": p.text(p.default), "range": p.range_text, "help": p.help}


def formats_text(formats: dict) -> str:
    """All formats, a line each under their kind of data and heading. formats: id -> (kind, heading, label)."""
    lines, head = [], ""
    for name, (kind, group, label) in sorted(formats.items(), key=lambda f: (f[1][0], f[1][1] != "Samples")):
        if f"{kind}, {group.lower()}" != head:
            head = f"{kind}, {group.lower()}"
            lines.append(head)
        lines.append(f"  {name:<18} {label}")
    return "\n".join(lines)
