"""Writing LUTs, each read again and compared with its chain."""

from __future__ import annotations

import hashlib
import io
import re
import zipfile
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from django.conf import settings
from numpy.typing import NDArray

from syntonos.core.chain import (
    AS_IN_FORCE,
    STORED,
    Chain,
    EncodingOutput,
    LutLevels,
    Overrides,
    bake_lut,
    chain_hash,
    chain_to_json,
    compose,
    read_back,
    read_back_clf,
    write_clf,
)
from syntonos.core.chain.cdl_fit import cdl_files, fit_cdl, read_back_cdl
from syntonos.core.chain.trimming import without_detail
from syntonos.core.encodings import find_encoding
from syntonos.core.errors import FitError
from syntonos.core.formats import Cube, read_3dl, read_cube, write_3dl, write_cube
from syntonos.core.matching.carried import lut_cost
from syntonos.server.footage.frames import frame_of
from syntonos.server.footage.models import Clip
from syntonos.server.handover.models import Export
from syntonos.server.history.services import step
from syntonos.server.looks.services import scene_looks
from syntonos.server.matching import selectors
from syntonos.server.matching.chains import parts_of, parts_of_camera
from syntonos.server.matching.models import Match
from syntonos.server.productions.models import Camera, Light
from syntonos.server.rendering.pictures import THREADS


def folder() -> Path:
    """Return the folder in which exports are kept."""
    path: Path = settings.DATA / "exports"
    path.mkdir(parents=True, exist_ok=True)
    return path


def path_of(export: Export) -> Path:
    """Return the file of an export."""
    return folder() / f"{export.sha256}.{export.format}"


@dataclass(frozen=True, slots=True)
class Variant:
    """Clips of a camera in a light that need a LUT of their own, and why."""

    clip_id: int  # one of them, which stands for all
    clips: list[str]
    encoding_name: str
    levels: str
    scene: str  # whose look they have; empty for the light's or production's


def variants(light: Light, camera: Camera) -> list[Variant]:
    """Return the kinds of clips that the camera's usual LUT does not fit.

    They carry another encoding or other levels than the camera, or are of a scene with a look of
    its own.
    """
    with_look = {scene for scene, row in scene_looks(light.production_id).items() if row.stage}
    groups: dict[tuple[str, str, str], list[Clip]] = {}
    for clip in Clip.objects.filter(light=light, camera=camera).order_by("-kind", "id"):
        scene = clip.scene if clip.scene in with_look else ""
        if (clip.encoding, clip.levels, scene) != (camera.encoding, camera.levels, ""):
            groups.setdefault((clip.encoding, clip.levels, scene), []).append(clip)
    return [
        Variant(clips[0].pk, [c.name for c in clips], find_encoding(encoding).name, levels, scene)
        for (encoding, levels, scene), clips in groups.items()
    ]


def chain_for(
    light: Light, camera: Camera, target: str, clip: Clip | None = None
) -> tuple[Chain, int | None]:
    """Return the chain of a LUT, of a clip or of all that are as the camera, and its match."""
    match = selectors.current_match(light.pk, camera)
    reference = camera.production.reference_camera
    if match is None and (reference is None or reference.pk != camera.pk):
        raise FitError(
            f"{camera} has no match in {light.name} yet.",
            hint="Read the chart and fit first.", code="export.no_match",
        )  # fmt: skip
    overrides, output = AS_IN_FORCE, target
    if target == "reference":
        assert reference is not None  # noqa: S101 - checked above
        # As if the reference camera had shot it: balance and look come later, over all alike.
        stored = EncodingOutput(reference.encoding, reference.levels)
        overrides, output = Overrides(off=frozenset({"balance", "look"}), output=stored), ""
    parts = parts_of(clip, output=output) if clip else parts_of_camera(camera, light, output=output)
    return compose(parts, overrides), match.pk if match else None


