"""What the API says and takes about readings and matches."""

from __future__ import annotations

from datetime import datetime
from typing import Any, Literal

from ninja import Schema
from pydantic import Field

from syntonos.server.footage.schemas import ClipOut

Point = tuple[float, float]


class FindIn(Schema):
    frames: list[int] | None = None


class FoundOut(Schema):
    corners: list[Point]
    orientation_certain: bool
    score: float
    turned_score: float


class ReadIn(Schema):
    corners: list[Point] = Field(min_length=4, max_length=4)
    found_by: Literal["search", "hand"] = "hand"
    frames: list[int] | None = None


class PatchOut(Schema):
    index: int
    centre: Point
    code_rgb: tuple[float, float, float]
    lin_rgb: tuple[float, float, float]
    spread: tuple[float, float, float]
    error: float
    flags: list[str]


class ReadingOut(Schema):
    id: int
    clip_id: int
    number: int
    frames: list[int]
    found_by: str
    encoding: str
    levels: str
    corners: list[Point]
    patches: list[PatchOut]
    swatches: list[str]  # how the patches look, #rrggbb
    created: datetime


class WeightIn(Schema):
    patch: int = Field(ge=1, le=24)
    weight: float = Field(ge=0.1, le=10)


class FitIn(Schema):
    model: Literal["white", "matrix", "roots", "smooth", "averaged"] = "averaged"
    leave_out: list[int] = Field(default_factory=list, max_length=24)
    weights: list[WeightIn] = Field(default_factory=list, max_length=24)
    base_number: int = Field(0, ge=0)


class ClipChangeOut(Schema):
    name: str
    mean: float  # delta E between the pictures
    most: float  # of the most changed hundredth


class ChangeOut(Schema):
    expected: float
    expected_now: float | None
    clips: list[ClipChangeOut]
    files: list[str]


class RestoreIn(Schema):
    base_number: int = Field(ge=0)


class ResidualOut(Schema):
    index: int
    name: str
    before: float
    after: float
    left_out: str | None
    predicted: float | None
    grey_spread: float | None


class ModelOut(Schema):
    model: str
    name: str
    after: float
    left_one_out: float
    expected: float  # mean delta E of colours that are not on the chart


class AdviceOut(Schema):
    text: str
    gain: float  # how much less delta E to expect


class MatchOut(Schema):
    id: int
    number: int
    is_current: bool
    created: datetime
    restored_from: int | None
    model: str
    asked: str  # the model that was asked for: with few patches it is not the one that was fitted
    weights: list[WeightIn]
    stops: float
    flare_share: float
    warmth: float
    tint: float
    slope: float
    before: float
    white_only: float
    after: float
    left_one_out: float
    expected: float | None  # mean delta E of colours that are not on the chart
    expected_low: float | None
    expected_high: float | None
    models: list[ModelOut]
    advice: list[AdviceOut]
    limit: str
    residuals: list[ResidualOut]
    warnings: list[str]
    matrix: list[tuple[float, float, float]]


class MenuOut(Schema):
    exact: dict[str, float]
    settings: dict[str, int]
    rounding: float
    left: float


class CandidateOut(Schema):
    encoding: str
    name: str
    levels: str
    log_odds: float
    slope: float
    bend: float
    cost: float | None
    cost_dark: float | None
    cost_bright: float | None


class EncodingCheckOut(Schema):
    verdict: Literal["agrees", "doubtful", "cannot tell"]
    stated: CandidateOut
    alike: list[CandidateOut]
    candidates: list[CandidateOut]
    causes: list[str]


class RampPoint(Schema):
    index: int
    reference: float  # stops from middle grey
    angle: float


class SideOut(Schema):
    camera_id: int
    letter: str
    name: str
    encoding_name: str
    levels: str
    clips: list[ClipOut]
    reading: ReadingOut | None
    chain: dict[str, Any]


class AngleOut(Schema):
    production_id: int
    production_name: str
    tolerance: float
    light_id: int
    light_name: str
    reference: SideOut
    angle: SideOut
    state: str
    next_step: str
    tuner: dict[str, float] | None
    tuner_before: dict[str, float] | None
    match: MatchOut | None
    newest_number: int
    ramp: list[RampPoint]
