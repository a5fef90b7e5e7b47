"""What the command line lists of nodes and formats: made from their declarations by tools/make_docs.py and shipped
beside this file, so that a list does not wait for all that computes to be loaded."""

from __future__ import annotations

import json
from pathlib import Path

FILE = Path(__file__).with_name("listing.json")


def text_of(command: str, kind: str | None = None) -> str | None:
    """Text of "gelande nodes", "gelande nodes KIND" or "gelande formats"; None for a kind that there is not."""
    held = json.loads(FILE.read_text(encoding="utf-8"))
    if kind is None:
        return held[command]
    wanted = kind.casefold()
    return next((text for *names, text in held["kinds"] if wanted in (n.casefold() for n in names)), None)


def made() -> str:
    """The file's content, from the declarations."""
    from . import api

    kinds = [spec for specs in api.node_kinds().values() for spec in specs]
    held = {
        "nodes": nodes_text(api.node_kinds()),
        "formats": formats_text(api.formats()),
        "kinds": [[spec.kind, spec.name, node_text(spec)] for spec in kinds],
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


def formats_text(formats: dict) -> str:
    """All formats, a line each under their kind of data and heading. formats: id -> (kind, heading, label)."""
    lines, head = [], ""
    for name, (kind, group, label) in sorted(formats.items(), key=lambda f: (f[1][0], f[1][1] != "Samples")):
        if f"{kind}, {group.lower()}" != head:
            head = f"{kind}, {group.lower()}"
            lines.append(head)
        lines.append(f"  {name:<18} {label}")
    return "\n".join(lines)
