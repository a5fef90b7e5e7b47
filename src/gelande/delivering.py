"""Delivering for programs: what a land's files are, and writing them, here or on many machines."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TypeAlias

from .core.errors import DeliveryError, RecipeError
from .core.evaluate.executor import Evaluator
from .core.evaluate.job import Stop
from .core.evaluate.plan import Plan
from .core.recipe import kinds, model
from .core.recipe.deliverables import Deliverable, Delivery
from .core.recipe.site import Site
from .deliver import build as B
from .deliver import workers as machines
from .deliver.farm import Farm, Progress, Variant
from .deliver.formats import FORMATS, Writer, format_of, formats_for
from .deliver.grid import level_for
from .deliver.names import default_folder, names_of, parts_for, variant_folder
from .deliver.spans import shared_span
from .deliver.wanted import ordered, plans, usual

Certificates: TypeAlias = machines.Certificates
scheduler_warning = machines.warning
Tell = Callable[[int, str, float, str], None]


@dataclass(frozen=True)
class File:
    """A deliverable after a delivery. facts: what the manifest says of its file, or of its first tile, or None; files:
    the same of all tiles; state: of its writing; note: why not."""

    name: str
    state: str
    note: str
    facts: dict | None
    files: tuple[dict, ...] = ()

    @property
    def done(self) -> bool:
        """True when all of it was written and read back, or was there already."""
        return self.state == B.DONE


def _file(item: B.Item) -> File:
    return File(item.deliverable.name, item.state, item.note, item.facts, tuple(item.files))


def formats() -> dict[str, tuple[str, str, str]]:
    """All formats by id: (kind of data, heading, label)."""
    return {f.id: (f.kind, f.group, f.label) for f in FORMATS.values()}


def all_formats() -> list[Writer]:
    """All formats with their options, as nodes have settings."""
    return list(FORMATS.values())


class Delivering:
    """The part of a land that delivers."""

    _recipe: model.Recipe
    _folder: Path
    _evaluator: Evaluator
    stop: Stop

    @property
    def site(self) -> Site:
        """Name, extent and sea level."""
        return self._recipe.site

    # -- what is delivered ------------------------------------------------------------------------------
    @property
    def deliverables(self) -> list[tuple[str, str, str, str]]:
        """Name, node, output and format of every file of a delivery."""
        orders = self._recipe.deliverables or usual(self._recipe)
        return [(d.name, d.node, d.port, FORMATS[d.format].label if d.format in FORMATS else d.format) for d in orders]

    @property
    def delivery(self) -> Delivery:
        """Common options of all files: names, tiles, span of 16-bit heights, reference system."""
        return self._recipe.delivery

    def settle(self, **changes: object) -> None:
        """Changes what all files have in common, as settle(tile=1009, span="found", epsg=25832). Raises
        RecipeError naming the setting, the value and the range."""
        try:
            self._recipe = replace(self._recipe, delivery=replace(self.delivery, **changes).checked())  # type: ignore
        except TypeError:
            known = ", ".join(vars(Delivery()))
            raise RecipeError(f"A delivery has no setting called {', '.join(changes)}; it has {known}.") from None

    def order(
        self,
        name: str,
        node: str,
        output: str = "",
        format: str = "",
        more: dict[str, tuple[str, str]] | None = None,
        **options: bool | int | float | str,
    ) -> None:
        """Adds a file to the delivery. output: of the node, its main one when left out; format: by id, the usual one
        when left out; more: other outputs that go into the file, by slot; options: of the format. Raises RecipeError or
        DeliveryError."""
        state = self._recipe.node(node)
        port = state.spec.output(output) if output and state.spec else state.spec.main if state.spec else None
        if port is None:
            raise RecipeError(f"{state.name} has no output called {output!r}.")
        if not format:
            fitting = formats_for(kinds.kind_at(self._recipe, node, port.id))
            if not fitting:
                raise DeliveryError(f"It is not known what {state.name} gives, since nothing is linked to it.")
            format = fitting[0].id
        found = format_of(format).checked(dict(options))
        slots = tuple(sorted((slot, *source) for slot, source in (more or {}).items()))
        orders = self._recipe.deliverables or usual(self._recipe)
        if any(d.name == name for d in orders):
            raise DeliveryError(f"There is a deliverable called {name} already.")
        one = Deliverable(name, node, port.id, format, tuple(sorted(found.items())), slots)
        self._recipe = replace(self._recipe, deliverables=(*orders, one))

    @staticmethod
    def option(format: str, name: str, text: str) -> bool | int | float | str:
        """An option's value from how people write it. Raises DeliveryError."""
        param = next((p for p in format_of(format).params if p.id == name), None)
        if param is None:
            known = ", ".join(p.id for p in format_of(format).params) or "none"
            raise DeliveryError(f"{format_of(format).label} has no option called {name}; its options are {known}.")
        try:
            return param.parse(text)
        except ValueError as error:
            raise DeliveryError(f"{format_of(format).label}: {error}.") from None

    def order_outputs(self, node: str) -> list[str]:
        """Adds all outputs of a node, each in its usual format. Returns the names."""
        state, names = self._recipe.node(node), []
        taken = {name for name, *_ in self.deliverables}
        for port in state.declared.outputs:
            name = state.name if port is state.declared.result else f"{state.name} {port.label.lower()}"
            if name not in taken:
                self.order(name, node, port.id)
                names.append(name)
        return names

    def only(self, *names: str) -> None:
        """Leaves out all files but these. Raises DeliveryError naming what there is."""
        orders = self._recipe.deliverables or usual(self._recipe)
        known = {d.name.casefold() for d in orders}
        odd = next((n for n in names if n.casefold() not in known), None)
        if odd is not None:
            raise DeliveryError(f"There is no deliverable called {odd}; there are {', '.join(d.name for d in orders)}.")
        wanted = {n.casefold() for n in names}
        self._recipe = replace(self._recipe, deliverables=tuple(d for d in orders if d.name.casefold() in wanted))

    def files(self, detail: int) -> list[str]:
        """The names of all files that a delivery at a detail writes, but for the manifest. Raises DeliveryError."""
        level = self.site.level_of(detail)
        recipe = self._recipe
        files = ((d, part) for d in ordered(recipe, level) for part in parts_for(recipe, d, level))
        return [name for d, part in files for name in names_of(self._recipe, d, level, part)]

    @property
    def detail_for_files(self) -> int:
        """The detail at which a delivery is computed when nobody says: 1025, or what its number of samples needs."""
        level = level_for(self.site, self.delivery.size) if self.delivery.size else self.site.level_of(1025)
        return self.site.samples(self.site.levels[-1] if level is None else level)

    # -- writing it -------------------------------------------------------------------------------------
    def plans(self, detail: int) -> Iterator[Plan]:
        """Plans of a delivery at a detail, one a part. Nothing is computed."""
        return plans(self._recipe, self.site.level_of(detail), self._evaluator, self._folder)

    def plan_lines(self, detail: int) -> Iterator[str]:
        """The same for people, one line a unit of work."""
        for k, plan in enumerate(self.plans(detail)):
            yield f"Part {k + 1}: {len(plan.units)} units"
            yield from plan.lines(self._recipe)

    def default_folder(self) -> Path:
        """Folder of a delivery when nobody says one."""
        return default_folder(self._recipe, self._folder)

    def deliver(
        self,
        folder: str | os.PathLike | None = None,
        detail: int = 0,
        tell: Tell | None = None,
        columns: Iterable[int] | None = None,
        rows: Iterable[int] | None = None,
        span: tuple[float, float] | None = None,
    ) -> list[File]:
        """Computes the deliverables and writes them with a manifest; every file is read back. What an earlier delivery
        into the folder wrote and would be the same is left as it is. tell: called with the number of a file, what is
        being done, the share that is done and a few words; columns, rows: of tiles, when not all are wanted; span:
        heights that 16-bit counts run over, when several lands share them. Raises DeliveryError when there is nothing
        to deliver; what fails is told in the files' states."""

        def told(index: int, item: B.Item) -> None:
            if tell is not None:
                tell(index, item.state, item.fraction, item.note)

        level, where = (
            self.site.level_of(detail or self.detail_for_files),
            Path(folder) if folder else self.default_folder(),
        )
        how = {"base": self._folder, "span": span, "columns": columns, "rows": rows}
        items = B.build(self._recipe, level, where, self._evaluator, self.stop, told, **how)  # type: ignore[arg-type]
        return [_file(item) for item in items]


