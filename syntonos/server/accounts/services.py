"""Accounts are Django's own users; the role of one is the group it is in."""

from __future__ import annotations

import secrets
import threading
import time
from dataclasses import dataclass
from typing import Any, Final

from django.contrib.auth import authenticate, get_user_model
from django.contrib.auth.models import Group
from django.contrib.auth.password_validation import validate_password
from django.contrib.sessions.backends.db import SessionStore
from django.core.exceptions import ValidationError
from django.db import transaction

from syntonos.core.errors import ColourError
from syntonos.server.accounts.roles import ROLES, Role

COOKIE: Final = "syntonos_session"
LASTS: Final = 12 * 3600  # seconds: a day of work
_MOST_FAILURES, _PAUSE = 5, 60.0  # tries of one name, and seconds of rest after them
_failures: dict[str, list[float]] = {}
_lock = threading.Lock()


@dataclass(frozen=True, slots=True)
class Account:
    """Who has signed in."""

    id: int
    name: str
    role: str


def _fail(message: str, hint: str, code: str) -> ColourError:
    return ColourError(message, hint=hint, code=f"account.{code}")


def keep_account(name: str, role: Role, password: str | None) -> str:
    """Make an account, or change the role or password of one; returns a password that was made up.

    Raises
    ------
    ColourError
        account.name, account.password, account.role.
    """
    if role not in ROLES:
        raise _fail(f"There is no role {role!r}.", f"Roles: {', '.join(ROLES)}.", "role")
    users = get_user_model().objects
    made_up = ""
    with transaction.atomic():
        user = users.filter(username=name).first()
        if user is None:
            user = users.model(username=name)
            if password is None:
                password = made_up = secrets.token_urlsafe(12)
        try:
            if password is not None:
                validate_password(password, user)
                user.set_password(password)
            user.full_clean(exclude=["password"])
        except ValidationError as error:
            field = "password" if not hasattr(error, "error_dict") else "name"
            raise _fail(" ".join(error.messages), "Choose another one.", field) from None
        user.save()
        user.groups.set([Group.objects.get_or_create(name=role)[0]])
    return made_up


def close_account(name: str) -> None:
    """Let an account in no more; what it did stays in the history under its name.

    Raises
    ------
    ColourError
        account.unknown; account.last for the last one that manages.
    """
    user = get_user_model().objects.filter(username=name, is_active=True).first()
    if user is None:
        raise _fail(f"There is no account {name!r}.", "`syntonos user list` names them.", "unknown")
    if _role_of(user) == "manage" and len([a for a in accounts() if a.role == "manage"]) == 1:
        raise _fail(f"{name} is the last account that manages.", "Make another one first.", "last")
    user.is_active = False
    user.save(update_fields=["is_active"])


def accounts() -> list[Account]:
    """Return the accounts that may come in, by name."""
    rows = get_user_model().objects.filter(is_active=True).order_by("username")
    return [Account(row.pk, row.username, _role_of(row)) for row in rows]


def _role_of(user: Any) -> str:
    names = set(user.groups.values_list("name", flat=True))
    return next((role for role in reversed(ROLES) if role in names), "")


def sign_in(name: str, password: str) -> str | None:
    """Return the key of a new session; None where name and password do not belong together.

    Raises
    ------
    ColourError
        account.pause, after too many tries.
    """
    now = time.monotonic()
    with _lock:
        tries = [t for t in _failures.get(name, []) if now - t < _PAUSE]
        _failures[name] = tries
        if len(_failures) > 10_000:
            _failures.clear()
    if len(tries) >= _MOST_FAILURES:
        raise _fail("Too many tries with this name.", "Wait a minute.", "pause")
    user = authenticate(username=name, password=password)
    if user is None:
        with _lock:
            _failures.setdefault(name, []).append(now)
        return None
    with _lock:
        _failures.pop(name, None)
    session = SessionStore()
    session["user"] = user.pk
    session["hash"] = user.get_session_auth_hash()
    session.set_expiry(LASTS)
    session.create()
    return str(session.session_key)


def sign_out(key: str) -> None:
    """End a session."""
    SessionStore(key).flush()


def account_of(key: str) -> Account | None:
    """Return who a session belongs to; None where it is over, or its password was changed."""
    if not key:
        return None
    session = SessionStore(key)
    pk = int(session.get("user") or 0)
    user = get_user_model().objects.filter(pk=pk, is_active=True).first()
    if user is None or not secrets.compare_digest(
        str(session.get("hash", "")), user.get_session_auth_hash()
    ):
        return None
    return Account(user.pk, user.username, _role_of(user))