def export_lut(
    *,
    light: Light,
    camera: Camera,
    target: str,
    size: int,
    format_: str = "cube",
    levels: LutLevels = STORED,
    own: Clip | None = None,
    cdl_in: str = "reference",
) -> Export:
    """Bake, write, read again, compare, keep; `own`: for clips that are taken as this one is.

    As "cdl" it is a zip: a correction for a box that works in the encoding of the reference, or of
    the clip itself (`cdl_in`), with the LUTs that stand before and behind it.
    """
    chain, match_id = chain_for(light, camera, target, own)
    chain, lacks = without_detail(chain)
    kind = f" ({own.name})" if own else ""
    title = f"{camera.letter} in {light.name}{kind} to {target}"
    clip = own or next(
        (c for c in Clip.objects.filter(light=light, camera=camera).order_by("-kind", "id")
         if (c.encoding, c.levels) == (camera.encoding, camera.levels)), None,
    )  # fmt: skip
    pixels = frame_of(clip, 0) if clip else None
    if format_ == "cdl":
        levels = STORED
        data, result = _cdl_package(chain, title, camera, cdl_in, size, pixels)
    elif format_ == "clf":
        levels = STORED  # CLF says itself what its values mean
        data = write_clf(chain, title=title)
        result = read_back_clf(data, chain, pixels).to_json()
    else:
        baked = bake_lut(chain, size, threads=THREADS, levels=levels)
        if format_ == "3dl":
            data = write_3dl(baked)
            table = read_3dl(data).values
        else:
            comments = (
                f"{chain.decode.encoding} {chain.decode.levels} levels in",
                f"chain {chain_hash(chain)}",
                f"LUT input {levels.into}, output {levels.out}",
                *([lacks] if lacks else []),
            )  # fmt: skip
            data = write_cube(Cube(baked, title), comments=comments)
            table = read_cube(data).table
        result = read_back(table, chain, pixels, levels=levels).to_json()
        if match_id:
            evidence = Match.objects.get(pk=match_id).facts
            # Of a borrowed match that was tried nowhere nothing is known to be added to.
            if (expected := evidence.get("expected", evidence["left_one_out"])) is not None:
                result["cost"] = lut_cost(chain, table, float(expected), levels)
    result["lacks"] = lacks
    digest = hashlib.sha256(data).hexdigest()
    final = folder() / f"{digest}.{format_}"
    partial = final.with_suffix(".part")
    partial.write_bytes(data)
    partial.replace(final)
    stem = _stem(light, camera, chain, target, "" if format_ == "clf" else str(size), levels, own)
    version = 1 + Export.objects.filter(
        camera__production=light.production_id, file_name__startswith=f"{stem}_v", format=format_
    ).count()  # fmt: skip
    name = f"{stem}_v{version}.{'cdl.zip' if format_ == 'cdl' else format_}"
    with step(light.production_id, "export.make", f"Taken away: {name}", undoable=False):
        return Export.objects.create(
            match_id=match_id, light=light, camera=camera, clip=own, target=target, size=size,
            format=format_, lut_in=levels.into, lut_out=levels.out, sha256=digest, file_name=name,
            chain=chain_to_json(chain), chain_hash=chain_hash(chain), read_back=result,
        )  # fmt: skip


def _cdl_package(
    chain: Chain, title: str, camera: Camera, cdl_in: str, size: int,
    pixels: NDArray[np.float32] | None,
) -> tuple[bytes, dict[str, Any]]:  # fmt: skip
    """Return a zip with a CDL and its LUTs, and how far it is from the chain, read again."""
    reference = camera.production.reference_camera
    encoding = chain.decode.encoding
    if cdl_in == "reference" and reference is not None:
        encoding = reference.encoding
    fit = fit_cdl(chain, encoding, pixels)
    files = cdl_files(fit, size, title=title, threads=THREADS)
    result = read_back_cdl(files, fit, chain, pixels).to_json()
    result["cdl"] = {"encoding_name": find_encoding(encoding).name, "mean": fit.mean,
                     "p99_9": fit.p99_9, "max": fit.max}  # fmt: skip
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in files.items():
            # One time for all, so that the same files are the same zip.
            archive.writestr(zipfile.ZipInfo(name, (1980, 1, 1, 0, 0, 0)), data)
    return out.getvalue(), result


def word_of(name: str) -> str:
    """Return a name as part of a file's: small letters, digits and hyphens."""
    return re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")[:32] or "unnamed"


def _stem(
    light: Light, camera: Camera, chain: Chain, target: str, points: str, levels: LutLevels,
    own: Clip | None,
) -> str:  # fmt: skip
    """Return a LUT's name up to its version: camera, light, from, to, points, levels, chain.

    Two different chains differ by the hash; the same one taken away again by its version.
    """
    decode, output = chain.decode, chain.output
    to = find_encoding(output.encoding).name if isinstance(output, EncodingOutput) else target
    sides = "" if levels == STORED else f"{levels.into}-{levels.out}"
    parts = (
        camera.letter, word_of(light.name), word_of(own.name) if own else "",
        word_of(find_encoding(decode.encoding).name), decode.levels, f"to-{word_of(to)}",
        output.levels if isinstance(output, EncodingOutput) else "", points, sides,
        chain_hash(chain)[:8],
    )  # fmt: skip
    return "_".join(part for part in parts if part)
