"""Clips: one recording of one camera, however many files it is spread over; what came in."""

from __future__ import annotations

import hashlib
import json
from dataclasses import asdict
from fractions import Fraction
from typing import Any, ClassVar, Self

from django.db import models

from syntonos.core.encodings import levels_scale_offset
from syntonos.core.errors import MediaError
from syntonos.core.media import Development, RawDevelopment
from syntonos.core.media.facts import frame_of_timecode
from syntonos.server.history.models import Kept

# What a clip may have of its own; the rest is its camera's.
RAW_SETTINGS = ("white", "kelvin", "tint", "stops", "exposure_index", "highlights")
SETTINGS = ("encoding", "levels", "quantisation", "matrix", "siting", *RAW_SETTINGS)


class ClipsInUse(models.Manager[Any]):
    """Clips that were not put away, nor their camera or light."""

    def get_queryset(self) -> models.QuerySet[Any]:
        return (
            super()
            .get_queryset()
            .filter(is_put_away=False, camera__is_put_away=False, light__is_put_away=False)
        )


class Clip(Kept):
    class Kind(models.TextChoices):
        SCENE = "scene"
        CHART = "chart"

    camera = models.ForeignKey("productions.Camera", on_delete=models.PROTECT, related_name="clips")
    light = models.ForeignKey("productions.Light", on_delete=models.PROTECT, related_name="clips")
    kind = models.CharField(max_length=8, choices=Kind, default=Kind.SCENE)
    name = models.CharField(max_length=120)
    root = models.CharField(max_length=20, default="media")
    files = models.JSONField()  # paths below the root, in order of frames
    media = models.CharField(max_length=6, default="stills")  # stills, video, raw
    frame_count = models.PositiveIntegerField(default=1)
    rate = models.CharField(max_length=24, blank=True)  # frames a second, as a fraction
    timecode = models.CharField(max_length=11, blank=True)
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()
    pixel_aspect = models.FloatField(default=1.0)
    format = models.CharField(max_length=20)
    bits = models.PositiveSmallIntegerField()
    tagged_range = models.CharField(max_length=5, blank=True)
    checksum = models.CharField(max_length=64)  # sha256 over the files' own, in order
    marks = models.JSONField(default=list)  # of each file: size, sha256
    facts = models.JSONField(default=dict)  # under the names of core.media.FACTS
    metadata = models.JSONField(default=dict)
    warnings = models.JSONField(default=list)
    missing = models.JSONField(default=list)  # numbers of the frames that are not there
    copies = models.JSONField(default=list)  # where its files lie too, byte by byte: root, files
    overrides = models.JSONField(default=dict)  # of SETTINGS, where it differs from its camera
    # What its code values look like, what speaks against how it is taken, and for what that holds.
    profile = models.JSONField(default=dict)
    findings = models.JSONField(default=list)
    findings_of = models.CharField(max_length=120, blank=True)
    # How much of its picture is clipped, by what it was taken as (`footage.clipping`): what is
    # undone finds its own measure again.
    clipped = models.JSONField(default=dict)
    created = models.DateTimeField(auto_now_add=True)

    objects: ClassVar[models.Manager[Self]] = ClipsInUse()
    every: ClassVar[models.Manager[Self]] = models.Manager()

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["camera", "name"], name="clip_name_once"),
            models.CheckConstraint(
                condition=models.Q(kind__in=["scene", "chart"]), name="clip_kind_known"
            ),
        ]

    def __str__(self) -> str:
        return self.name

    @property
    def encoding(self) -> str:
        """What its code values carry: its own, or its camera's."""
        return str(self.overrides.get("encoding") or self.camera.encoding)

    @property
    def levels(self) -> str:
        """Curve levels: its own, or its camera's. Raw is developed to the whole scale."""
        if self.media == "raw":
            return "full"
        levels = str(self.overrides.get("levels") or self.camera.levels)
        levels_scale_offset(levels)
        return levels

    @property
    def development(self) -> Development:
        """How its files become code values."""
        raw: dict[str, Any] = {**self.camera.raw}
        raw |= {name: self.overrides[name] for name in RAW_SETTINGS if name in self.overrides}
        return Development(
            quantisation=self.overrides.get("quantisation") or self.camera.quantisation,
            matrix=self.overrides.get("matrix") or "", siting=self.overrides.get("siting") or "",
            raw=RawDevelopment(**raw, encoding=self.encoding) if self.media == "raw"
            else RawDevelopment(),
        )  # fmt: skip

    @property
    def development_key(self) -> str:
        """What its code values depend on beside the files; "" for pictures."""
        if self.media == "stills":
            return ""
        plain = asdict(self.development)
        if not plain["siting"]:
            del plain["siting"]  # as it was before there was this setting
        text = json.dumps(plain, sort_keys=True)
        return hashlib.sha256(text.encode()).hexdigest()[:16]

    @property
    def taken_as(self) -> str:
        """What findings hold for: encoding, levels and how the files are read."""
        return f"{self.encoding} {self.levels} {self.development_key}"[:120]

    @property
    def clipped_share(self) -> float | None:
        """The share of its picture that is clipped in any channel; None where not measured."""
        found = self.clipped.get(self.taken_as)
        return float(found["any"]) if found else None

    @property
    def scene(self) -> str:
        """As on the slate, where its files say it."""
        return str(self.facts.get("scene", ""))[:80]

    @property
    def frames_a_second(self) -> Fraction | None:
        """Its rate, where it has one."""
        return Fraction(self.rate) if self.rate else None

    @property
    def start_frame(self) -> int | None:
        """Its first frame's number since midnight by its timecode, which may be none."""
        try:
            return frame_of_timecode(self.timecode, self.frames_a_second or Fraction(24))
        except MediaError:
            return None


class Arrival(models.Model):
    """A recording that was found, until it is a clip: what it says, and where it would go."""

    class State(models.TextChoices):
        PROPOSED = "proposed"
        ACCEPTED = "accepted"
        DONE = "done"
        FAILED = "failed"

    production = models.ForeignKey(
        "productions.Production", on_delete=models.CASCADE, related_name="arrivals"
    )
    root = models.CharField(max_length=20, default="media")
    folder = models.CharField(max_length=500, blank=True)
    name = models.CharField(max_length=120)
    files = models.JSONField()
    missing = models.JSONField(default=list)
    recording = models.JSONField(null=True, blank=True)  # what the files say; None where broken
    state = models.CharField(max_length=8, choices=State, default=State.PROPOSED)
    problem = models.JSONField(null=True, blank=True)  # code, detail, hint
    # Where it would go: a letter and a light's name, there already or to be made.
    letter = models.CharField(max_length=1, blank=True)
    camera_name = models.CharField(max_length=80, blank=True)
    encoding = models.CharField(max_length=60, blank=True)  # of a camera that is to be made
    light_name = models.CharField(max_length=80, blank=True)
    kind = models.CharField(max_length=8, choices=Clip.Kind, default=Clip.Kind.SCENE)
    matrix = models.CharField(max_length=12, blank=True)  # said by a person, where files disagree
    reasons = models.JSONField(default=dict)  # why: letter, light, kind, encoding
    clip = models.ForeignKey(Clip, on_delete=models.SET_NULL, null=True, blank=True)

    class Meta:
        ordering = ["letter", "light_name", "folder", "name", "id"]

    def __str__(self) -> str:
        return self.name
