"""Roles, and which of them a request needs: said here for every endpoint, and nowhere else."""

from __future__ import annotations

import re
from collections.abc import Iterable
from typing import Final, Literal

Role = Literal["look", "grade", "manage"]
ROLES: Final[tuple[Role, ...]] = ("look", "grade", "manage")
WORDS: Final[dict[Role, str]] = {
    "look": "looks at everything and takes files away that are made",
    "grade": "brings clips in, matches, balances, makes looks and LUTs",
    "manage": "makes productions, cameras and lights, and puts things away",
}

# What each operation of the API needs, by its operation_id. One that stands in none of these is let
# in for nobody.
LOOK: Final = frozenset({
    # Reading.
    "getAngle", "getBoard", "getChain", "getClip", "getEncodingCheck", "getHistory", "getOver",
    "getPicture", "getPinPicture", "getSession", "getSidecar", "getTrim", "candidatePicture",
    "listAims", "listArrivals", "listAway", "listClips", "listConfigs", "listDensities",
    "listDisplays", "listEncodings", "listExports", "listJobs", "listLayouts", "listMatches",
    "listMedia", "listNeighbours", "listPins", "listProbes", "listProductions",
    "listProductionsAway", "listSpaces", "listSpots", "listUsual", "listVariants",
    "cameraMenu", "downloadExport", "downloadPackage", "getArrivalPicture",
    # What is worked out of what is sent, and changes nothing.
    "closeViews", "diagnose", "findChart", "findOverlays", "makeDraft", "measureTrim",
    "plotEncoding", "plotTone", "previewBalance", "previewFit", "previewTakeAs", "readCdl",
    "readConfig", "readPoints", "readProbes", "tryEncoding",
})  # fmt: skip
GRADE: Final = frozenset({
    "acceptArrivals", "applySettings", "borrowMatch", "bringLut", "bringStill", "cancelJob",
    "carryTrim", "changeArrivals", "changeClip", "changePin", "changeProbe", "checkClips",
    "checkEncoding", "checkScene", "copyTrim", "exportLut", "findMedia", "fitCurve", "fitMatch",
    "leaveOutArrivals", "lookThrough", "makeProbe", "matchAngles", "matchEverything",
    "matchFromScene", "mergeReadings", "pinFrame", "readChart", "redo", "registerClip",
    "restoreMatch", "resumeArrivals", "setAim", "setBalance", "setLightLook", "setLook", "setTrim",
    "setWhite", "takeAlike", "takeAs", "takeAway", "undo",
    "dropFile",
})  # fmt: skip
MANAGE: Final = frozenset({
    "addLayout", "changeCamera", "changeLight", "changeProduction", "createCamera", "createLight",
    "createProduction", "enterEncoding", "putAway", "takeFromConfig", "takeFromFile",
})  # fmt: skip
NEEDS: Final[dict[str, Role]] = {
    **dict.fromkeys(LOOK, "look"), **dict.fromkeys(GRADE, "grade"),
    **dict.fromkeys(MANAGE, "manage"),
}  # fmt: skip

_API: Final = "/api/"
_operations: dict[str, list[tuple[re.Pattern[str], str]]] = {}


def learn(operations: Iterable[tuple[str, str, str]]) -> None:
    """Take in which operations there are: method, path with its parameters in braces, its id."""
    _operations.clear()
    for method, path, name in operations:
        parts = (re.escape(part) for part in re.split(r"\{[^}]*\}", path))
        _operations.setdefault(method, []).append((re.compile("[^/]+".join(parts)), name))


def operation_of(method: str, path: str) -> str:
    """Return the id of the operation that a request asks for; "" where there is none."""
    known = _operations.get("GET" if method == "HEAD" else method, ())
    return next((name for pattern, name in known if pattern.fullmatch(path)), "")


def role_needed(method: str, path: str) -> Role | None:
    """Return the least role that may send a request; None for one that nobody may.

    The pages themselves, and addresses under /api/ where nothing is to be read, need "look".
    """
    if not path.startswith(_API):
        return "look" if method in ("GET", "HEAD") else None
    if name := operation_of(method, path):
        return NEEDS.get(name)
    return "look" if method in ("GET", "HEAD", "OPTIONS") else None


def may(role: str, needed: Role | None) -> bool:
    """Say whether a role is enough; for what needs None, none is."""
    return needed is not None and role in ROLES and ROLES.index(role) >= ROLES.index(needed)
