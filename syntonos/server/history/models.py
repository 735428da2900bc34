"""The log, and what rows have in common that take part in it."""

from __future__ import annotations

import uuid
from typing import Any, ClassVar, Self

from django.db import models


class Identified(models.Model):
    """A row that keeps its identity wherever it goes: in the log, in a package, on a device."""

    uuid = models.UUIDField(default=uuid.uuid4, unique=True, editable=False)

    class Meta:
        abstract = True


class InUse(models.Manager[Any]):
    """Rows that were not put away: what everything asks for but the log and what brings back."""

    def get_queryset(self) -> models.QuerySet[Any]:
        return super().get_queryset().filter(is_put_away=False)


class Kept(Identified):
    """A row that is never deleted: it is put away, and comes back as it was."""

    is_put_away = models.BooleanField(default=False)

    objects: ClassVar[models.Manager[Self]] = InUse()
    every: ClassVar[models.Manager[Self]] = models.Manager()

    class Meta:
        abstract = True


class Revision(Identified):
    """A revision of something: only ever added; one of them is in force."""

    number = models.PositiveIntegerField()
    is_current = models.BooleanField(default=False)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        abstract = True


class Change(models.Model):
    """One entry of a production's log.

    An edit is a plain object: op "set" with model, uuid, field (a path with dots into JSON), before
    and after; op "create" with model and uuid; op "delete" with the row as it was.
    """

    uuid = models.UUIDField(default=uuid.uuid4, unique=True, editable=False)
    production = models.ForeignKey(
        "productions.Production", on_delete=models.PROTECT, related_name="changes"
    )
    sequence = models.PositiveIntegerField()
    # What was done in one go, with what jobs did because of it: undone together.
    group = models.UUIDField(db_index=True)
    author = models.CharField(max_length=40, blank=True)  # a browser's own mark; "" for nobody
    author_name = models.CharField(max_length=60, blank=True)
    base = models.PositiveIntegerField(null=True)  # the newest entry that its author had seen
    kind = models.CharField(max_length=30)
    words = models.CharField(max_length=300)
    edits = models.JSONField(default=list)
    undoes = models.UUIDField(null=True)  # of an undo or a redo: the group it acted on
    is_undoable = models.BooleanField(default=True)
    is_undone = models.BooleanField(default=False)
    is_passed = models.BooleanField(default=False)  # undone, and its author went on another way
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-sequence"]
        constraints = [
            models.UniqueConstraint(fields=["production", "sequence"], name="change_sequence_once"),
        ]

    def __str__(self) -> str:
        return self.words
