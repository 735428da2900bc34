"""Matches where nobody shot a chart: from what both cameras see, as a job and a revision."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any, Final, Literal, get_args

import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain import Decode, Parts, chain_to_json, compose
from syntonos.core.chain import Match as Stage
from syntonos.core.encodings import find_encoding
from syntonos.core.errors import ColourError, FitError
from syntonos.core.matching.by_areas import Area, Shot, colours_of_areas, fit_areas
from syntonos.core.matching.by_places import fit_places, joined
from syntonos.core.matching.by_statistics import fit_statistics
from syntonos.core.matching.fit import white_distance
from syntonos.core.matching.highlights import clipped_as_in_scenes
from syntonos.core.matching.models import AVERAGED
from syntonos.core.matching.places import WIDTH, Places, pixels_within, within_areas
from syntonos.core.matching.pooled import pooled_prior
from syntonos.core.matching.prior import Prior
from syntonos.core.matching.report import scene_fit_to_json
from syntonos.core.matching.scene_fit import SceneFit
from syntonos.server.footage.clipping import frames_looked_at
from syntonos.server.footage.models import Clip
from syntonos.server.jobs import services as jobs
from syntonos.server.jobs.models import Job
from syntonos.server.jobs.services import Progress
from syntonos.server.matching import evidence, probes
from syntonos.server.matching.models import Match, Pin
from syntonos.server.matching.pins import Target, target_of
from syntonos.server.matching.seen_places import places_of, seen_in, side_in
from syntonos.server.matching.services import append, other_pairs
from syntonos.server.productions.models import Camera, Light

KIND: Final = "match-scene"
Way = Literal["picture", "areas", "statistics"]
Use = Literal["same", "within", "without"]  # of areas
_PAIRS: Final = 3  # of frames, spread over the clips
_MOST_CLIPS: Final = 2  # of either camera, where a light is matched in one go
_LEAST_AREA: Final = 4  # pixels of 960
_CELL: Final = 1 / 16  # of a picture: places of one cell are shown as one
WORDS: Final[dict[Way, str]] = {
    "picture": "from the picture", "areas": "from probes", "statistics": "by statistics",
}  # fmt: skip
_LIMITS: Final[dict[Way, str]] = {
    "picture": "It stands on what the two pictures have in common.",
    "areas": "It stands on what was marked in both pictures.",
    "statistics": "An estimate only: the pictures as a whole may differ by more than the cameras.",
}
Box = tuple[float, float, float, float]
Pair = tuple[Box, Box]  # the same thing in the reference's picture and in the angle's


@dataclass(frozen=True, slots=True)
class Request:
    """What a person asked for.

    `left_out` are boxes of the reference's picture, in shares, whose places take no part;
    `with_probes` says that probes of both clips count beside places; `mix` is how much of
    statistics is taken, 0 to 1; `base_number` the newest revision that the person saw; `pin` the
    UUID of a pin that the angle is matched to, in place of the reference's clip; `areas` are marked
    in a frame of each, `frames`, in shares: they count as probes do, or, by `use`, nothing counts
    but what is in them, or nothing that is.
    """

    by: Way = "picture"
    left_out: tuple[Box, ...] = ()
    with_probes: bool = False
    mix: float = 1.0
    base_number: int = 0
    pin: str = ""
    areas: tuple[Pair, ...] = ()
    frames: tuple[int, int] = (0, 0)
    use: Use = "same"

    @property
    def words(self) -> str:
        """From what it is, in words."""
        return "from areas" if self.by == "areas" and self.areas else WORDS[self.by]

    @property
    def limits(self) -> tuple[tuple[Pair, ...], tuple[Pair, ...]]:
        """The areas that alone count, and those that do not."""
        return (self.areas if self.use == "within" else (),
                self.areas if self.use == "without" else ())  # fmt: skip


def request_of(match: Match | None, base_number: int) -> Request:
    """Return the request that a match came from, to ask for it again on what is there now."""
    if match is None or match.facts["kind"] not in get_args(Way):
        return Request(base_number=base_number)
    facts = match.facts
    scene = facts["scene"]
    return Request(
        facts["kind"], tuple((b[0], b[1], b[2], b[3]) for b in scene.get("left_out", [])),
        facts["kind"] == "picture" and scene.get("probes", 0) > 0, scene.get("mix", 1.0),
        base_number, scene.get("pin", {}).get("uuid", ""), _pairs_of(scene.get("areas", [])),
        tuple(scene.get("area_frames", (0, 0))), scene.get("area_use", "same"),
    )  # fmt: skip


def _pairs_of(plain: Sequence[Any]) -> tuple[Pair, ...]:
    return tuple((tuple(one), tuple(other)) for one, other in plain)


def start(
    light: Light, camera: Camera, pairs: Sequence[tuple[Clip, Clip]], request: Request
) -> Job:
    """Queue a match of a camera in a light by pairs of clips, the reference's and its own."""
    if camera.pk == camera.production.reference_camera_id:
        raise FitError(
            f"{camera} is the reference camera: the others are matched to it.",
            hint="Choose another camera, or another reference.", code="fit.reference",
        )  # fmt: skip
    if camera.production.reference_camera_id is None:
        raise FitError(f"{camera.production} has no reference camera.", code="fit.reference",
                       hint="Choose one in the production's sheet.")  # fmt: skip
    if request.by == "areas" and request.areas and request.use != "same":
        raise FitError(
            "Areas that only limit the picture do not say what is the same.", code="areas.none",
            hint="Match from the picture within them, or mark the same things.",
        )  # fmt: skip
    if request.pin and (request.with_probes or (request.by == "areas" and not request.areas)):
        raise FitError(
            "Probes have no place in a pin.", code="areas.none",
            hint="Mark the same things in both, or match to it from the picture.",
        )  # fmt: skip
    if not pairs:
        raise FitError(
            f"{light.name} has no scene of both the reference and {camera}.",
            hint="Bring one of each in.", code="places.no_clips",
        )  # fmt: skip
    title = f"Match {camera.letter} in {light.name} {request.words}"
    return jobs.start(camera.production, KIND, title, {
        "clips": [[base.pk, own.pk] for base, own in pairs], "by": request.by,
        "left_out": [list(box) for box in request.left_out], "with_probes": request.with_probes,
        "mix": request.mix, "base_number": request.base_number, "pin": request.pin,
        "areas": [[list(one), list(other)] for one, other in request.areas],
        "frames": list(request.frames), "use": request.use,
    })  # fmt: skip


