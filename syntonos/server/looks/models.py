"""LUTs of looks, and the revisions of balance and look."""

from __future__ import annotations

from django.db import models

from syntonos.server.history.models import Identified, Revision


class LookLut(Identified):
    """A LUT that a person brought; its values lie in the blob store under their sha256."""

    production = models.ForeignKey(
        "productions.Production", on_delete=models.PROTECT, related_name="luts"
    )
    name = models.CharField(max_length=160)
    sha256 = models.CharField(max_length=64)
    kind = models.CharField(max_length=3)  # 1D, 3D, or CLF: run node by node
    size = models.PositiveIntegerField()  # points per axis; of a CLF, of the table that pictures it
    # Share of its input values that come out at the end of its range: what it clips.
    clips_low = models.FloatField(default=0.0)
    clips_high = models.FloatField(default=0.0)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["name", "id"]
        constraints = [
            models.UniqueConstraint(fields=["production", "sha256"], name="look_lut_once"),
        ]

    def __str__(self) -> str:
        return self.name


class Balance(Revision):
    """A revision of the balance of a light."""

    light = models.ForeignKey(
        "productions.Light", on_delete=models.PROTECT, related_name="balances"
    )
    stage = models.JSONField()
    # What a person set: stops, warmth and tint; the stage has what follows from them.
    dials = models.JSONField(default=dict)

    class Meta:
        ordering = ["-number"]
        constraints = [
            models.UniqueConstraint(fields=["light", "number"], name="balance_number_once"),
            models.UniqueConstraint(
                fields=["light"], condition=models.Q(is_current=True), name="balance_one_current"
            ),
        ]

    def __str__(self) -> str:
        return f"balance {self.number} of {self.light}"


class Look(Revision):
    """A revision of the production's look, or of a light's or a scene's exception from it."""

    production = models.ForeignKey(
        "productions.Production", on_delete=models.PROTECT, related_name="looks"
    )
    light = models.ForeignKey(
        "productions.Light", on_delete=models.PROTECT, related_name="looks", null=True, blank=True
    )
    scene = models.CharField(max_length=80, blank=True)  # as on the slate; of any light
    # None in an exception: the light or scene goes back to the production's look.
    stage = models.JSONField(null=True)

    class Meta:
        ordering = ["-number"]
        constraints = [
            # SQL treats NULLs as distinct: the production-wide look has constraints of its own.
            models.UniqueConstraint(
                fields=["production", "scene", "number"],
                condition=models.Q(light__isnull=True), name="look_number_once",
            ),
            models.UniqueConstraint(
                fields=["production", "scene"],
                condition=models.Q(light__isnull=True, is_current=True), name="look_one_current",
            ),
            models.UniqueConstraint(
                fields=["light", "number"], condition=models.Q(light__isnull=False),
                name="exception_number_once",
            ),
            models.UniqueConstraint(
                fields=["light"], condition=models.Q(light__isnull=False, is_current=True),
                name="exception_one_current",
            ),
        ]  # fmt: skip

    def __str__(self) -> str:
        return f"look {self.number} of {self.light or self.scene or self.production}"
