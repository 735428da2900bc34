"""Chart readings and matches: both are only ever added, never changed."""

from __future__ import annotations

from typing import Any

from django.db import models

from syntonos.server.history.models import Identified, Kept, Revision
from syntonos.server.matching import evidence as documents


class ReadingsInForce(models.Manager["ChartReading"]):
    """Readings that were not withdrawn: what everything but the log asks for."""

    def get_queryset(self) -> models.QuerySet[ChartReading]:
        return super().get_queryset().filter(is_withdrawn=False, clip__is_put_away=False)


class ChartReading(Identified):
    clip = models.ForeignKey("footage.Clip", on_delete=models.PROTECT, related_name="readings")
    number = models.PositiveIntegerField()
    frames = models.JSONField()  # indices of the frames that were averaged
    found_by = models.CharField(max_length=8)  # "search" or "hand"
    encoding = models.CharField(max_length=60)
    levels = models.CharField(max_length=5)
    data = models.JSONField()  # the core's reading
    # What there is to say of its frames, and of which readings it was merged.
    notes = models.JSONField(default=dict)
    is_withdrawn = models.BooleanField(default=False)  # its making was undone, or it was thrown out
    created = models.DateTimeField(auto_now_add=True)

    objects = ReadingsInForce()
    every = models.Manager()

    class Meta:
        ordering = ["number"]
        constraints = [
            models.UniqueConstraint(fields=["clip", "number"], name="reading_number_once"),
            models.CheckConstraint(
                condition=models.Q(found_by__in=["search", "hand"]), name="reading_found_by_known"
            ),
        ]

    def __str__(self) -> str:
        return f"reading {self.number} of {self.clip_id}"


class EncodingCheck(models.Model):
    """What a pair of readings says of the angle's encoding, so that it is worked out once."""

    reference_reading = models.ForeignKey(
        ChartReading, on_delete=models.CASCADE, related_name="checks_as_reference"
    )
    angle_reading = models.ForeignKey(
        ChartReading, on_delete=models.CASCADE, related_name="checks_as_angle"
    )
    data = models.JSONField()  # the core's check

    class Meta:
        constraints = [
            models.UniqueConstraint(
                fields=["reference_reading", "angle_reading"], name="check_once"
            ),
        ]

    def __str__(self) -> str:
        return f"check of reading {self.angle_reading_id}"


class SceneCheck(models.Model):
    """What places of the scenes say of a match from charts, so that it is worked out once."""

    match = models.OneToOneField("Match", on_delete=models.CASCADE, related_name="scene_check")
    data = models.JSONField()  # the core's check, and the clips and how they were taken

    def __str__(self) -> str:
        return f"scene check of match {self.match_id}"


class ChartLayout(Identified):
    """A chart that a person described in a layout file."""

    production = models.ForeignKey(
        "productions.Production", on_delete=models.PROTECT, related_name="layouts"
    )
    slug = models.SlugField(max_length=60)
    text = models.TextField(max_length=200_000)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["slug"]
        constraints = [
            models.UniqueConstraint(fields=["production", "slug"], name="layout_once"),
        ]

    def __str__(self) -> str:
        return self.slug


class Trim(Revision):
    """A revision of a camera's trim in a light, or of what one clip adds to it.

    `match` is the one in force when it was made: over another one it is marked.
    """

    light = models.ForeignKey("productions.Light", on_delete=models.PROTECT, related_name="trims")
    camera = models.ForeignKey("productions.Camera", on_delete=models.PROTECT, related_name="trims")
    clip = models.ForeignKey(
        "footage.Clip", on_delete=models.PROTECT, related_name="trims", null=True, blank=True
    )
    match = models.ForeignKey(
        "Match", on_delete=models.PROTECT, related_name="trims", null=True, blank=True
    )
    stage = models.JSONField()

    class Meta:
        ordering = ["-number"]
        constraints = [
            # SQL treats NULLs as distinct: trims of lights have constraints of their own.
            models.UniqueConstraint(
                fields=["light", "camera", "number"], condition=models.Q(clip__isnull=True),
                name="trim_number_once",
            ),
            models.UniqueConstraint(
                fields=["light", "camera"],
                condition=models.Q(clip__isnull=True, is_current=True), name="trim_one_current",
            ),
            models.UniqueConstraint(
                fields=["clip", "number"], condition=models.Q(clip__isnull=False),
                name="clip_trim_number_once",
            ),
            models.UniqueConstraint(
                fields=["clip"], condition=models.Q(clip__isnull=False, is_current=True),
                name="clip_trim_one_current",
            ),
        ]  # fmt: skip

    def __str__(self) -> str:
        return f"trim {self.number} of {self.clip or f'{self.camera} in {self.light}'}"


class Probe(Kept):
    """A thing in a light that cameras see, a wall or a skin: each clip has one place of it.

    `places` are by the clip's UUID: frame, x and y in shares of the picture, and the diameter in
    shares of its width.
    """

    light = models.ForeignKey("productions.Light", on_delete=models.PROTECT, related_name="probes")
    number = models.PositiveIntegerField()
    name = models.CharField(max_length=40, blank=True)
    is_skin = models.BooleanField(default=False)
    places = models.JSONField(default=dict)

    class Meta:
        ordering = ["number"]
        constraints = [
            models.UniqueConstraint(fields=["light", "number"], name="probe_number_once"),
        ]

    def __str__(self) -> str:
        return self.name or f"probe {self.number}"


