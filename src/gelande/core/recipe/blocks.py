"""What recipe and set files hold, block by block, as pydantic checks it."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import AliasChoices, BaseModel, ConfigDict, Field, ValidationError

from ..errors import RecipeError
from ..words import shorten
from . import model
from .deliverables import OWN

#: Names are read up to this length, and shortened to what can be shown.
LONGEST_NAME = 10_000


class Block(BaseModel):
    model_config = ConfigDict(extra="forbid", strict=True, allow_inf_nan=False)


#: A number that every float can hold.
Real = Annotated[float | int, Field(ge=-1e15, le=1e15)]
#: The place of a card.
Place = Annotated[float | int, Field(ge=-model.FARTHEST, le=model.FARTHEST)]


class SiteBlock(Block):
    name: str = Field("Untitled", max_length=LONGEST_NAME)
    width_m: Real
    depth_m: Real
    base: int = 64
    sea_level_m: Real = 0.0
    sea: bool | None = None  # older recipes have a sea where they set its level
    bare: str = Field("grass", max_length=20)


class FacePortBlock(Block):
    id: str = Field(pattern=r"^out_[0-9]{1,4}$")
    label: str = Field(max_length=LONGEST_NAME)


class FaceSettingBlock(Block):
    node: str
    param: str


class FaceBlock(Block):
    """Face of a group: its outputs, and settings of its members."""

    outputs: list[FacePortBlock] = []
    settings: list[FaceSettingBlock] = []


class BakeBlock(Block):
    """Stored results: the content key they were made under, up to which level, and their files' path beside the
    recipe."""

    key: str = Field(max_length=100)
    finest: int = Field(ge=0, le=12)
    files: str = Field(max_length=400)


class NodeBlock(Block):
    kind: str = Field(pattern=r"^([A-Za-z0-9_]{1,100}\.)?[A-Za-z0-9_]{1,100}$")
    package: str = Field("", max_length=300)
    version: int = Field(1, ge=1, le=1_000_000)
    name: str = Field(max_length=LONGEST_NAME)
    at: list[Place] = Field([0, 0], min_length=2, max_length=2)
    off: bool = False
    params: dict = {}
    inputs: dict[str, str] = {}
    group: str = ""
    frame: str = ""
    face: FaceBlock | None = None
    bake: BakeBlock | None = None


class TargetBlock(Block):
    node: str = ""
    param: str
    times: Real = 1.0
    low: Real | None = None
    high: Real | None = None
    curve: str = Field("", max_length=100)


class ShownWhenBlock(Block):
    """A control is shown only while another one has one of these values."""

    control: str = Field(max_length=LONGEST_NAME)
    values: list[bool | Real | Annotated[str, Field(max_length=1000)]] = Field(min_length=1, max_length=100)


class ControlBlock(Block):
    label: str = Field(max_length=LONGEST_NAME)
    group: str = Field("", max_length=LONGEST_NAME)
    help: str = Field("", max_length=LONGEST_NAME)
    low: Real | None = None
    high: Real | None = None
    step: Real | None = None
    closed: bool = False
    shown_when: ShownWhenBlock | None = None
    targets: list[TargetBlock] = Field(min_length=1, max_length=500)


class DeliverableBlock(Block):
    name: str = Field(max_length=LONGEST_NAME)
    node: str
    port: str = Field(max_length=100)
    format: str = Field(pattern=r"^[a-z0-9_]{1,100}$")
    options: dict[str, bool | Real | Annotated[str, Field(max_length=1000)]] = Field({}, max_length=50)
    more: dict[str, Annotated[list[str], Field(min_length=2, max_length=2)]] = Field({}, max_length=8)


class DeliveryBlock(Block):
    """Common options of all files of a delivery."""

    pattern: str = Field(default="{site}_{what}", max_length=200)
    tile: int = 0
    shared: bool = True
    span: str = Field(default=OWN, max_length=100)
    low_m: Real = 0.0
    high_m: Real = 1000.0
    margin: Real = 0.08
    size: int = 0
    epsg: int = 0
    east_m: Real = 0.0
    north_m: Real = 0.0


class CameraBlock(Block):
    name: str = Field(max_length=LONGEST_NAME)
    east_m: Real
    north_m: Real
    height_m: Real
    heading_deg: Real
    pitch_deg: float | int = Field(ge=-90, le=90)
    heights_times: float | int = Field(1, ge=1, le=5)


#: The seed of all, and of those groups of nodes that have one of their own.
Seed = Annotated[int, Field(ge=0, le=999_999)]
Locks = Annotated[dict[str, Seed], Field(max_length=10)]
#: Places, metres east and north.
Pins = Annotated[list[Annotated[list[Real], Field(min_length=2, max_length=2)]], Field(max_length=2)]


class ValuesBlock(Block):
    """Values of all controls by their labels, with the seeds."""

    seed: Seed = 0
    locks: Locks = {}
    values: Annotated[dict[str, Any], Field(max_length=model.MOST_CONTROLS)] = {}


class PresetBlock(ValuesBlock):
    """The same under a name."""

    name: str = Field(max_length=LONGEST_NAME)


class KeepBlock(ValuesBlock):
    """An area in which the land of a variant stays."""

    name: str = Field(max_length=LONGEST_NAME)
    on: bool = True
    width_m: Real
    fade_m: Real
    outlines: list = Field(min_length=1, max_length=500)


class FigureBlock(Block):
    """A figure that is shown of variants, with limits outside which it is marked."""

    figure: str = Field(max_length=100)
    low: Real | None = None
    high: Real | None = None


class MeasuresBlock(Block):
    """Limits that the figures go by."""

    walkable_deg: Real = 30.0
    flat_deg: Real = 5.0
    pins: Pins = []


def damaged(error: ValidationError, what: str) -> RecipeError:
    """The fault of a file, in one sentence. what: it is."""
    first = error.errors(include_input=False, include_url=False)[0]
    where = " › ".join(shorten(str(p), 60) for p in first["loc"]) or "the file"
    return RecipeError(f"The {what} is damaged at {where}: {first['msg'].lower()}.")


class RecipeBlock(Block):
    """The whole file."""

    format: str
    version: int = Field(ge=1)
    site: SiteBlock
    seed: int = Field(0, ge=0, le=999_999)
    nodes: dict[str, NodeBlock] = {}
    controls: list[ControlBlock] = []
    deliverables: list[DeliverableBlock] = []
    cameras: list[CameraBlock] = []
    view: dict = {}
    author: str = Field("", max_length=LONGEST_NAME)
    locks: Locks = {}
    presets: list[PresetBlock] = Field(
        [], max_length=model.MOST_PRESETS, validation_alias=AliasChoices("presets", "settings")
    )
    keeps: list[KeepBlock] = Field([], max_length=model.MOST_KEEPS)
    figures: list[FigureBlock] = Field([], max_length=50)
    measures: MeasuresBlock = MeasuresBlock()
    delivery: DeliveryBlock = DeliveryBlock()


class SetBlock(Block):
    """A file of what an artist chose in a recipe."""

    format: str
    version: int = Field(ge=1)
    recipe: str = Field("", max_length=LONGEST_NAME)
    now: ValuesBlock = ValuesBlock()
    presets: list[PresetBlock] = Field(
        [], max_length=model.MOST_PRESETS, validation_alias=AliasChoices("presets", "settings")
    )
    keeps: list[KeepBlock] = Field([], max_length=model.MOST_KEEPS)
    pins: Pins = []
