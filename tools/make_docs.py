"""Writes what is generated in docs/: the node reference, the recipe schema and the notebook. Run: .venv/bin/python
tools/make_docs.py"""

import json
import re
from pathlib import Path

from gelande import listing
from gelande.core.recipe.node import CATEGORIES, ENGINE_IDS, registry
from gelande.core.recipe.recipefile import schema

DOCS = Path(__file__).parents[1] / "docs"


def node_page() -> str:
    """The node reference in Markdown, from the declarations."""
    lines = [
        "# Nodes",
        "",
        "Made from the nodes' own declarations by `tools/make_docs.py`; `gelande nodes KIND` prints the same.",
        "",
        "Every node but a source also has a **mask** input, **Where**, **Amount** and **Finish** (see [guide for "
        "authors](guide-authors.md)).",
        "",
    ]
    for category in CATEGORIES:
        specs = sorted((s for s in registry().values() if s.category == category), key=lambda s: s.name)
        if specs:
            lines += [f"## {category}", ""]
        for spec in specs:
            lines += [
                f"### {spec.name}",
                "",
                spec.summary,
                "",
                *(" ".join(p.split()) + "\n" for p in spec.help.split("\n\n")),
            ]
            ports = [f"{p.label} ({p.kind}{', optional' if p.optional else ''})" for p in spec.inputs]
            lines += [
                f"In: {', '.join(ports) or 'nothing'}. Out: "
                f"{', '.join(f'{p.label} ({p.kind})' for p in spec.outputs) or 'nothing'}.",
                "",
            ]
            own = [q for p in spec.params if p.id not in ENGINE_IDS for q in (p, *p.parts)]
            if own:
                lines += ["| setting | default | range | |", "|---|---|---|---|"]
                for p in own:
                    words = ", ".join(f"`{word}`" for word in p.choices)
                    span = f"{p.text(p.hard[0])} to {p.text(p.hard[1])}" if p.numeric else words
                    lines.append(f"| {p.label} (`{p.key}`) | {p.text(p.default)} | {span} | {p.help} |")
                lines.append("")
            if spec.starting_points:
                lines += [f"Starting points: {', '.join(name for name, _ in spec.starting_points)}.", ""]
    return "\n".join(lines)


def notebook() -> str:
    """The guide for programs as a notebook: its text, and its Python as cells that run."""
    import nbformat

    book = nbformat.v4.new_notebook()
    parts = re.split(r"```python\n(.*?)```", (DOCS / "guide-programs.md").read_text(), flags=re.S)
    for k, part in enumerate(parts):
        make = nbformat.v4.new_code_cell if k % 2 else nbformat.v4.new_markdown_cell
        if part.strip():
            cell = make(part.strip())
            cell["id"] = f"part-{k}"  # the same every time
            book.cells.append(cell)
    book.metadata["kernelspec"] = {"name": "python3", "display_name": "Python 3", "language": "python"}
    return nbformat.writes(book) + "\n"


if __name__ == "__main__":
    (DOCS / "regenerate.ipynb").write_text(notebook())
    (DOCS / "nodes.md").write_text(node_page())
    (DOCS / "recipe.schema.json").write_text(json.dumps(schema(), indent=2, sort_keys=True) + "\n")
    listing.FILE.write_text(listing.made(), encoding="utf-8")
    print("wrote docs/nodes.md, docs/recipe.schema.json, docs/regenerate.ipynb and what the command line lists")
