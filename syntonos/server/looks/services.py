"""Setting balance and look, and bringing LUTs in."""

from __future__ import annotations

import json
from collections.abc import Iterable
from dataclasses import asdict
from pathlib import Path
from typing import Any

from syntonos.core.chain import LutStep, read_balance, read_look
from syntonos.core.chain.tables import moving_range
from syntonos.core.errors import ChainError
from syntonos.core.formats import read_lut
from syntonos.server.history.services import step
from syntonos.server.looks.blobs import store
from syntonos.server.looks.models import Balance, Look, LookLut
from syntonos.server.productions.models import Light, Production

MOST_MIB = 96


def balance_of(light_id: int) -> Balance | None:
    """Return the balance in force in a light."""
    return Balance.objects.filter(light_id=light_id, is_current=True).first()


def look_among(rows: Iterable[Look], light_id: int | None, scene: str) -> Look | None:
    """Return the look in force: the scene's exception, else the light's, else the production's."""
    rows = list(rows)
    exceptions = [row for row in rows if row.stage is not None]
    own = next((row for row in exceptions if scene and row.scene == scene), None)
    if own is None and light_id is not None:
        own = next((row for row in exceptions if row.light_id == light_id), None)
    usual = (row for row in rows if row.light_id is None and row.scene == "")
    return own or next(usual, None)


def scene_looks(production_id: int) -> dict[str, Look]:
    """Return the looks that are kept for scenes, those that were taken back too."""
    rows = Look.objects.filter(production_id=production_id, is_current=True)
    return {row.scene: row for row in rows.exclude(scene="")}


def set_balance(light: Light, dials: dict[str, Any], base_number: int) -> Balance:
    """Set a light's balance as a new revision.

    `dials`: stops, warmth (mired, positive is warmer), tint (Duv x 1000, positive is greener), and
    a CDL or None.
    """
    row = Balance(light=light, stage=balance_stage(dials), dials=dials)
    with step(light.production_id, "balance.set", lambda _: f"{light}: {row_words(row)}") as made:
        return made.append(row, Balance.objects.filter(light=light), base_number)


def row_words(row: Balance | Look) -> str:
    """Return what the log calls a revision of a balance or a look."""
    return f"{'balance' if isinstance(row, Balance) else 'look'} {row.number}"


def balance_stage(dials: dict[str, Any]) -> dict[str, Any]:
    """Return the stage, as JSON, that dials stand for."""
    return _plain(read_balance({"kind": "balance", **dials}))


def set_look(
    production: Production, light: Light | None, stage: dict[str, Any] | None, base_number: int,
    scene: str = "",
) -> Look:  # fmt: skip
    """Set the look of a production, or an exception of a light or scene (None takes it back)."""
    if stage is None and light is None and not scene:
        stage = {"kind": "look", "steps": []}
    if stage is not None:
        look = read_look(stage)
        known = set(LookLut.objects.filter(production=production).values_list("sha256", flat=True))
        for one in look.steps:
            if isinstance(one, LutStep) and one.sha256 not in known:
                raise ChainError(
                    "The look names a LUT that this production does not have.",
                    hint="Bring its file in first.", code="look.missing",
                )  # fmt: skip
        stage = _plain(look)
    row = Look(production=production, light=light, scene=scene, stage=stage)
    rows = Look.objects.filter(production=production, light=light, scene=scene)
    where = f"scene {scene}" if scene else str(light or "the production")
    words = f"Exception of {where} taken back" if stage is None else f"Look of {where} set"
    with step(production.pk, "look.set", lambda _: f"{words}: {row_words(row)}") as made:
        return made.append(row, rows, base_number)


def _plain(stage: Any) -> dict[str, Any]:
    plain: dict[str, Any] = json.loads(json.dumps(asdict(stage)))
    return plain


def bring_lut(production: Production, name: str, data: bytes) -> LookLut:
    """Read a LUT file and keep its values with a production."""
    table = read_lut(data, name)
    sha = store(table)
    row = LookLut.objects.filter(production=production, sha256=sha).first()
    if row is not None:
        return row
    low, high = moving_range(table)
    with step(production.pk, "lut.bring", f"LUT {Path(name).name} brought in") as made:
        row = LookLut.objects.create(
            production=production, name=Path(name).name[:160], sha256=sha,
            kind="CLF" if table.clf else "3D" if table.is_3d else "1D", size=len(table.values),
            clips_low=low, clips_high=1 - high,
        )  # fmt: skip
        made.created(row)
    return row
