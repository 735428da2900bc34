"""What the API says and takes about productions."""

from __future__ import annotations

from typing import Literal

from ninja import Schema
from pydantic import Field

from syntonos.core.chain import ToneScale
from syntonos.server.api.chain_schemas import DisplayStage, OutputStage, OwnDefinition

LevelsName = Literal["full", "legal"]


class OutputRow(Schema):
    key: str = Field("", max_length=40)
    name: str = Field(min_length=1, max_length=60)
    stage: DisplayStage


class OutputIn(Schema):
    key: str = Field("", max_length=40)
    name: str = Field(min_length=1, max_length=60)
    stage: OutputStage


class DisplayOut(Schema):
    slug: str
    name: str
    source: str
    peak: float
    tone: ToneScale


class ToneIn(Schema):
    display: str
    tone: ToneScale


class ToneCurveOut(Schema):
    stops: list[float]  # above middle grey
    light: list[float]  # of the display, 1 = 100 cd/m2
    code: list[float]
    peak: float


class CurveOut(Schema):
    code: list[float]
    stops: list[float | None]  # above middle grey; None at and below black
    lin: list[float]


class OwnEncodingIn(Schema):
    definition: OwnDefinition


class ConfigSpaceOut(Schema):
    name: str
    family: str
    is_scene: bool


class ConfigTakeIn(Schema):
    config: str = Field(max_length=200)
    name: str = Field(max_length=200)


class EncodingOut(Schema):
    slug: str
    name: str
    kind: Literal["camera", "working", "display", "linear", "own"]
    source: str
    definition: OwnDefinition | None = None


class RawSettings(Schema):
    """How raw is developed; what is not said is as shot."""

    white: Literal["as-shot", "set"] = "as-shot"
    kelvin: float = Field(5600.0, ge=1700, le=25000)
    tint: float = Field(0.0, ge=-50, le=50)
    stops: float = Field(0.0, ge=-8, le=8)
    exposure_index: int | None = Field(None, ge=25, le=102400)
    highlights: Literal["clip", "blend", "rebuild"] = "clip"


class CameraOut(Schema):
    id: int
    letter: str
    name: str
    encoding: str
    encoding_name: str
    levels: LevelsName
    quantisation: Literal["", "full", "legal"]
    raw: RawSettings
    note: str
    is_reference: bool
    is_stand_in: bool
    unit_stops: float
    unit_tint: float


class UsualOut(Schema):
    """What range and curve levels files of a kind usually go with."""

    files: str
    levels: LevelsName
    ranges: list[Literal["", "full", "legal"]]  # of video; any of them is as usual
    words: str


class CameraIn(Schema):
    letter: str = Field(pattern="^[A-Z]$")
    name: str = Field(min_length=1, max_length=80)
    encoding: str
    levels: LevelsName = "full"
    quantisation: Literal["", "full", "legal"] = ""
    raw: RawSettings = Field(default_factory=dict, validate_default=True)
    note: str = Field("", max_length=2000)
    is_stand_in: bool = False
    unit_stops: float = Field(0.0, ge=-2, le=2)
    unit_tint: float = Field(0.0, ge=-1, le=1)


class CameraChange(Schema):
    base: int | None = None  # the newest entry of the log that its author had seen
    name: str | None = Field(None, min_length=1, max_length=80)
    encoding: str | None = None
    levels: LevelsName | None = None
    quantisation: Literal["", "full", "legal"] | None = None
    raw: RawSettings | None = None
    note: str | None = Field(None, max_length=2000)
    is_stand_in: bool | None = None
    unit_stops: float | None = Field(None, ge=-2, le=2)
    unit_tint: float | None = Field(None, ge=-1, le=1)


class LightOut(Schema):
    id: int
    name: str
    conditions: str
    clips: int = 0
    readings: int = 0


class LightIn(Schema):
    name: str = Field(min_length=1, max_length=80)
    conditions: str = Field("", max_length=200)


class LightChange(Schema):
    base: int | None = None  # the newest entry of the log that its author had seen
    name: str | None = Field(None, min_length=1, max_length=80)
    conditions: str | None = Field(None, max_length=200)


class ProductionOut(Schema):
    id: int
    name: str
    reference_camera_id: int | None
    tolerance: float
    outputs: list[OutputRow]


class ProductionIn(Schema):
    name: str = Field(min_length=1, max_length=120)


class ProductionChange(Schema):
    base: int | None = None  # the newest entry of the log that its author had seen
    name: str | None = Field(None, min_length=1, max_length=120)
    reference_camera_id: int | None = None
    tolerance: float | None = Field(None, ge=0.1, le=10)
    outputs: list[OutputIn] | None = Field(None, min_length=1, max_length=8)


class TunerOut(Schema):
    exposure: float
    warmth: float
    tint: float
    contrast: float
    strength: float
