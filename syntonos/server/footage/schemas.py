"""What the API says and takes about clips."""

from __future__ import annotations

from typing import Any, Literal

from ninja import Schema
from pydantic import Field

from syntonos.server.looks.schemas import Dials


class ClipOut(Schema):
    id: int
    camera_id: int
    light_id: int
    kind: Literal["scene", "chart"]
    name: str
    width: int
    height: int
    format: str
    bits: int
    frame_count: int


class ClipIn(Schema):
    camera_id: int
    light_id: int
    kind: Literal["scene", "chart"] = "scene"
    files: list[str] = Field(min_length=1, max_length=5000)
    name: str = Field("", max_length=120)


class SequenceOut(Schema):
    name: str
    files: list[str]
    is_registered: bool


class FolderOut(Schema):
    folder: str
    folders: list[str]
    sequences: list[SequenceOut]


class DraftIn(Schema):
    view: str = Field(max_length=60)
    sequence: int = Field(ge=0)
    clip_id: int
    frame: int = Field(0, ge=0)
    width: int = Field(960, ge=16, le=3840)
    chain: dict[str, Any]
    scopes: bool = True
    # Hatch what lies outside what the match has seen, or what the display cannot show.
    mark: Literal["", "unseen", "gamut"] = ""
    dials: Dials | None = None  # of a balance under the hand, instead of the chain's
