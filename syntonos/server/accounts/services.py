"""Accounts are Django's own users; the role of one is the group it is in."""

from __future__ import annotations

import secrets
import threading
import time
from collections import OrderedDict
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


_PAUSE: Final = 60.0  # seconds that a wrong try counts
_MOST_OF_NAME, _MOST_OF_ADDRESS = 5, 30  # wrong tries of one name from an address; of an address


class WrongTries:
    """Wrong tries of the last minute, by address, and by name from an address.

    The names that are kept have an end: those that were tried longest ago go first. An address is
    stopped long before its made-up names could push others out.
    """

    def __init__(self, most: int = 10_000) -> None:
        self._most = most
        self._times: OrderedDict[tuple[str, ...], list[float]] = OrderedDict()
        self._lock = threading.Lock()

    def are_too_many(self, name: str, address: str, now: float) -> bool:
        """Say whether this one has to wait; `now` in seconds of a steady clock."""
        limits = (((address, name), _MOST_OF_NAME), ((address,), _MOST_OF_ADDRESS))
        with self._lock:
            return any(len(self._recent(key, now)) >= most for key, most in limits)

    def note(self, name: str, address: str, now: float) -> None:
        """Note a wrong try."""
        with self._lock:
            for key in ((address, name), (address,)):
                self._times[key] = [*self._recent(key, now), now]
                self._times.move_to_end(key)
            while len(self._times) > self._most:
                self._times.popitem(last=False)

    def forget(self, name: str, address: str) -> None:
        """Take back the tries of a name that has come in from there."""
        with self._lock:
            self._times.pop((address, name), None)

    def _recent(self, key: tuple[str, ...], now: float) -> list[float]:
        return [t for t in self._times.get(key, ()) if now - t < _PAUSE]


TRIES: Final = WrongTries()


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


def sign_in(name: str, password: str, address: str = "") -> str | None:
    """Return the key of a new session; None where name and password do not belong together.

    Raises
    ------
    ColourError
        account.pause, after too many wrong tries from an address.
    """
    now = time.monotonic()
    if TRIES.are_too_many(name, address, now):
        raise _fail("Too many wrong tries from here.", "Wait a minute.", "pause")
    user = authenticate(username=name, password=password)
    if user is None:
        TRIES.note(name, address, now)
        return None
    TRIES.forget(name, address)
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


def remove_ended_sessions() -> None:
    """Take the sessions that are over out of the database."""
    SessionStore.clear_expired()