class Pin(Kept):
    """A picture to match to: a frame of a clip as it stood, or an imported still.

    A frame keeps the chain that led to scene-linear light when it was pinned; a still its file,
    by sha256 below the data folder, and what it is taken as.
    """

    production = models.ForeignKey(
        "productions.Production", on_delete=models.PROTECT, related_name="pins"
    )
    number = models.PositiveIntegerField()
    name = models.CharField(max_length=60, blank=True)
    clip = models.ForeignKey(
        "footage.Clip", on_delete=models.PROTECT, related_name="pins", null=True, blank=True
    )
    frame = models.PositiveIntegerField(default=0)
    chain = models.JSONField(null=True, blank=True)
    file_name = models.CharField(max_length=160, blank=True)
    sha256 = models.CharField(max_length=64, blank=True)
    profile_name = models.CharField(max_length=120, blank=True)
    has_profile = models.BooleanField(default=False)
    taken_as = models.CharField(max_length=60, blank=True)
    levels = models.CharField(max_length=5, default="full")

    class Meta:
        ordering = ["number"]
        constraints = [
            models.UniqueConstraint(fields=["production", "number"], name="pin_number_once"),
            models.CheckConstraint(
                condition=models.Q(clip__isnull=False) ^ ~models.Q(sha256=""), name="pin_of_one"
            ),
        ]

    def __str__(self) -> str:
        return self.name or self.file_name or f"pin {self.number}"


class Aim(Identified):
    """Where the tuner should stand on purpose: of a camera, of a light, or of one in the other.

    `values` are by scale, in the tuner's units; what is not named is 0. Aims that a picture has
    from several sides add up.
    """

    production = models.ForeignKey(
        "productions.Production", on_delete=models.PROTECT, related_name="aims"
    )
    light = models.ForeignKey(
        "productions.Light", on_delete=models.PROTECT, related_name="aims", null=True, blank=True
    )
    camera = models.ForeignKey(
        "productions.Camera", on_delete=models.PROTECT, related_name="aims", null=True, blank=True
    )
    values = models.JSONField(default=dict)

    class Meta:
        constraints = [
            # SQL treats NULLs as distinct: each way of leaving one open has its own.
            models.UniqueConstraint(
                fields=["light", "camera"], name="aim_of_both_once",
                condition=models.Q(light__isnull=False, camera__isnull=False),
            ),
            models.UniqueConstraint(
                fields=["light"], name="aim_of_light_once",
                condition=models.Q(light__isnull=False, camera__isnull=True),
            ),
            models.UniqueConstraint(
                fields=["camera"], name="aim_of_camera_once",
                condition=models.Q(light__isnull=True, camera__isnull=False),
            ),
            models.CheckConstraint(
                condition=models.Q(light__isnull=False) | models.Q(camera__isnull=False),
                name="aim_of_something",
            ),
        ]  # fmt: skip

    def __str__(self) -> str:
        return f"aim of {self.camera or 'all cameras'} in {self.light or 'every light'}"


class Match(Revision):
    light = models.ForeignKey("productions.Light", on_delete=models.PROTECT, related_name="matches")
    camera = models.ForeignKey(
        "productions.Camera", on_delete=models.PROTECT, related_name="matches"
    )
    reference = models.ForeignKey(
        "productions.Camera", on_delete=models.PROTECT, related_name="matches_as_reference"
    )
    reference_reading = models.ForeignKey(
        ChartReading, on_delete=models.PROTECT, related_name="matches_as_reference", null=True,
        blank=True,
    )  # fmt: skip
    # Of another light where the match is borrowed; no reference where the target is values, and
    # neither where it is from the picture: then the evidence says what it stands on.
    angle_reading = models.ForeignKey(
        ChartReading, on_delete=models.PROTECT, related_name="matches_as_angle", null=True,
        blank=True,
    )  # fmt: skip
    chain = models.JSONField()  # a chain document with this match
    evidence = models.JSONField()  # what it stands on, by kind; read as `facts`
    restored_from = models.ForeignKey(
        "self", on_delete=models.PROTECT, null=True, blank=True, related_name="+"
    )

    class Meta:
        ordering = ["number"]
        constraints = [
            models.UniqueConstraint(
                fields=["light", "camera", "reference", "number"], name="match_number_once"
            ),
            models.UniqueConstraint(
                fields=["light", "camera", "reference"], condition=models.Q(is_current=True),
                name="one_current_match",
            ),
            models.CheckConstraint(
                condition=~models.Q(camera=models.F("reference")), name="match_of_an_angle"
            ),
        ]  # fmt: skip

    @property
    def facts(self) -> dict[str, Any]:
        """What it stands on, in the present version."""
        return documents.read(self.evidence)

    def __str__(self) -> str:
        return f"match {self.number} of camera {self.camera_id} in light {self.light_id}"
