"""Production, camera, light."""

from __future__ import annotations

from django.core.validators import MaxValueValidator, MinValueValidator, RegexValidator
from django.db import models


class Levels(models.TextChoices):
    FULL = "full"
    LEGAL = "legal"


class Display(models.TextChoices):
    TONE = "rec709-tone"
    PLAIN = "rec709-plain"


class Production(models.Model):
    name = models.CharField(max_length=120)
    reference_camera = models.ForeignKey(
        "productions.Camera", on_delete=models.PROTECT, null=True, blank=True, related_name="+"
    )
    tolerance = models.FloatField(
        default=1.2, validators=[MinValueValidator(0.1), MaxValueValidator(10)]
    )
    display = models.CharField(max_length=20, choices=Display, default=Display.TONE)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [
            models.CheckConstraint(condition=models.Q(tolerance__gt=0), name="tolerance_positive"),
        ]

    def __str__(self) -> str:
        return self.name


class Camera(models.Model):
    production = models.ForeignKey(Production, on_delete=models.PROTECT, related_name="cameras")
    letter = models.CharField(max_length=1, validators=[RegexValidator("^[A-Z]$", "A to Z")])
    name = models.CharField(max_length=80)
    encoding = models.CharField(max_length=60)
    levels = models.CharField(max_length=5, choices=Levels, default=Levels.FULL)
    note = models.TextField(blank=True, max_length=2000)

    class Meta:
        ordering = ["letter"]
        constraints = [
            models.UniqueConstraint(fields=["production", "letter"], name="letter_once"),
            models.CheckConstraint(
                condition=models.Q(levels__in=["full", "legal"]), name="camera_levels_known"
            ),
        ]

    def __str__(self) -> str:
        return f"{self.letter} {self.name}"


class Light(models.Model):
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