def run_job(arguments: dict[str, Any], progress: Progress) -> dict[str, Any]:
    """Match by what clips show; arguments: clips, pairs of numbers, and those of a Request."""
    rows = Clip.objects.select_related("camera__production__reference_camera", "light")
    pairs = [(rows.get(pk=one), rows.get(pk=other)) for one, other in arguments["clips"]]
    request = Request(
        arguments["by"], tuple((b[0], b[1], b[2], b[3]) for b in arguments["left_out"]),
        arguments["with_probes"], arguments["mix"], arguments["base_number"],
        arguments.get("pin", ""), _pairs_of(arguments.get("areas", [])),
        tuple(arguments.get("frames", (0, 0))), arguments.get("use", "same"),
    )  # fmt: skip
    match = match_clips(pairs, request, progress)
    return {"match": match.number, "expected": match.facts["expected"]}


def clip_pairs(light: Light, camera: Camera) -> list[tuple[Clip, Clip]]:
    """Return scenes of the reference and a camera that may show the same, in their order."""
    reference = camera.production.reference_camera
    if reference is None:
        return []
    rows = Clip.objects.filter(light=light, kind=Clip.Kind.SCENE).select_related(
        "camera__production__reference_camera", "light"
    )  # fmt: skip
    base, own = (list(rows.filter(camera=who).order_by("id")) for who in (reference, camera))
    return list(zip(base, own, strict=False))[:_MOST_CLIPS]


