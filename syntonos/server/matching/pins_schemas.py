"""What the API takes and says about pins."""

from __future__ import annotations

from typing import Literal

from ninja import Schema
from pydantic import Field


class PinIn(Schema):
    clip_id: int
    frame: int = Field(0, ge=0)
    name: str = Field("", max_length=60)


class PinChangeIn(Schema):
    """What is named is changed."""

    name: str | None = Field(None, min_length=1, max_length=60)
    taken_as: str | None = Field(None, max_length=60)  # a slug, "adx10", "adx16" or "profile"
    levels: Literal["full", "legal"] | None = None
    is_put_away: bool | None = None


class PinOut(Schema):
    id: int
    uuid: str
    number: int
    name: str
    clip_id: int | None  # of a frame; None of a still
    frame: int
    file_name: str
    has_profile: bool
    profile_name: str
    taken_as: str
    levels: str
    taken_words: str
