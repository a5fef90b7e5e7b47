"""Help inside the application: a page for each node, made from its declaration."""

from __future__ import annotations

import html

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QMainWindow, QTextBrowser, QWidget

from gelande.core.recipe.node import categories, registry
from gelande.core.recipe.packages import package_of

from .nodepictures import picture_of
from .theme import theme


def page(kind: str) -> str:
    """One node's help as HTML, or the list of all nodes when the kind is empty."""
    t, specs = theme(), registry()
    if kind not in specs:
        parts = ["<h2>Nodes</h2>"]
        for category in categories():
            rows = "".join(
                f'<li><a href="{s.kind}">{s.name}</a> – {html.escape(s.summary)}</li>'
                for s in sorted(specs.values(), key=lambda s: s.name)
                if s.category == category
            )
            parts.append(f"<h3>{category}</h3><ul>{rows}</ul>" if rows else "")
        return "".join(parts)
    spec = specs[kind]
    text = "".join(f"<p>{html.escape(' '.join(p.split()))}</p>" for p in spec.help.split("\n\n"))
    ports = "".join(
        f"<tr><td>{way}</td><td><b>{p.label}</b></td><td>{p.kind}{', optional' if p.optional else ''}</td>"
        f"<td>{html.escape(p.help)}</td></tr>"
        for way, group in (("in", spec.all_inputs), ("out", spec.outputs))
        for p in group
    )
    rows = "".join(
        f"<tr><td><b>{p.label}</b></td><td>{html.escape(p.help)}</td><td>"
        f"{html.escape(p.range_text if p.choices else p.text(p.default))}"
        f"{html.escape(f' ({p.range_text})' if p.numeric else '')}</td></tr>"
        for q in spec.params
        for p in (q, *q.parts)
    )
    package = package_of(kind)
    picture = picture_of(kind)
    from_package = html.escape(f" · of the package {package.name} {package.version}") if package else ""
    image = f'<p><img src="{picture.as_posix()}" width="300" height="200"></p>' if picture.exists() else ""
    return (
        f'<p><a href="all">All nodes</a> · {html.escape(spec.category)}{from_package}</p><h2>{spec.name}</h2>'
        f"<p>{html.escape(spec.summary)}</p>{image}{text}"
        f'<h3>Ports</h3><table cellpadding="4">{ports}</table><h3>Settings</h3><table cellpadding="4">{rows}</table>'
        f'<p style="color:{t.muted}">Amount, Where and Finish work on every node and are explained in '
        "the guide for authors.</p>"
    )


class HelpWindow(QMainWindow):
    """A browser of the built-in pages."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Window)
        self.setWindowTitle("Help – Gelande")
        self.resize(560, 640)
        self.browser = QTextBrowser()
        self.browser.setOpenLinks(False)
        self.browser.anchorClicked.connect(
            lambda url: self.show_page("" if url.toString() == "all" else url.toString())
        )
        self.setCentralWidget(self.browser)

    def show_page(self, kind: str) -> None:
        self.browser.setHtml(page(kind))
        self.show()
        self.raise_()
