"""The API object, its routers, and the one place where errors become problem+json."""

from __future__ import annotations

import json
import logging
import re
from typing import Any

from django.core.exceptions import ValidationError as ModelError
from django.http import Http404, HttpRequest, HttpResponse
from ninja import NinjaAPI
from ninja.errors import ValidationError

from syntonos import __version__
from syntonos.core.errors import ColourError
from syntonos.server.api.errors import BusyError, ConflictError
from syntonos.server.board.api import router as board
from syntonos.server.footage.api import router as footage
from syntonos.server.handover.api import router as handover
from syntonos.server.history.api import router as history
from syntonos.server.jobs.api import router as jobs
from syntonos.server.looks.api import router as looks
from syntonos.server.matching.api import router as matching
from syntonos.server.matching.taking_api import router as taking
from syntonos.server.productions.api import router as productions
from syntonos.server.rendering.api import router as rendering

log = logging.getLogger("syntonos")

api = NinjaAPI(title="Syntonos", version=__version__, docs_url=None)
for _router in (
    productions,
    board,
    footage,
    matching,
    taking,
    looks,
    handover,
    rendering,
    jobs,
    history,
):
    api.add_router("", _router)


def problem(status: int, code: str, detail: str, hint: str, **more: Any) -> HttpResponse:
    """Return a problem+json answer (RFC 9457, with our `code` and `hint`)."""
    body = {"status": status, "code": code, "detail": detail, "hint": hint, **more}
    return HttpResponse(json.dumps(body), status=status, content_type="application/problem+json")


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


@api.exception_handler(Exception)
def _ours(request: HttpRequest, error: Exception) -> HttpResponse:
    log.exception("unexpected error at %s %s", request.method, request.path)
    return problem(500, "internal", "Something went wrong in Syntonos itself.",
                   "Reload to see what was done, then try again; the log says more.")  # fmt: skip
