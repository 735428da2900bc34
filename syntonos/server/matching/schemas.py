"""What the API says and takes about readings and matches."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal

from ninja import Schema
from pydantic import Field

from syntonos.server.jobs.schemas import JobOut
from syntonos.server.matching.evidence import Kind

Way = Literal["picture", "areas", "statistics"]
Use = Literal["same", "within", "without"]
Box = tuple[float, float, float, float]  # left, top, width, height
Share = Annotated[float, Field(ge=0, le=1)]
Count = Annotated[int, Field(ge=0)]
BoxIn = tuple[Share, Share, Share, Share]

Point = tuple[float, float]
ModelName = Literal["white", "matrix", "roots", "smooth", "averaged"]


class LayoutOut(Schema):
    slug: str
    name: str
    columns_at: list[float]
    rows_at: list[float]
    names: list[str]
    greys: list[int]  # from 0; none where they are found in each reading
    skins: list[int]
    sample_half: float
    has_values: bool


class FittedCurveOut(Schema):
    slug: str
    name: str
    error: float  # stops
    low: float  # stored codes between which the bracket speaks
    high: float
    stops: list[float]


class LayoutIn(Schema):
    name: str = Field(min_length=1, max_length=120)
    text: str = Field(max_length=200_000)


class FindIn(Schema):
    frames: list[int] | None = None
    layout: str = "chart-24"
    every: bool = False


class OtherOut(Schema):
    corners: list[Point]
    orientation_certain: bool


class FoundOut(Schema):
    corners: list[Point]
    orientation_certain: bool
    score: float
    turned_score: float
    others: list[OtherOut]


class ReadIn(Schema):
    corners: list[Point] = Field(min_length=4, max_length=4)
    found_by: Literal["search", "hand"] = "hand"
    frames: list[int] | None = None
    layout: str = "chart-24"
    others: list[list[Point]] = Field([], max_length=5)  # more charts of the kind in the frame


class PartIn(Schema):
    reading_id: int
    stops: float | None = Field(None, ge=-12, le=12)


class MergeIn(Schema):
    parts: list[PartIn] = Field(min_length=2, max_length=9)


class BracketPart(Schema):
    reading: int
    clip: str
    stated: float | None
    stops: float  # as found, above the first
    bend: float


class LeftOutFrame(Schema):
    frame: int
    reason: str


class ReadingNotes(Schema):
    moved: float
    is_moving: bool
    left_out_frames: list[LeftOutFrame]
    bracket: list[BracketPart]
    rescued: list[int]
    is_straight: bool
    beside: list[list[Point]]  # corners of the charts of the frame that were read with this one


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
    layout: LayoutOut
    notes: ReadingNotes
    created: datetime


class WeightIn(Schema):
    patch: int = Field(ge=1, le=225)
    weight: float = Field(ge=0.1, le=10)


class AreaIn(Schema):
    clip_id: int
    x: float = Field(ge=0, le=1)  # shares of the frame's width and height
    y: float = Field(ge=0, le=1)
    width: float = Field(gt=0, le=1)
    height: float = Field(gt=0, le=1)


class AreaPairIn(Schema):
    reference: AreaIn
    angle: AreaIn
    weight: float = Field(1.0, ge=0.1, le=10)


class FitIn(Schema):
    model: ModelName = "averaged"
    leave_out: list[int] = Field(default_factory=list, max_length=225)
    weights: list[WeightIn] = Field(default_factory=list, max_length=225)
    areas: list[AreaPairIn] = Field(default_factory=list, max_length=24)
    pool: bool = False
    fills: bool = True  # whether clipped highlights are filled towards the light
    with_scene: bool = False  # whether colours of the scene compared with it take part
    values: str = Field("", max_length=200_000)  # "published", "kept", or a table of patch values
    values_name: str = Field("", max_length=120)
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


class NeighbourOut(Schema):
    kind: Literal["same lamps", "nearest", "between", "general"]
    light_id: int | None
    light_name: str | None
    match_number: int | None
    expected: float | None
    why: str


class BorrowIn(Schema):
    light_id: int | None  # none: what is made of several lights, by its kind
    kind: Literal["between", "general"] = "general"
    base_number: int = Field(0, ge=0)


class BorrowedOut(Schema):
    kind: str
    source: str
    why: str


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


class ModelWordOut(Schema):
    model: ModelName
    word: str


class ModelOut(Schema):
    model: ModelName
    name: str
    word: str  # the name, short
    after: float
    left_one_out: float
    expected: float  # mean delta E of colours that are not on the chart


class ExpectedOut(Schema):
    mean: float  # delta E
    low: float  # the true mean lies between low and high nine times in ten
    high: float


class ExpectedKindsOut(Schema):
    greys: ExpectedOut
    skins: ExpectedOut
    foliage: ExpectedOut
    saturated: ExpectedOut
    other: ExpectedOut


class AdviceOut(Schema):
    text: str
    gain: float  # how much less delta E to expect


class HighlightsOut(Schema):
    top: float
    warm: float
    cool: float


class TakeAsIn(Schema):
    encoding: str = Field(max_length=60)
    levels: Literal["full", "legal"]
    scope: Literal["clip", "light", "camera"]
    base: int | None = None


class MovedOut(Schema):
    light: str
    camera: str
    now: float | None
    after: float | None  # None where it cannot be fitted so
    problem: str


class WouldTakeOut(Schema):
    clips: list[str]
    matches: list[MovedOut]  # that would be fitted again


class BaseIn(Schema):
    base: int | None = None


class OfPinOut(Schema):
    uuid: str
    name: str


class SceneOut(Schema):
    """What a match without a chart stands on."""

    clips: tuple[str, str]  # of reference and angle
    names: tuple[str, str]
    places: int = 0
    overlap: float = 0.0  # share of the reference's picture that the angle's shows too
    clusters: int  # of colour
    aside: int  # of them, set aside
    probes: int = 0  # that took part
    misses: list[float] = []  # delta E that each probe is off, where it is from them
    mix: float = 1.0  # how much of statistics was taken
    left_out: list[Box] = []  # by hand, shares of the reference's picture
    pin: OfPinOut | None = None  # matched to in place of the reference's clip
    areas: list[tuple[Box, Box]] = []  # marked in both, in shares of each picture
    area_frames: tuple[int, int] = (0, 0)  # that they were marked in
    area_use: Use = "same"  # they show the same, alone count, or do not count


class SpotOut(Schema):
    """Places of a cell of the reference's picture, at their middle in both, in shares."""

    reference: tuple[float, float]
    angle: tuple[float, float]
    box: Box  # the cell
    count: int
    used: float  # share of them that took part
    miss: float  # median delta E that the match misses
    by_hand: bool  # taken out by a person


