"""What has been taken away."""

from __future__ import annotations

from django.db import models

from syntonos.server.history.models import Identified


class Export(Identified):
    match = models.ForeignKey(
        "matching.Match", on_delete=models.PROTECT, null=True, blank=True, related_name="exports"
    )
    light = models.ForeignKey("productions.Light", on_delete=models.PROTECT, related_name="exports")
    camera = models.ForeignKey(
        "productions.Camera", on_delete=models.PROTECT, related_name="exports"
    )
    # For clips that are taken as this one is; None for all that are as their camera.
    clip = models.ForeignKey(
        "footage.Clip", on_delete=models.SET_NULL, null=True, blank=True, related_name="exports"
    )
    target = models.CharField(max_length=40)
    size = models.PositiveSmallIntegerField()
    format = models.CharField(max_length=4, default="cube")
    lut_in = models.CharField(max_length=8, default="stored")
    lut_out = models.CharField(max_length=8, default="stored")
    file_name = models.CharField(max_length=160)
    sha256 = models.CharField(max_length=64)
    chain = models.JSONField()
    chain_hash = models.CharField(max_length=64)
    read_back = models.JSONField()
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-created", "-id"]
        constraints = [
            models.CheckConstraint(
                condition=models.Q(size__in=[17, 33, 65]), name="export_size_known"
            ),
        ]

    def __str__(self) -> str:
        return self.file_name
