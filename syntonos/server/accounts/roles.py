"""Roles, and which of them a request needs: said here for every endpoint, and nowhere else."""

from __future__ import annotations

import re
from typing import Final, Literal

Role = Literal["look", "grade", "manage"]
ROLES: Final[tuple[Role, ...]] = ("look", "grade", "manage")
WORDS: Final[dict[Role, str]] = {
    "look": "looks at everything and takes files away that are made",
    "grade": "brings clips in, matches, balances, makes looks and LUTs",
    "manage": "makes productions, cameras and lights, and puts things away",
}

_SAFE: Final = {"GET", "HEAD", "OPTIONS"}
# Requests that change nothing: what is worked out of what is sent.
_ONLY_ASKS: Final = re.compile(
    r"^/api/(pictures/(draft|close|diagnostics|overlays)|tone-curve|encoding-curve|cdls/read|configs/spaces"
    r"|clips/\d+/(find|take-as/preview)|lights/\d+/balance/preview"
    r"|lights/\d+/cameras/\d+/(matches/preview|(trim/measure|probes/read|points/read)))$"
)
_MANAGES: Final = re.compile(
    r"^/api/(productions|productions/\d+|productions/\d+/(away|cameras|lights|layouts)"
    r"|productions/\d+/encodings(/.*)?|cameras/\d+|lights/\d+)$"
)


def role_needed(method: str, path: str) -> Role:
    """Return the least role that may send a request; what is not named here needs "grade"."""
    if method in _SAFE or _ONLY_ASKS.match(path):
        return "look"
    return "manage" if _MANAGES.match(path) else "grade"


def may(role: str, needed: Role) -> bool:
    """Say whether a role is enough."""
    return role in ROLES and ROLES.index(role) >= ROLES.index(needed)
