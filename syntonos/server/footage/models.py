"""Clips: one recording of one camera, however many files it is spread over."""

from __future__ import annotations

from django.db import models


class Clip(models.Model):
    class Kind(models.TextChoices):
        SCENE = "scene"
        CHART = "chart"

    camera = models.ForeignKey("productions.Camera", on_delete=models.PROTECT, related_name="clips")
    light = models.ForeignKey("productions.Light", on_delete=models.PROTECT, related_name="clips")
    kind = models.CharField(max_length=8, choices=Kind, default=Kind.SCENE)
    name = models.CharField(max_length=120)
    root = models.CharField(max_length=20, default="media")
    files = models.JSONField()  # paths below the root, in order of frames
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()
    format = models.CharField(max_length=10)
    bits = models.PositiveSmallIntegerField()
    checksum = models.CharField(max_length=64)  # sha256 over all files in order
    metadata = models.JSONField(default=dict)
    created = models.DateTimeField(auto_now_add=True)

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
    def frame_count(self) -> int:
        return len(self.files)
