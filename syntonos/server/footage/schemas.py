"""What the API says and takes about footage."""

from __future__ import annotations

from typing import Any, Literal

from ninja import Schema
from pydantic import Field

from syntonos.server.jobs.schemas import ProblemOut

MatrixName = Literal["bt709", "bt601", "bt2020", "240m", "fcc"]

Kind = Literal["scene", "chart"]
Media = Literal["stills", "video", "raw"]


class ClipOut(Schema):
    id: int
    camera_id: int
    light_id: int
    kind: Kind
    name: str
    width: int
    height: int
    format: str
    bits: int
    frame_count: int
    media: Media
    rate: str
    timecode: str
    start_frame: int | None  # the timecode in frames since midnight; None where there is none
    scene: str
    encoding: str
    levels: Literal["full", "legal"]
    warnings: list[str]
    clipped_share: float | None  # of its picture, clipped in any channel; None if not measured


class FindingOut(Schema):
    kind: str
    text: str
    encoding: str
    levels: str


class ClipRow(ClipOut):
    """A clip in the list."""

    encoding_name: str
    differs: str = ""  # how its siblings are taken, where it is taken otherwise
    facts: dict[str, str]
    overrides: dict[str, Any]
    is_missing: bool
    is_checked: bool
    findings: list[FindingOut]  # what speaks against how it is taken
    sidecars: list[str]
    strip: list[int]  # frames that small pictures are kept of


class ClipPage(Schema):
    head: int  # of the production's log: the base of what is changed now
    total: int
    clips: list[ClipRow]


class ClipDetails(ClipRow):
    """All that is known of a clip."""

    head: int  # of the production's log: the base of what is changed now
    files: list[str]
    metadata: dict[str, str]
    tagged_range: str
    pixel_aspect: float
    missing: list[int]
    checksum: str
    also_at: list[str]  # first files of its copies
    differences: list[str]  # from its light's chart clip


class ClipIn(Schema):
    camera_id: int
    light_id: int
    kind: Kind = "scene"
    files: list[str] = Field(min_length=1, max_length=5000)
    name: str = Field("", max_length=120)


class ClipChange(Schema):
    base: int | None = None  # the newest entry of the log that its author had seen
    name: str | None = Field(None, min_length=1, max_length=120)
    kind: Kind | None = None
    light_id: int | None = None
    camera_id: int | None = None


class ClipSettings(Schema):
    """Settings of clips: only the fields that are sent are applied; null takes one back."""

    encoding: str | None = None
    levels: Literal["full", "legal"] | None = None
    quantisation: Literal["full", "legal"] | None = None
    matrix: MatrixName | None = None
    siting: Literal["left", "center", "topleft", "top", "bottomleft", "bottom"] | None = None
    white: Literal["as-shot", "set"] | None = None
    kelvin: float | None = Field(None, ge=1700, le=25000)
    tint: float | None = Field(None, ge=-50, le=50)
    stops: float | None = Field(None, ge=-8, le=8)
    exposure_index: int | None = Field(None, ge=25, le=102400)
    highlights: Literal["clip", "blend", "rebuild"] | None = None


class ClipSettingsIn(Schema):
    base: int | None = None  # the newest entry of the log that its author had seen
    ids: list[int] = Field(min_length=1, max_length=10000)
    values: ClipSettings


class SequenceOut(Schema):
    name: str
    files: list[str]
    media: Media
    missing: int
    is_registered: bool


class FolderOut(Schema):
    folder: str
    folders: list[str]
    sequences: list[SequenceOut]


class FoldersIn(Schema):
    folders: list[str] = Field(min_length=1, max_length=200)


class ArrivalOut(Schema):
    id: int
    folder: str
    name: str
    file_count: int
    missing: int
    state: Literal["proposed", "accepted", "done", "failed"]
    problem: ProblemOut | None
    letter: str
    camera_name: str
    encoding: str
    encoding_name: str
    light_name: str
    kind: Kind
    matrices: list[MatrixName]  # between which a person must say; empty where the file is clear
    matrix: MatrixName | Literal[""]  # what was said
    differs: str = ""  # how what its file says differs from how its camera is taken
    reasons: dict[str, Any]
    media: str
    format: str
    width: int
    height: int
    bits: int
    frame_count: int
    rate: str
    timecode: str
    facts: dict[str, str]
    warnings: list[str]


class ArrivalChange(Schema):
    ids: list[int] = Field(min_length=1, max_length=10000)
    name: str | None = Field(None, min_length=1, max_length=120)
    letter: str | None = Field(None, pattern="^[A-Z]$")
    camera_name: str | None = Field(None, min_length=1, max_length=80)
    encoding: str | None = Field(None, max_length=60)
    light_name: str | None = Field(None, min_length=1, max_length=80)
    kind: Kind | None = None
    matrix: MatrixName | None = None


class ArrivalsIn(Schema):
    ids: list[int] = Field(min_length=1, max_length=10000)
