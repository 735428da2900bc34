"""Who acts, and in what step: kept for the length of a request or a job."""

from __future__ import annotations

import uuid
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass
from typing import Final
from urllib.parse import unquote

from django.http import HttpRequest, HttpResponse


@dataclass(frozen=True, slots=True)
class Author:
    """Who makes a change: a browser's own mark, and the name that a person gave there."""

    mark: str = ""
    name: str = ""


NOBODY: Final = Author()
_author: ContextVar[Author] = ContextVar("author", default=NOBODY)
_group: ContextVar[uuid.UUID | None] = ContextVar("group", default=None)


def author() -> Author:
    """Return who acts now."""
    return _author.get()


def group() -> uuid.UUID | None:
    """Return the step that is being done now, where there is one."""
    return _group.get()


@contextmanager
def acting(who: Author, step: uuid.UUID | None = None) -> Iterator[None]:
    """Act as somebody, and within a step."""
    tokens = _author.set(who), _group.set(step)
    try:
        yield
    finally:
        _author.reset(tokens[0])
        _group.reset(tokens[1])


class AuthorMiddleware:
    """Takes the author from the request's headers."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        account = getattr(request, "scope", {}).get("syntonos.account")
        if account is not None:  # who signed in, whatever a browser says of itself
            with acting(Author(f"account-{account.id}", account.name[:60])):
                return self.get_response(request)
        mark = request.headers.get("Syntonos-Author", "")[:40]
        # Headers are Latin-1; names may be anything, so they come percent-encoded.
        name = unquote(request.headers.get("Syntonos-Author-Name", ""))[:60]
        with acting(Author(mark, name)):
            return self.get_response(request)
