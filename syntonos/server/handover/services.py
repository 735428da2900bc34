"""Writing LUTs, each read again and compared with its chain."""

from __future__ import annotations

import hashlib
import re
from dataclasses import replace
from pathlib import Path

from django.conf import settings

from syntonos.core.chain import (
    Chain,
    EncodingOutput,
    bake_lut,
    chain_hash,
    chain_to_json,
    read_back,
)
from syntonos.core.errors import FitError
from syntonos.core.formats import Cube, read_cube, write_cube
from syntonos.core.matching.carried import lut_cost
from syntonos.server.footage.frames import frame_of
from syntonos.server.footage.models import Clip
from syntonos.server.footage.pictures import THREADS
from syntonos.server.handover.models import Export
from syntonos.server.matching import selectors
from syntonos.server.matching.models import Match
from syntonos.server.productions.models import Camera, Light


def folder() -> Path:
    """Return the folder in which exports are kept."""
    path: Path = settings.DATA / "exports"
    path.mkdir(parents=True, exist_ok=True)
    return path


def path_of(export: Export) -> Path:
    """Return the file of an export."""
    return folder() / f"{export.sha256}.cube"


def chain_for(light: Light, camera: Camera, target: str) -> tuple[Chain, int | None]:
    """Return the chain of a LUT, and the match it carries."""
    production = camera.production
    match = selectors.current_match(light.pk, camera)
    reference = production.reference_camera
    if match is None and (reference is None or reference.pk != camera.pk):
        raise FitError(
            f"{camera} has no match in {light.name} yet.",
            hint="Read the chart and fit first.", code="export.no_match",
        )  # fmt: skip
    chain = selectors.chain_for(
        camera, match, light.pk, output="" if target == "reference" else target
    )
    if target == "reference":
        assert reference is not None  # noqa: S101 - checked above
        # As if the reference camera had shot it: balance and look come later, over all alike.
        plain = replace(chain, balance=None, look=None)
        chain = plain.to(EncodingOutput(reference.encoding, reference.levels))
    return chain, match.pk if match else None


def export_lut(*, light: Light, camera: Camera, target: str, size: int) -> Export:
    """Bake, write, read again, compare, keep."""
    chain, match_id = chain_for(light, camera, target)
    title = f"{camera.letter} in {light.name} to {target}"
    comments = (f"{camera.encoding} {camera.levels} levels in", f"chain {chain_hash(chain)}")
    data = write_cube(Cube(bake_lut(chain, size, threads=THREADS), title), comments=comments)
    clip = Clip.objects.filter(light=light, camera=camera).order_by("-kind", "id").first()
    pixels = frame_of(clip, 0) if clip else None
    table = read_cube(data).table
    result = read_back(table, chain, pixels).to_json()
    if match_id:
        evidence = Match.objects.get(pk=match_id).evidence
        # Of a borrowed match that was tried nowhere nothing is known to be added to.
        if (expected := evidence.get("expected", evidence["left_one_out"])) is not None:
            result["cost"] = lut_cost(chain, table, float(expected))
    digest = hashlib.sha256(data).hexdigest()
    final = folder() / f"{digest}.cube"
    partial = final.with_suffix(".part")
    partial.write_bytes(data)
    partial.replace(final)
    word = re.sub(r"[^a-z0-9]+", "-", light.name.lower()).strip("-") or "light"
    number = ""
    if match_id:
        current = selectors.current_match(light.pk, camera)
        number = f"_m{current.number}" if current else ""
    return Export.objects.create(
        match_id=match_id, light=light, camera=camera, target=target, size=size,
        file_name=f"{camera.letter}_{word}{number}_to-{target}_{size}.cube", sha256=digest,
        chain=chain_to_json(chain), chain_hash=chain_hash(chain), read_back=result,
    )  # fmt: skip
