"""The API object, its routers, and the one place where errors become problem+json."""

from __future__ import annotations

import logging
import re
import sqlite3
from collections.abc import Iterator

from django.core.exceptions import RequestDataTooBig
from django.core.exceptions import ValidationError as ModelError
from django.db import IntegrityError, OperationalError
from django.http import Http404, HttpRequest, HttpResponse
from ninja import NinjaAPI
from ninja.errors import ValidationError

from syntonos import __version__
from syntonos.core.errors import ColourError
from syntonos.server.accounts import roles
from syntonos.server.accounts.api import router as accounts
from syntonos.server.api.errors import BusyError, ConflictError, disc_problem
from syntonos.server.api.guards import problem_answer as problem
from syntonos.server.board.api import router as board
from syntonos.server.footage.api import router as footage
from syntonos.server.handover.api import router as handover
from syntonos.server.history.api import router as history
from syntonos.server.jobs.api import router as jobs
from syntonos.server.looks.api import router as looks
from syntonos.server.matching.api import router as matching
from syntonos.server.matching.pins_api import router as pins
from syntonos.server.matching.probes_api import router as probes
from syntonos.server.matching.taking_api import router as taking
from syntonos.server.matching.trims_api import router as trims
from syntonos.server.productions.api import router as productions
from syntonos.server.rendering.api import router as rendering

log = logging.getLogger("syntonos")

api = NinjaAPI(title="Syntonos", version=__version__, docs_url=None)
for _router in (
    accounts,
    productions,
    board,
    footage,
    matching,
    taking,
    trims,
    probes,
    pins,
    looks,
    handover,
    rendering,
    jobs,
    history,
):
    api.add_router("", _router)


def operations() -> Iterator[tuple[str, str, str]]:
    """Yield all operations: method, path with its parameters in braces, operation_id."""
    for prefix, router in api._routers:
        for path, view in router.path_operations.items():
            for operation in view.operations:
                for method in operation.methods:
                    yield method, f"/api{prefix}{path}", str(operation.operation_id)
    # Dropped files pass beside Django (footage/receiving.py).
    yield "POST", "/api/productions/{production_id}/uploads", "dropFile"


roles.learn(operations())


@api.exception_handler(ColourError)
def _colour(request: HttpRequest, error: ColourError) -> HttpResponse:
    return problem(422, error.code, error.message, error.hint)


@api.exception_handler(ConflictError)
def _conflict(request: HttpRequest, error: ConflictError) -> HttpResponse:
    return problem(409, error.code, error.detail, error.hint, **error.more)


@api.exception_handler(BusyError)
def _busy(request: HttpRequest, error: BusyError) -> HttpResponse:
    response = problem(429, error.code, error.detail, error.hint)
    response["Retry-After"] = "1"
    return response


_THINGS = {"ChartReading": "chart reading", "LookLut": "LUT", "Export": "file", "Clip": "clip"}


@api.exception_handler(Http404)
def _missing(request: HttpRequest, error: Http404) -> HttpResponse:
    # Django's own words name a class of ours; a person asked for a thing.
    found = re.search(r"^No (\w+) matches the given query", str(error))
    words = f"There is no such {_THINGS.get(found[1], found[1].lower())} here." if found else ""
    return problem(404, "not_found", words or str(error) or "There is no such thing here.",
                   "Go back to the Board; it may have been removed.")  # fmt: skip


@api.exception_handler(ValidationError)
def _invalid(request: HttpRequest, error: ValidationError) -> HttpResponse:
    first = error.errors[0] if error.errors else {}
    place = ".".join(str(p) for p in first.get("loc", ())[1:]) or "request"
    return problem(422, "request.invalid", f"{place}: {first.get('msg', 'not understood')}.",
                   "Correct the named field and send it again.")  # fmt: skip


@api.exception_handler(ModelError)
def _model(request: HttpRequest, error: ModelError) -> HttpResponse:
    return problem(422, "request.invalid", " ".join(error.messages),
                   "Correct the named field and send it again.")  # fmt: skip


@api.exception_handler(OverflowError)
def _too_large(request: HttpRequest, error: OverflowError) -> HttpResponse:
    # Of every number that reaches the database, in paths and bodies: rows have 63 bits.
    return problem(422, "request.number", "A number is larger than can be kept.",
                   "Correct it and send it again.")  # fmt: skip


@api.exception_handler(IntegrityError)
def _broken_rule(request: HttpRequest, error: IntegrityError) -> HttpResponse:
    # What services foresee they say themselves; this is the database's own word on the rest.
    return problem(409, "request.refused", f"The change breaks a rule of the data ({error}).",
                   "Reload and look at what is there; then change it anew.")  # fmt: skip


@api.exception_handler(OperationalError)
@api.exception_handler(sqlite3.OperationalError)
@api.exception_handler(OSError)
def _disc(request: HttpRequest, error: Exception) -> HttpResponse:
    found = disc_problem(error)
    if found is None:
        return _ours(request, error)
    status = 503 if found["code"] == "database.busy" else 507
    return problem(status, **found)


@api.exception_handler(RequestDataTooBig)
def _too_long(request: HttpRequest, error: RequestDataTooBig) -> HttpResponse:
    return problem(413, "request.large", "The body is longer than is taken here.",
                   "Send less in one go.")  # fmt: skip


@api.exception_handler(UnicodeEncodeError)
def _no_text(request: HttpRequest, error: UnicodeEncodeError) -> HttpResponse:
    return problem(422, "request.text", "A text holds characters that are none.",
                   "Type it anew.")  # fmt: skip


@api.exception_handler(Exception)
def _ours(request: HttpRequest, error: Exception) -> HttpResponse:
    log.exception("unexpected error at %s %s", request.method, request.path)
    return problem(500, "internal", "Something went wrong in Syntonos itself.",
                   "Reload to see what was done, then try again; the log says more.")  # fmt: skip
