"""Building a delivery: evaluate, write, read back, and a manifest of it all.

A level that is small enough is evaluated whole, one deliverable after the other. A larger one is computed in strips
from north to south, all deliverables at once, and kept on disk until a row of tiles, or all of it, can be written: what
a build holds in memory grows with the width of the level only. What an earlier build wrote and would be the same is
left as it is, so that one that was stopped or killed goes on.

"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager, nullcontext
from pathlib import Path
from shutil import rmtree

from gelande.core.errors import DeliveryError
from gelande.core.evaluate.executor import Evaluator, Stop
from gelande.core.evaluate.job import WHOLE_BESIDE_STRIPS
from gelande.core.evaluate.shared import Shared
from gelande.core.files.disk import Claim, check_name, reason_of, sweep
from gelande.core.recipe.model import Recipe

from .delivery import Build
from .item import DONE, FAILED, STOPPED, WAITING, WORKING, WRITING, Item
from .manifest import Earlier
from .parts import parts_of
from .strips import Strips
from .wanted import ordered

#: Folder inside a delivery for what workers share while it is built.
SHARED = ".whole_levels"

__all__ = ["DONE", "FAILED", "STOPPED", "WAITING", "WORKING", "WRITING", "Build", "Item", "build"]


def build(
    recipe: Recipe,
    level: int,
    folder: Path,
    evaluator: Evaluator,
    stop: Stop | None = None,
    tell: Callable[[int, Item], None] = lambda index, item: None,
    base: Path = Path(),
    whole: int = WHOLE_BESIDE_STRIPS,
    span: tuple[float, float] | None = None,
    columns: Iterable[int] | None = None,
    rows: Iterable[int] | None = None,
    record: bool = True,
    apart: bool = True,
    shared: Shared | None = None,
) -> list[Item]:
    """Builds all deliverables at a level into a folder. tell(index, item) is called on every change of state; whole:
    samples up to which a level is evaluated at once; span: heights that 16-bit counts run over, when this delivery
    shares them with others; columns, rows: of tiles, when not all are wanted; record: whether the manifest is written,
    which somebody else does when several build parts of one delivery; apart: whether files of the whole site are
    written beside the tiles; shared: where other programs left what they found.

    What was finished stays when it is stopped or something fails, and is not made again as long as it would be the
    same. Raises DeliveryError when there is nothing to deliver."""
    items = [Item(d) for d in ordered(recipe, level)]
    folder = Path(folder)
    parts = parts_of(recipe.site, level, recipe.delivery, columns, rows)
    work = Build(
        recipe,
        level,
        folder,
        evaluator,
        items,
        parts,
        Stop() if stop is None else stop,
        tell,
        base,
        whole,
        span,
        Earlier.read(recipe, folder),
        record,
        apart,
        shared,
    )
    with alone(folder) if record else nullcontext():
        if record:
            sweep(folder)
        going = work.begin()
        going = [item for item in going if work.guarded(item, work.claim)]
        strips = work.stripped(going)
        for item in going:
            if item not in strips:
                work.one(item)
        if strips:
            Strips(work, strips).run()
        work.note(True)
        if record:
            rmtree(folder / SHARED, ignore_errors=True)
    return items


@contextmanager
def alone(folder: Path) -> Iterator[None]:
    """Holds a delivery's folder. Raises DeliveryError while another delivery, of whatever program, writes into it, and
    when its name cannot be written as text, as GDAL and a manifest need it."""
    claim = None
    try:
        check_name(folder)
    except OSError as error:
        raise DeliveryError(f"Nothing can be delivered into {folder}: {reason_of(error)}.") from None
    try:
        folder.mkdir(parents=True, exist_ok=True)
        claim = Claim(folder)
    except BlockingIOError:
        raise DeliveryError(
            f"Another delivery is writing into {folder}; wait until it is done, or choose another folder."
        ) from None
    except OSError:
        pass  # what cannot be written there is told file by file
    try:
        yield
    finally:
        if claim is not None:
            claim.close()


def begun(
    recipe: Recipe,
    level: int,
    folder: Path,
    evaluator: Evaluator,
    shared: Shared,
    stop: Stop,
    base: Path = Path(),
    span: tuple[float, float] | None = None,
    whole: int = WHOLE_BESIDE_STRIPS,
) -> Strips | None:
    """Strips of a delivery that are still to be computed, for those who compute parts of it beforehand and share
    them; None when that is nothing. Raises DeliveryError, Stopped."""
    items = [Item(d) for d in ordered(recipe, level)]
    work = Build(recipe, level, Path(folder), evaluator, items, parts_of(recipe.site, level, recipe.delivery), stop)
    work.base, work.span, work.whole, work.shared, work.record = base, span, whole, shared, False
    work.earlier = Earlier.read(recipe, work.folder)
    strips = work.stripped(work.begin())
    return Strips(work, strips) if strips else None
