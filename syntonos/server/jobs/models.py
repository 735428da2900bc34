"""Jobs: what was asked for, how far it is, and what came of it."""

from __future__ import annotations

import uuid

from django.db import models


class Priority(models.IntegerChoices):
    """Larger runs first."""

    UNASKED = 0
    ASKED = 10


class Job(models.Model):
    class State(models.TextChoices):
        QUEUED = "queued"
        RUNNING = "running"
        DONE = "done"
        FAILED = "failed"
        CANCELLED = "cancelled"

    production = models.ForeignKey(
        "productions.Production", on_delete=models.PROTECT, related_name="jobs"
    )
    kind = models.CharField(max_length=30)
    title = models.CharField(max_length=160)
    arguments = models.JSONField(default=dict)
    # Who asked for it, and the step of the log that what it changes belongs to.
    author = models.CharField(max_length=40, blank=True)
    author_name = models.CharField(max_length=60, blank=True)
    group = models.UUIDField(default=uuid.uuid4, db_index=True)
    # The queue's order: what a person asked for comes before what the tool starts by itself.
    priority = models.PositiveSmallIntegerField(default=Priority.ASKED, choices=Priority)
    state = models.CharField(max_length=10, choices=State, default=State.QUEUED)
    progress = models.FloatField(default=0.0)  # 0 to 1
    step = models.CharField(max_length=200, blank=True)
    is_cancel_asked = models.BooleanField(default=False)
    result = models.JSONField(null=True, blank=True)
    problem = models.JSONField(null=True, blank=True)  # code, detail, hint
    created = models.DateTimeField(auto_now_add=True)
    ended = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ["-id"]
        constraints = [
            models.CheckConstraint(
                condition=models.Q(progress__gte=0, progress__lte=1), name="job_progress_share"
            ),
        ]

    def __str__(self) -> str:
        return self.title

    @property
    def is_open(self) -> bool:
        return self.state in (self.State.QUEUED, self.State.RUNNING)
