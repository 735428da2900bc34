"""What a match stands on: one document by kind, version 2, readable from older rows.

Its kinds are chart, values (published, or a table), areas, borrowed, picture (matching places) and
statistics. The numbers of the match itself stand in its chain only.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Final, Literal, get_args

Kind = Literal["chart", "values", "areas", "borrowed", "picture", "statistics"]
KINDS: Final[tuple[Kind, ...]] = get_args(Kind)
VERSION: Final = 2
# What a match without a chart does not have, and screens of charts look for.
WITHOUT_CHART: Final[dict[str, Any]] = {
    "flare_share": 0.0, "slope": 1.0, "residuals": [], "models": [], "areas": [], "weights": [],
    "pairs": [], "pool": False,
}  # fmt: skip


def written(kind: Kind, plain: Mapping[str, Any]) -> dict[str, Any]:
    """Return evidence as it is stored."""
    return {k: v for k, v in plain.items() if k != "match"} | {"version": VERSION, "kind": kind}


def read(plain: Mapping[str, Any]) -> dict[str, Any]:
    """Return evidence of this version, whatever version it was stored in."""
    out = dict(plain)
    if out.get("version") == VERSION:
        return out
    if "picture" in out:
        out["scene"] = out.pop("picture")
        out.setdefault("model", "averaged")
    kind: Kind = (
        "borrowed" if "borrowed" in out else "picture" if "scene" in out
        else "values" if "target" in out else "chart"
    )  # fmt: skip
    return written(kind, out)
