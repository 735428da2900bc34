"""Production, camera, light."""

from __future__ import annotations

import json
from dataclasses import asdict
from typing import Any

from django.core.validators import MaxValueValidator, MinValueValidator, RegexValidator
from django.db import models

from syntonos.core.chain import DisplayOutput, EncodingOutput, Input, Output, read_output
from syntonos.core.errors import ChainError
from syntonos.core.matching.verdict import USUAL_TOLERANCE
from syntonos.server.history.models import Identified, Kept


class Levels(models.TextChoices):
    FULL = "full"
    LEGAL = "legal"


def usual_outputs() -> list[dict[str, Any]]:
    """Return what a new production shows: Rec.709 with our tone scale."""
    return [{"key": "rec709", "name": "Rec.709", "stage": json.loads(json.dumps(asdict(Output())))}]


class Production(Kept):
    name = models.CharField(max_length=120)
    reference_camera = models.ForeignKey(
        "productions.Camera", on_delete=models.PROTECT, null=True, blank=True, related_name="+"
    )
    tolerance = models.FloatField(
        default=USUAL_TOLERANCE, validators=[MinValueValidator(0.1), MaxValueValidator(10)]
    )
    # The first one is shown everywhere; each has key, name and stage.
    outputs = models.JSONField(default=usual_outputs)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [
            models.CheckConstraint(condition=models.Q(tolerance__gt=0), name="tolerance_positive"),
        ]

    def __str__(self) -> str:
        return self.name

    def output(self, key: str = "") -> DisplayOutput:
        """Return one of the outputs, or the main one.

        Raises
        ------
        ChainError
            output.unknown.
        """
        for row in self.outputs:
            if not key or row["key"] == key:
                stage = read_output(row["stage"])
                assert not isinstance(stage, EncodingOutput)  # noqa: S101 - checked when stored
                return stage
        raise ChainError(
            f"This production has no output {key!r}.", code="output.unknown",
            hint=f"It has {', '.join(row['key'] for row in self.outputs)}.",
        )  # fmt: skip


class OwnEncoding(Identified):
    """An encoding that a person entered or took from a config; its slug is its content's."""

    production = models.ForeignKey(
        Production, on_delete=models.PROTECT, related_name="own_encodings"
    )
    slug = models.CharField(max_length=40)
    name = models.CharField(max_length=80)
    definition = models.JSONField()
    source = models.CharField(max_length=200, blank=True)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["name", "id"]
        constraints = [
            models.UniqueConstraint(fields=["production", "slug"], name="own_encoding_once"),
        ]

    def __str__(self) -> str:
        return self.name


class Camera(Kept):
    production = models.ForeignKey(Production, on_delete=models.PROTECT, related_name="cameras")
    letter = models.CharField(max_length=1, validators=[RegexValidator("^[A-Z]$", "A to Z")])
    name = models.CharField(max_length=80)
    encoding = models.CharField(max_length=60)
    levels = models.CharField(max_length=5, choices=Levels, default=Levels.FULL)
    # Of video: what the file says, or is usual, where it is empty.
    quantisation = models.CharField(max_length=5, choices=Levels, blank=True)
    raw = models.JSONField(default=dict, blank=True)  # of core.media.RawDevelopment, not encoding
    note = models.TextField(blank=True, max_length=2000)
    # No list has this camera: it is shown as a relative is.
    is_stand_in = models.BooleanField(default=False)
    # One body's own difference from what its encoding says: stops of light, of green alone.
    unit_stops = models.FloatField(
        default=0.0, validators=[MinValueValidator(-2), MaxValueValidator(2)]
    )
    unit_tint = models.FloatField(
        default=0.0, validators=[MinValueValidator(-1), MaxValueValidator(1)]
    )

    class Meta:
        ordering = ["letter"]
        constraints = [
            models.UniqueConstraint(fields=["production", "letter"], name="letter_once"),
            models.CheckConstraint(
                condition=models.Q(levels__in=["full", "legal"]), name="camera_levels_known"
            ),
            models.CheckConstraint(
                condition=models.Q(quantisation__in=["", "full", "legal"]),
                name="camera_quantisation_known",
            ),
        ]

    def __str__(self) -> str:
        return f"{self.letter} {self.name}"

    @property
    def input(self) -> Input:
        """The chain's input stage of this body, where no match says it better."""
        gain, tint = 2.0**self.unit_stops, self.unit_tint / 3
        side, green = gain * 2.0**-tint, gain * 2.0 ** (2 * tint)
        return Input(unit=(side, green, side))


class Light(Kept):
    production = models.ForeignKey(Production, on_delete=models.PROTECT, related_name="lights")
    name = models.CharField(max_length=80)
    conditions = models.CharField(max_length=200, blank=True)
    position = models.PositiveSmallIntegerField(default=0)

    class Meta:
        ordering = ["position", "id"]
        constraints = [
            models.UniqueConstraint(fields=["production", "name"], name="light_name_once"),
        ]

    def __str__(self) -> str:
        return self.name
