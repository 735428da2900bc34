"""Starting, working off and cancelling jobs."""

from __future__ import annotations

import contextlib
import logging
import sqlite3
import time
import uuid
from typing import TYPE_CHECKING, Any, Protocol, cast

from django.db import OperationalError, transaction
from django.utils import timezone
from django.utils.module_loading import import_string

from syntonos.core.errors import ColourError
from syntonos.server.api.errors import ConflictError, disc_problem
from syntonos.server.history import context
from syntonos.server.jobs.models import Job, Priority

if TYPE_CHECKING:
    from syntonos.server.productions.models import Production

log = logging.getLogger("syntonos.jobs")

# What does each kind. Every runner can be begun again after a kill.
RUNNERS = {
    "match-angles": "syntonos.server.matching.angles.run_job",
    "check-scene": "syntonos.server.matching.scene_checks.run_job",
    "match-scene": "syntonos.server.matching.from_scene.run_job",
    "look-through": "syntonos.server.footage.looking.run_job",
    "bring-in": "syntonos.server.footage.bringing.run_job",
    "check-clips": "syntonos.server.matching.clip_checks.run_job",
    "encoding-check": "syntonos.server.matching.encoding_checks.run_job",
    "take-away": "syntonos.server.handover.package.run_job",
    "find-media": "syntonos.server.footage.missing.run_job",
}
_WRITE_EVERY = 0.15  # seconds between two notes of progress


class Cancelled(Exception):  # noqa: N818 - no error: somebody wanted it
    """Raised inside a job that is to stop."""


class Progress:
    """What a runner tells of itself; it learns here that it is to stop."""

    def __init__(self, job: Job) -> None:
        self._job, self._written = job, 0.0

    def __call__(self, share: float, step: str) -> None:
        """Note the share done (0 to 1) and what is done now.

        Raises
        ------
        Cancelled
            when a person asked for it.
        """
        now = time.monotonic()
        if now - self._written < _WRITE_EVERY:
            return
        self._written = now
        rows = Job.objects.filter(pk=self._job.pk)
        rows.update(progress=min(max(share, 0.0), 1.0), step=step[:200])
        if rows.filter(is_cancel_asked=True).exists():
            raise Cancelled


_PAUSES = (0.2, 1.0, 5.0, 20.0, 60.0)  # seconds between tries to keep how a job ended


class Runner(Protocol):
    """Does a job; returns what came of it, as JSON."""

    def __call__(self, arguments: dict[str, Any], progress: Progress) -> dict[str, Any]: ...


def start(
    production: Production, kind: str, title: str, arguments: dict[str, Any],
    *, group: uuid.UUID | None = None, is_asked: bool = True,
) -> Job:  # fmt: skip
    """Queue a job; the same one is not queued twice while it is open.

    What nobody asked for (not `is_asked`) waits until nothing else does, or until it is asked for.

    What it changes is its author's, and belongs to a step of the log: `group`, or one of its own.
    """
    from syntonos.server.jobs.queue import work

    assert kind in RUNNERS  # noqa: S101 - callers are ours
    priority = Priority.ASKED if is_asked else Priority.UNASKED
    with transaction.atomic():
        same = Job.objects.filter(
            production=production, kind=kind, arguments=arguments,
            state__in=(Job.State.QUEUED, Job.State.RUNNING),
        ).first()  # fmt: skip
        if same is not None:
            if same.state == Job.State.QUEUED and same.priority < priority:
                same.priority = priority
                same.save(update_fields=["priority"])
                transaction.on_commit(lambda: work(same.pk, priority=priority))
            return same
        who = context.author()
        job = Job.objects.create(
            production=production, kind=kind, title=title, arguments=arguments, author=who.mark,
            author_name=who.name, group=group or uuid.uuid4(), priority=priority,
        )  # fmt: skip
    try:
        work(job.pk, priority=priority)
    except sqlite3.OperationalError:
        with contextlib.suppress(OperationalError):
            job.delete()  # the queue's disc refused it: nothing waits
        raise
    job.refresh_from_db()
    return job


def is_underway(production: Production, kind: str) -> bool:
    """Say whether a job of a kind waits or runs."""
    open_ = (Job.State.QUEUED, Job.State.RUNNING)
    return Job.objects.filter(production=production, kind=kind, state__in=open_).exists()


def run(job_id: int) -> None:
    """Work a queued job off; what goes wrong is kept with it."""
    begun = Job.objects.filter(pk=job_id, state=Job.State.QUEUED).update(state=Job.State.RUNNING)
    if not begun:  # cancelled while it waited, or somebody else has it
        return
    job = Job.objects.get(pk=job_id)
    runner = cast("Runner", import_string(RUNNERS[job.kind]))
    end: dict[str, Any]
    try:
        with context.acting(context.Author(job.author, job.author_name), job.group):
            end = {"result": runner(job.arguments, Progress(job)), "state": Job.State.DONE}
    except Cancelled:
        end = {"state": Job.State.CANCELLED}
    except ColourError as error:
        problem = {"code": error.code, "detail": error.message, "hint": error.hint}
        end = {"problem": problem, "state": Job.State.FAILED}
    except ConflictError as error:
        problem = {"code": error.code, "detail": error.detail, "hint": error.hint}
        end = {"problem": problem, "state": Job.State.FAILED}
    except Exception as error:
        log.exception("job %s failed", job.pk)
        problem = disc_problem(error) or {
            "code": "internal", "detail": "Something went wrong in Syntonos itself.",
            "hint": "Start it again; what was done before is kept. The log says more.",
        }  # fmt: skip
        end = {"problem": problem, "state": Job.State.FAILED}
    if end["state"] == Job.State.DONE:
        end["progress"] = 1.0
    _keep_end(job_id, end)


def _keep_end(job_id: int, end: dict[str, Any]) -> None:
    """Keep how a job ended. Where the disc refuses it, it is failed as soon as there is room."""
    for pause in (*_PAUSES, None):
        try:
            Job.objects.filter(pk=job_id).update(ended=timezone.now(), step="", **end)
        except (OperationalError, OSError) as error:
            problem = disc_problem(error)
            if problem is None or pause is None:
                raise
            log.warning("the end of job %s could not be kept: %s", job_id, error)
            end = {"problem": problem, "state": Job.State.FAILED}
            time.sleep(pause)
        else:
            return


def cancel(job: Job) -> Job:
    """Stop a job: at once where it waits, at its next step where it runs."""
    waiting = Job.objects.filter(pk=job.pk, state=Job.State.QUEUED)
    if not waiting.update(state=Job.State.CANCELLED, ended=timezone.now()):
        Job.objects.filter(pk=job.pk, state=Job.State.RUNNING).update(is_cancel_asked=True)
    job.refresh_from_db()
    return job


def cancel_group(group: uuid.UUID) -> None:
    """Stop the jobs that still work on a step of the log."""
    for job in Job.objects.filter(group=group, state__in=(Job.State.QUEUED, Job.State.RUNNING)):
        cancel(job)


def take_up_again() -> None:
    """Queue again what was open when the consumer ended."""
    from syntonos.server.jobs.queue import HUEY, work

    HUEY.flush()
    Job.objects.filter(state=Job.State.RUNNING, is_cancel_asked=True).update(
        state=Job.State.CANCELLED, ended=timezone.now()
    )
    Job.objects.filter(state=Job.State.RUNNING).update(
        state=Job.State.QUEUED, progress=0.0, step="Begun again: its process had ended"
    )
    waiting = Job.objects.filter(state=Job.State.QUEUED).order_by("-priority", "id")
    for pk, priority in waiting.values_list("pk", "priority"):
        work(pk, priority=priority)
