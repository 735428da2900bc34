"""The white of several clips set in one go, by one thing that all of them show."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain import AS_IN_FORCE, Overrides
from syntonos.core.chain import Trim as TrimStage
from syntonos.core.chain.colour_model import AP1_LUMINANCE
from syntonos.core.chain.compose import trim_of
from syntonos.core.chain.stages.trim import NEUTRAL
from syntonos.core.matching.tuner import taken_off, white_apart
from syntonos.server.api.errors import ConflictError
from syntonos.server.footage.models import Clip
from syntonos.server.matching import probes, probing, trims
from syntonos.server.matching.chains import InForce
from syntonos.server.matching.models import Probe

_ROUNDS = 6
_WHITE = ("exposure", "warmth", "tint")


@dataclass(frozen=True, slots=True)
class Set:
    """What was set of a clip, or of its camera in the light."""

    clip_id: int
    where: str
    stops: float
    warmth: float
    tint: float


def set_all(
    probe: Probe, clips: Sequence[Clip], to: Literal["reference", "neutral"],
    reference: Clip | None, *, for_clips: bool,
) -> list[Set]:  # fmt: skip
    """Bring a thing in several clips to what it is in the reference, or to neutral.

    Exposure and white follow the reference; to neutral only the white is set. Each clip is a step
    of its own in the log. All are worked out before any is stored.

    Raises
    ------
    ConflictError
        probe.place where a clip has no place of it; probe.reference where the reference has none;
        probe.same_camera for two clips of a camera whose trim in the light would be set.
    ChainError
        When a trim would have to go farther than it can.
    """
    light = probe.light
    cameras = [clip.camera_id for clip in clips]
    if not for_clips and len(set(cameras)) < len(cameras):
        raise ConflictError(
            "probe.same_camera", "Several of these clips are of one camera, which has one trim in "
            "the light.", "Choose one of them, or let each clip add what it needs.",
        )  # fmt: skip
    in_force = InForce(light.production, light.pk)
    want = _of(probe, _reference(probe, in_force, reference), in_force)[0] if (
        to == "reference") else None  # fmt: skip
    found = []
    for clip in clips:
        own = clip if for_clips else None
        row = trims.trim_of(light, clip.camera, own)
        stage = before = trims.stage_of(row)
        for _ in range(_ROUNDS):
            # What a clip adds and what its light has turn the white as their sum does.
            seen = Overrides(clip_trim=stage) if own else Overrides(trim=stage)
            got, balanced = _of(probe, clip, in_force, seen)
            goal = want if want is not None else _neutral(got, balanced)
            total = trim_of(in_force.parts_of(clip), seen) or NEUTRAL
            stage = _brought(stage, total, got, goal, with_exposure=to == "reference")
        found.append((clip, own, row.number if row else 0, before, stage))
    out = []
    how = f"{probe} as in the reference" if to == "reference" else f"{probe} neutral"
    for clip, own, number, before, stage in found:
        trims.set_trim(light, clip.camera, own, stage, number, how=how)
        where = str(clip) if own else f"{clip.camera.letter} in {light}"
        out.append(Set(clip.pk, where, stage.stops - before.stops, stage.warmth - before.warmth,
                       stage.tint - before.tint))  # fmt: skip
    return out


def _reference(probe: Probe, in_force: InForce, chosen: Clip | None) -> Clip:
    if chosen is not None:
        return chosen
    rows = Clip.objects.select_related("camera__production", "light").filter(
        light=probe.light, camera=in_force.production.reference_camera
    )
    for clip in rows:
        if probes.place_in(probe, clip):
            return clip
    raise ConflictError("probe.reference", f"{probe} has no place in a clip of the reference.",
                        "Pick it there too, or set it to neutral.")  # fmt: skip


def _of(
    probe: Probe, clip: Clip, in_force: InForce, overrides: Overrides = AS_IN_FORCE
) -> list[NDArray[np.float64]]:
    """Return a thing's light in a clip after the trim, and after the balance."""
    place = probes.place_in(probe, clip)
    if place is None:
        raise ConflictError("probe.place", f"{probe} has no place in {clip}.", "Pick it there.")
    one = probing.ClipProbed(clip, in_force.parts_of(clip), overrides, [place])
    return [one.means(one.light_after(stage))[0] for stage in ("trim", "balance")]


def _neutral(got: NDArray[np.float64], balanced: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return what the trim has to give so that the thing is neutral after the balance."""
    goal = np.maximum(got, 1e-6) / np.maximum(balanced, 1e-6)
    return np.asarray(goal * (got @ AP1_LUMINANCE) / (goal @ AP1_LUMINANCE), np.float64)


def _brought(
    before: TrimStage, total: TrimStage, got: NDArray[np.float64], goal: NDArray[np.float64],
    *, with_exposure: bool,
) -> TrimStage:  # fmt: skip
    """Return the trim after which a colour is another one, by exposure and white.

    `total` is what the light's and the clip's trim are together; `before` one of them, which is
    turned by what the total needs.
    """
    off = white_apart(goal, got, probing.SPREAD)
    wanted = taken_off(total, off, _WHITE if with_exposure else _WHITE[1:])
    by = {
        name: getattr(wanted, name) - getattr(total, name) for name in ("stops", "warmth", "tint")
    }
    return replace(
        before, stops=round(before.stops + by["stops"], 4),
        warmth=round(before.warmth + by["warmth"], 2), tint=round(before.tint + by["tint"], 3),
    )  # fmt: skip
