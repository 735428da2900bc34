"""Who is signed in, for the page's frame."""

from __future__ import annotations

from typing import Any, Literal

from django.http import HttpRequest
from ninja import Router, Schema

router = Router()


class SessionOut(Schema):
    name: str  # "" where nobody is asked: on this machine alone
    role: Literal["look", "grade", "manage"]


@router.get("/session", response=SessionOut, operation_id="getSession")
def get_session(request: HttpRequest) -> Any:
    account = getattr(request, "scope", {}).get("syntonos.account")
    if account is None:
        return {"name": "", "role": "manage"}
    return {"name": account.name, "role": account.role}
