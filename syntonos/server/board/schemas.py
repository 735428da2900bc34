"""What the API says of the Board and of an angle."""

from __future__ import annotations

from typing import Literal

from ninja import Schema

from syntonos.server.board.putting_away import Kind
from syntonos.server.footage.schemas import ClipOut
from syntonos.server.matching.evidence import Kind as MatchKind
from syntonos.server.matching.schemas import (
    ClipReading,
    LayoutOut,
    MatchOut,
    ModelWordOut,
    RampPoint,
    ReadingOut,
)
from syntonos.server.productions.schemas import (
    CameraOut,
    LightOut,
    OutputRow,
    ProductionOut,
    TunerOut,
)

NextStep = Literal["none", "bring_in", "bring_chart", "read_chart", "read_reference", "fit",
                   "fit_again", "take_alike"]  # fmt: skip


class DoubtOut(Schema):
    """What speaks against the encoding that a clip is taken as, and what it may be instead."""

    clip_id: int
    clip: str
    text: str
    encoding: str  # "" where only the text helps
    encoding_name: str
    levels: str


class CellOut(Schema):
    light_id: int
    camera_id: int
    clip: ClipOut | None
    chart_clip: ClipOut | None
    state: Literal["reference", "in_tune", "close", "off", "stale", "not_measured", "borrowed"]
    delta_e: float | None
    before: float | None
    tuner: TunerOut | None
    aim: TunerOut | None  # where it should stand on purpose
    next_step: NextStep
    match_number: int | None
    match_kind: MatchKind | None  # what it stands on
    stand: str  # of the clip that is shown
    clipped: float | None  # the most of its scenes' pictures that is clipped in a channel
    reason: str  # why it is not better than its figure says
    is_clipped: bool  # whether a clipped picture is among the reasons
    doubt: DoubtOut | None


class BoardOut(Schema):
    head: int  # of the production's log: the base of what is changed now
    production: ProductionOut
    cameras: list[CameraOut]
    lights: list[LightOut]
    cells: list[CellOut]


class AwayIn(Schema):
    kind: Kind
    id: int
    is_away: bool = True
    base: int | None = None


class AwayOut(Schema):
    kind: Kind
    id: int
    name: str


class StandingClip(ClipOut):
    stand: str  # what is in force for it, as one key


class SideOut(Schema):
    camera_id: int
    letter: str
    name: str
    encoding: str
    encoding_name: str
    levels: Literal["full", "legal"]
    clips: list[StandingClip]
    reading: ReadingOut | None
    clip_readings: list[ClipReading]


class AngleOut(Schema):
    head: int  # of the production's log: the base of what is changed now
    production_id: int
    production_name: str
    outputs: list[OutputRow]
    tolerance: float
    light_id: int
    light_name: str
    reference: SideOut
    angle: SideOut
    state: str
    next_step: NextStep
    reason: str  # why it is not better than its figure says
    doubt: DoubtOut | None
    clipped: float  # share of the angle's scenes, in any channel
    tuner: TunerOut | None
    tuner_before: TunerOut | None
    match: MatchOut | None
    base_number: int  # of the match in force, 0 for none: what a fit is made on
    ramp: list[RampPoint]
    other_lights: int  # lights whose charts of this pair can take part in a fit
    layouts: list[LayoutOut]
    models: list[ModelWordOut]  # that a fit may be asked for, from the simplest to the richest