def match_clips(
    pairs: Sequence[tuple[Clip, Clip]], request: Request, progress: Callable[[float, str], None]
) -> Match:
    """Match an angle by pairs of clips, reference and angle, and keep it as a revision.

    With a pin the angle's clips are matched to that.
    """
    base, own = pairs[0]
    target = _target(own, request.pin) if request.pin else None
    # What other lights' charts say of the pair's sensors says nothing of a picture from elsewhere.
    pool = _pool(own.light, own.camera) if target is None else None
    shots, count = (
        _shots(pairs, progress, alone=request.by == "areas")
        if request.with_probes or (request.by == "areas" and not request.areas) else ([], 0)
    )  # fmt: skip
    scene: dict[str, Any] = {"probes": count}
    if request.areas:
        if request.use == "same" and request.by != "statistics":
            shots.append(_drawn(target or base, own, request))
        scene |= {
            "areas": [[list(one), list(other)] for one, other in request.areas],
            "area_frames": list(request.frames), "area_use": request.use,
        }  # fmt: skip
    within, without = request.limits
    if request.by == "picture":
        moments = places_over([(target or one, other) for one, other in pairs], progress)
        places, frames = joined([p for p, _ in moments]), [[f, f] for _, f in moments]
        places = within_areas(places, within, without)
        progress(0.9, "Fitting")
        used = _not_in(places, request.left_out)
        beside = (lambda match, fall: colours_of_areas(shots, match, fall)) if shots else None
        fit = fit_places(places, used, beside=beside, pool=pool)
        scene |= {
            "frames": frames, "places": len(places.reference), "features": places.features,
            "overlap": places.overlap, "agreement": places.agreement,
            "left_out": [list(box) for box in request.left_out],
            "spots": _spots(places, fit, used),
        }  # fmt: skip
    elif request.by == "areas":
        if not shots:
            raise FitError(
                f"No probe has a place in both {base} and {own}.",
                hint="Keep the same things in both pictures: a click, or P.", code="areas.none",
            )  # fmt: skip
        progress(0.8, f"Fitting {request.words}")
        fit = fit_areas(shots, pool=pool)
        scene |= {"misses": [round(float(m), 3) for m in fit.misses]}
    else:
        progress(0.3, "Comparing the pictures as a whole")
        (light, clear), (other, plain) = (
            side_in(side, clip.frame_count // 2)
            for side, clip in ((target or base, base), (own, own))
        )
        if request.areas and request.use == "same":
            within = request.areas
        clear, plain = (
            good & pixels_within(good.shape, [p[k] for p in within], [p[k] for p in without])
            for k, good in enumerate((clear, plain))
        )  # fmt: skip
        fit = fit_statistics(light, other, mix=request.mix, usable=(clear, plain))
        scene |= {"mix": request.mix}
    return _kept(pairs, fit, scene, request, target)


def _drawn(reference: Clip | Target, own: Clip, request: Request) -> Shot:
    """Return the areas that were marked, and what their frames show as a whole, if they alone say.

    Raises
    ------
    FitError
        areas.small for one of less than a few pixels.
    """
    sides = (reference, own)
    (light, clear), (other, plain) = (
        side_in(side, frame) for side, frame in zip(sides, request.frames, strict=True)
    )
    areas = []
    for number, (one, two) in enumerate(request.areas, 1):
        area = Area(_pixels(one, light.shape), _pixels(two, other.shape))
        if min(*area.reference[2:], *area.angle[2:]) < _LEAST_AREA:
            raise FitError(
                f"Area {number} is less than {_LEAST_AREA} pixels wide or high.",
                hint="Mark it larger, in both pictures.", code="areas.small",
            )  # fmt: skip
        areas.append(area)
    alone = request.by == "areas" and not request.with_probes
    return Shot(light, other, areas, (clear, plain),
                _whole(reference, own, request.frames) if alone else None)  # fmt: skip


def _pixels(box: Box, shape: tuple[int, ...]) -> Box:
    x, y, w, h = box
    return x * shape[1], y * shape[0], w * shape[1], h * shape[0]


def _whole(base: Clip | Target, own: Clip, frames: tuple[int, int]) -> Places | None:
    """Return what two frames both show as a whole, where they show the same scene."""
    try:
        return places_of(base, own, frames)
    except FitError:
        return None


def _pool(light: Light, camera: Camera) -> Prior | None:
    """Return what charts of other lights say of how the two sensors differ."""
    known = other_pairs(light, camera)
    return pooled_prior([(r, a) for _, r, a in known]) if known else None


def _target(clip: Clip, uuid: str) -> Target:
    pin = Pin.objects.select_related("production", "clip").filter(
        uuid=uuid, production=clip.camera.production_id
    ).first()  # fmt: skip
    if pin is None:
        raise FitError("The pin is no longer there.", hint="Choose another, or the reference.",
                       code="pin.missing")  # fmt: skip
    return target_of(pin)


def places_over(
    pairs: Sequence[tuple[Clip | Target, Clip]], progress: Callable[[float, str], None],
    moments: int = 0,
) -> list[tuple[Places, int]]:  # fmt: skip
    """Return the places of a few pairs of frames that show the same scene, each with its frame.

    Clips that began together are looked at in the same moments. An error where none shows it.
    """
    wanted = [
        (one, other, frame)
        for one, other in pairs
        for frame in _moments(
            other.frame_count
            if isinstance(one, Target)
            else min(one.frame_count, other.frame_count),
            moments or _PAIRS,
        )
    ]
    many, refused = [], None
    for number, (one, other, frame) in enumerate(wanted):
        name = one.pin if isinstance(one, Target) else one
        what = f"What {name} and {other} both show in frame {frame + 1}"
        progress(0.9 * number / len(wanted), what)
        try:
            many.append((places_of(one, other, (frame, frame)), frame))
        except FitError as error:
            refused = error
    if not many:
        assert refused is not None  # noqa: S101 - a clip has a frame
        raise refused
    return many


def _moments(count: int, most: int) -> list[int]:
    if most == 1:
        return [count // 2]
    return sorted({round(f) for f in np.linspace(0, count - 1, min(most, count))})


def _shots(
    pairs: Sequence[tuple[Clip, Clip]], progress: Callable[[float, str], None], *, alone: bool
) -> tuple[list[Shot], int]:  # fmt: skip
    """Return the probes that have a place in both clips of a pair, as areas of their frames.

    Where they are `alone`, the first is told what its frames both show as a whole.
    """
    out: list[Shot] = []
    count = 0
    for base, own in pairs:
        by_frames: dict[tuple[int, int], list[Area]] = {}
        for probe in probes.probes_of(own.light):
            one, other = probes.place_in(probe, base), probes.place_in(probe, own)
            if one is not None and other is not None:
                area = Area(_square(one, base), _square(other, own))
                by_frames.setdefault((one.frame, other.frame), []).append(area)
        for (first, second), areas in by_frames.items():
            (light, clear), (other_light, plain) = seen_in(base, first), seen_in(own, second)
            whole = None
            if alone and not out:
                progress(0.1, f"What {base} and {own} both show about the probes")
                whole = _whole(base, own, (first, second))
            out.append(Shot(light, other_light, areas, (clear, plain), whole))
            count += len(areas)
    return out, count


def _square(place: probes.ProbePlace, clip: Clip) -> Box:
    """Return a probe as pixels of the picture that is looked at, 960 wide at most."""
    width = min(WIDTH, clip.width)
    height = width * clip.height / clip.width
    size = max(place.size * width, 3.0)
    return place.x * width - size / 2, place.y * height - size / 2, size, size


def _not_in(places: Places, boxes: Sequence[Box]) -> NDArray[np.bool_]:
    used = np.ones(len(places.reference), bool)
    at = places.at_reference
    for x, y, w, h in boxes:
        used &= ~((at[:, 0] >= x) & (at[:, 0] < x + w) & (at[:, 1] >= y) & (at[:, 1] < y + h))
    return used


def _spots(places: Places, fit: SceneFit, allowed: NDArray[np.bool_]) -> list[dict[str, Any]]:
    """Return places gathered in cells of the reference's picture, as they are shown.

    Each with its middle in both pictures, how many places it has, the share of them that took
    part, and the median delta E that the match misses there.
    """
    cell = np.floor(places.at_reference / _CELL).astype(int)
    _, label = np.unique(cell, axis=0, return_inverse=True)
    out = []
    for k in range(int(label.max()) + 1):
        mine = np.flatnonzero(label.ravel() == k)
        one, other = places.at_reference[mine].mean(axis=0), places.at_angle[mine].mean(axis=0)
        left, top = cell[mine[0]] * _CELL
        out.append({
            "reference": [round(float(v), 4) for v in one],
            "angle": [round(float(v), 4) for v in other],
            "box": [round(float(v), 4) for v in (left, top, _CELL, _CELL)],
            "count": len(mine), "used": round(float(fit.used[mine].mean()), 2),
            "miss": round(float(np.median(fit.misses[mine])), 2),
            "by_hand": bool(not allowed[mine].any()),
        })  # fmt: skip
    return out


def _kept(
    pairs: Sequence[tuple[Clip, Clip]], fit: SceneFit, scene: dict[str, Any], request: Request,
    target: Target | None,
) -> Match:  # fmt: skip
    base, own = pairs[0]
    reference = own.camera.production.reference_camera
    assert reference is not None  # noqa: S101 - asked for when it was begun
    sides = [str(base.uuid), base.name, [base.encoding, base.levels]]
    stage = _as_the_sensor_clips(fit.match, own)
    chain = compose(Parts(Decode(own.encoding, own.levels), match=stage))
    warmth, tint = white_distance(stage)
    warnings = []
    if request.by == "statistics":
        warnings.append(_LIMITS["statistics"])
    if target is not None:
        pin = target.pin
        sides = [str(pin.uuid), str(pin), [pin.taken_as, pin.levels]]
        scene |= {"pin": {"uuid": str(pin.uuid), "name": str(pin), "taken": sides[2]}}
        warnings += [target.light.limit] if target.light.limit else []
    facts = evidence.written(request.by, evidence.WITHOUT_CHART | scene_fit_to_json(fit) | {
        "model": AVERAGED, "asked": AVERAGED, "warmth": warmth, "tint": tint,
        "limit": _LIMITS[request.by], "warnings": warnings,
        # By how much it would help is not worked out for scenes.
        "advice": [{"text": word, "gain": 0.0} for word in fit.advice],
        "scene": scene | {
            "clips": [sides[0], str(own.uuid)], "names": [sides[1], own.name],
            "taken": [sides[2], [own.encoding, own.levels]], "clusters": fit.clusters,
            "aside": fit.aside,
        },
    })  # fmt: skip
    match = Match(
        light=own.light, camera=own.camera, reference=reference, reference_reading=None,
        angle_reading=None, chain=chain_to_json(chain), evidence=facts,
    )  # fmt: skip
    return append(match, request.base_number, "match.picture")


def _as_the_sensor_clips(match: Stage, clip: Clip) -> Stage:
    """Return a match with where the angle's sensor clips and how that is filled, by its scene."""
    try:
        frames = frames_looked_at(clip)
    except ColourError:  # missing or broken: said elsewhere
        return match
    return clipped_as_in_scenes(match, frames, find_encoding(clip.encoding), clip.levels)