def common_span(lands: list[Delivering]) -> tuple[float, float] | None:
    """The heights that 16-bit counts of several lands run over together, when their delivery finds them; else None."""
    first = lands[0]
    return shared_span([land._recipe for land in lands], first._evaluator, first._folder, first.stop)


def deliver_all(
    lands: list[tuple[str, Delivering]],
    folder: str | os.PathLike | None = None,
    detail: int = 0,
    workers: int = 0,
    scheduler: str = "",
    threads: int = 1,
    tell: Callable[[Progress], None] = lambda progress: None,
    folders: list[Path] | None = None,
    certificates: machines.Certificates | None = None,
) -> dict[str, list[File]]:
    """Delivers several lands by Dask workers, each into a folder of its own inside a folder, or into those in folders:
    as many workers on this machine, or those of a scheduler by its address. threads: of each worker. Returns the files
    of each by name. certificates: for a scheduler at tls://. Raises DeliveryError."""
    first = lands[0][1]
    level, span = first.site.level_of(detail or first.detail_for_files), common_span([land for _, land in lands])
    where = folders or [
        Path(folder) / name if folder else variant_folder(land._recipe, name, land._folder) for name, land in lands
    ]
    variants = [Variant(land._recipe, path, span) for (_, land), path in zip(lands, where)]
    with machines.cluster(workers, scheduler, certificates) as client:
        found = Farm(client, first.stop, tell, threads).deliver(variants, level, first._folder)
    return {name: [_file(item) for item in items] for (name, _), items in zip(lands, found)}
