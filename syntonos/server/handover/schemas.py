"""What the API says and takes about exports."""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from ninja import Schema
from pydantic import Field

TargetName = str  # "reference", or the key of one of the production's outputs


class ExportIn(Schema):
    target: TargetName = "reference"
    size: Literal[17, 33, 65] = 65
    format: Literal["cube", "3dl", "clf", "cdl"] = "cube"
    cdl_in: Literal["reference", "own"] = "reference"  # the encoding that the box works in
    lut_in: Literal["stored", "expanded"] = "stored"
    lut_out: Literal["stored", "expanded"] = "stored"
    clip_id: int | None = None  # for clips that are taken as this one is


class CellIn(Schema):
    light_id: int
    camera_id: int


class PackageIn(Schema):
    """LUTs of many angles at once."""

    cells: list[CellIn] = Field(min_length=1, max_length=400)
    targets: list[TargetName] = Field(min_length=1, max_length=12)
    formats: list[Literal["cube", "3dl", "clf"]] = Field(min_length=1, max_length=3)
    size: Literal[17, 33, 65] = 33
    lut_in: Literal["stored", "expanded"] = "stored"
    lut_out: Literal["stored", "expanded"] = "stored"
    stills: bool = False


class VariantOut(Schema):
    """Clips that the camera's usual LUT does not fit."""

    clip_id: int
    clips: list[str]
    encoding_name: str
    levels: Literal["full", "legal"]
    scene: str


class DifferenceOut(Schema):
    colours: Literal["grid", "wide", "picture"]
    interpolation: Literal["tetrahedral", "trilinear"]
    bits: int | None
    mean: float
    p99_9: float
    max: float


class CdlLossOut(Schema):
    """What a CDL alone loses against the exact chain, delta E 2000 on the clip's own pixels."""

    encoding_name: str  # that the box works in
    mean: float
    p99_9: float
    max: float


class ReadBackOut(Schema):
    size: int
    differences: list[DifferenceOut]
    share_outside: float | None
    share_beyond: float | None = None  # missing in exports of earlier versions
    lacks: str = ""  # what the LUT cannot hold of the chain
    cdl: CdlLossOut | None = None
    cost: float | None = None  # what the LUT adds to the mean delta E expected of its match


class ExportOut(Schema):
    id: int
    target: TargetName
    size: int
    format: Literal["cube", "3dl", "clf", "cdl"]
    lut_in: Literal["stored", "expanded"]
    lut_out: Literal["stored", "expanded"]
    file_name: str
    sha256: str
    match_number: int | None
    clip_name: str
    is_current: bool
    read_back: ReadBackOut
    created: datetime