class SeenOut(Schema):
    """What is expected of colours that a scene has, and of others."""

    seen: ExpectedOut
    unseen: ExpectedOut


class ApartOut(Schema):
    frame: int
    exposure: float
    warmth: float
    tint: float
    delta_e: float


class DriftOut(Schema):
    """How far the matched angle is from the reference in a frame, beyond where it began."""

    frame: int
    exposure: float
    warmth: float
    tint: float
    reference: float  # stops that the reference's own picture is brighter than there
    angle: float
    still: float


class SceneCheckOut(Schema):
    """What places of the scenes say of a match, and how the two drift apart over the clip."""

    agrees: bool
    words: str
    moments: list[ApartOut]
    drift: list[DriftOut] = []
    names: tuple[str, str]  # the clips of reference and angle
    is_old: bool = False  # those are taken otherwise by now
    can_steady: bool = False  # they have colours enough for the fit of the chart


class SteadiedOut(Schema):
    """What a scene's colours had to say beside a chart."""

    names: tuple[str, str]  # the clips of reference and angle
    count: int  # of colours
    aside: int  # of them, unlike the others
    left_out: float  # mean delta E of the rest, each predicted by a fit without it


class CheckSceneIn(Schema):
    clip_id: int
    reference_clip_id: int


class MatchOut(Schema):
    id: int
    number: int
    is_current: bool
    created: datetime
    restored_from: int | None
    model: str
    model_word: str
    verdict: str  # what to make of what is to be expected, in words
    lowered_by: list[str]  # why it is not better than its figure says
    fills: bool  # whether clipped highlights were to be filled
    highlights: HighlightsOut | None  # how clipped ones are filled; None as recorded
    asked: ModelName  # the model that was asked for: few patches are fitted with a simpler one
    weights: list[WeightIn]
    areas: list[AreaPairIn]
    area_misses: list[float]  # delta E that each area misses when predicted from the chart
    pool: bool
    target: str | None  # the name of the values it was fitted to, if not the reference's reading
    borrowed: BorrowedOut | None
    kind: Kind
    scene: SceneOut | None  # where it stands on no chart
    scene_check: SceneCheckOut | None  # where it stands on charts, and scenes were looked at
    steadied: SteadiedOut | None  # where colours of a scene took part beside the chart
    stops: float
    flare_share: float
    warmth: float
    tint: float
    slope: float
    before: float | None
    white_only: float
    after: float
    left_one_out: float
    expected: float | None  # mean delta E of colours that are not on the chart
    expected_low: float | None
    expected_high: float | None
    expected_kinds: ExpectedKindsOut | None  # None before matches told it, and without a chart
    expected_seen: SeenOut | None  # of matches without a chart
    models: list[ModelOut]
    advice: list[AdviceOut]
    limit: str
    residuals: list[ResidualOut]
    warnings: list[str]
    matrix: list[tuple[float, float, float]]


class FromSceneIn(Schema):
    # Without clips the light's scenes are taken in their order.
    clip_id: int | None = None
    reference_clip_id: int | None = None
    by: Way = "picture"
    left_out: list[Box] = Field(default_factory=list, max_length=600)
    with_probes: bool = False  # whether probes of both clips count beside places
    mix: float = Field(1.0, ge=0, le=1)
    areas: list[tuple[BoxIn, BoxIn]] = Field(default_factory=list, max_length=60)
    # Of reference and angle, that they are marked in.
    frames: tuple[Count, Count] = Field(default_factory=lambda: (0, 0))
    use: Use = "same"
    base_number: int = Field(0, ge=0)
    pin_id: int | None = None  # matched to in place of the reference's clip


class MenuOut(Schema):
    exact: dict[str, float]
    settings: dict[str, int]
    rounding: float
    left: float
    level: int  # per cent
    phase: int  # degrees


class CandidateOut(Schema):
    encoding: str
    name: str
    levels: str
    log_odds: float
    slope: float
    bend: float
    noise: float
    cost: float | None
    cost_dark: float | None
    cost_bright: float | None


class EncodingCheckOut(Schema):
    verdict: Literal["agrees", "doubtful", "cannot tell"]
    stated: CandidateOut
    alike: list[CandidateOut]
    candidates: list[CandidateOut]
    causes: list[str]


class EncodingCheckStateOut(Schema):
    check: EncodingCheckOut | None
    job: JobOut | None


class RampPoint(Schema):
    index: int
    reference: float  # stops from middle grey
    angle: float


class ClipReading(Schema):
    """The newest reading of a clip, for brackets."""

    clip_id: int
    reading_id: int
    layout: str
