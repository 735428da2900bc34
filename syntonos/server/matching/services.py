"""Fitting matches and judging encodings."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass, replace
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain import (
    AS_IN_FORCE,
    Decode,
    Overrides,
    Parts,
    chain_to_json,
    compose,
)
from syntonos.core.chain.readback import display_lab
from syntonos.core.charts import ChartReading as CoreReading
from syntonos.core.colorimetry import delta_e_2000
from syntonos.core.encodings import GAMUTS, find_encoding
from syntonos.core.errors import FitError
from syntonos.core.formats.patch_table import read_patch_table
from syntonos.core.matching import (
    AVERAGED,
    FitOptions,
    MatchFit,
    fit_match,
    fit_to_json,
    reading_from_json,
    reading_to_json,
)
from syntonos.core.matching.curve_fit import FittedCurve, fit_curve
from syntonos.core.matching.encoding_check import as_encoded
from syntonos.core.matching.imported import published_reading, reading_of_table
from syntonos.core.matching.menu import MenuValues, camera_menu
from syntonos.core.matching.pooled import pooled_prior
from syntonos.core.matching.readings import ColourPair
from syntonos.core.matching.scene_check import far_off
from syntonos.core.viewing import Asked, Subject, Viewed, view
from syntonos.server.footage.clipping import measure
from syntonos.server.footage.models import Clip
from syntonos.server.footage.sources import ClipSource
from syntonos.server.history.services import step
from syntonos.server.matching import evidence, selectors
from syntonos.server.matching.areas import Area, AreaPair, colour_of
from syntonos.server.matching.chains import parts_of
from syntonos.server.matching.models import ChartReading, Match
from syntonos.server.matching.readings import beside, bracket_of
from syntonos.server.matching.sensor_clip import fill_for, scene_clip
from syntonos.server.matching.steadying import against_the_chart, colours_beside
from syntonos.server.productions.models import Camera, Light, OwnEncoding
from syntonos.server.productions.services import keep_own_encoding

_PREVIEWED: Final = Asked(width=480, picture=False, display=True)


KEPT = "kept"  # the table that the match in force was fitted to


@dataclass(frozen=True, slots=True)
class FitRequest:
    """What a person asked for, and on which revision it stands."""

    model: str = AVERAGED
    leave_out: tuple[int, ...] = ()
    weights: tuple[tuple[int, float], ...] = ()  # patch (from 1) and weight
    areas: tuple[AreaPair, ...] = ()  # what both cameras saw beside the chart
    pool: bool = False  # whether the pair's readings in other lights take part
    values: str = ""  # "published", KEPT, or a table, instead of the reference's reading
    values_name: str = ""
    fills: bool = True  # whether clipped highlights are filled towards the light
    with_scene: bool = False  # whether what the light's scenes show steadies the fit
    base_number: int = 0  # the newest revision the person saw; 0 where there was none


def request_of(match: Match | None, *, base_number: int) -> FitRequest:
    """Return the request that a match came from, to ask for it again on newer readings."""
    if match is None or selectors.is_borrowed(match):
        return FitRequest(base_number=base_number)
    e = match.facts
    values = e["target"]["name"] if "target" in e else ""
    return FitRequest(
        e.get("asked", AVERAGED), tuple(e.get("leave_out", ())),
        tuple((int(i), float(w)) for i, w in e.get("weights", ())),
        tuple(AreaPair(Area(**p["reference"]), Area(**p["angle"]), p["weight"])
              for p in e.get("areas", ())),
        e.get("pool", False),
        "" if not values else "published" if values == "published values" else KEPT,
        values, e.get("fills", True), "steadied" in e, base_number,
    )  # fmt: skip


_SCENE_VERBS: Final = {
    "picture": "from the picture", "areas": "from probes", "statistics": "estimated by statistics",
}  # fmt: skip


def _scene_verb(facts: Mapping[str, Any]) -> str:
    if facts["kind"] == "areas" and facts["scene"].get("areas"):
        return "from areas"
    return _SCENE_VERBS.get(facts["kind"], "")


def append(match: Match, base_number: int, kind: str = "match.fit") -> Match:
    """Store a match as the newest and current revision, if its base still is the newest."""
    rows = Match.objects.filter(light=match.light, camera=match.camera, reference=match.reference)
    where = f"{match.camera.letter} in {match.light}"
    verb = {
        "match.fit": "fitted",
        "match.restore": "taken again",
        "match.borrow": "borrowed",
        "match.picture": _scene_verb(match.facts),
    }[kind]
    with step(
        match.camera.production_id, kind, lambda _: f"{where}: match {match.number} {verb}"
    ) as made:
        return made.append(match, rows, base_number)


def both_readings(light: Light, camera: Camera) -> tuple[ChartReading, ChartReading]:
    """Return the newest readings of the reference and of a camera, as the cameras say now."""
    reference = camera.production.reference_camera
    if reference is None or reference.pk == camera.pk:
        raise FitError(
            f"{camera} is the reference camera: the others are matched to it.",
            hint="Choose another camera, or another reference.", code="fit.reference",
        )  # fmt: skip
    readings = {who.pk: selectors.latest_reading(light.pk, who.pk) for who in (reference, camera)}
    for who in (reference, camera):
        if readings[who.pk] is None:
            raise FitError(
                f"There is no chart reading of {who} in {light.name}.",
                hint="Open the Chart and read it first.", code="fit.no_reading",
            )  # fmt: skip
        reading = readings[who.pk]
        if reading and not selectors.holds(reading):
            now = reading.clip
            raise FitError(
                f"The reading of {who} was made as {reading.encoding} {reading.levels}, the clip "
                f"is now taken as {now.encoding} {now.levels}, or developed otherwise.",
                hint="Read its chart again.", code="fit.other_encoding",
            )  # fmt: skip
    base, own = readings[reference.pk], readings[camera.pk]
    assert base is not None and own is not None  # noqa: S101, PT018 - checked above
    return base, own


def own_reading(light: Light, camera: Camera) -> ChartReading:
    """Return a camera's newest reading in a light."""
    row = selectors.latest_reading(light.pk, camera.pk)
    if row is None:
        raise FitError(
            f"There is no chart reading of {camera} in {light.name}.",
            hint="Open the Chart and read it first.", code="fit.no_reading",
        )  # fmt: skip
    return row


def first_of(row: ChartReading) -> ChartReading:
    """Return the reading that a bracket was merged onto, or the reading itself."""
    parts = row.notes.get("bracket")
    return ChartReading.objects.get(pk=parts[0]["reading"]) if parts else row


def menu(
    light: Light, camera: Camera, *, step: float, most: int, sign: int, overall: bool
) -> MenuValues:
    """Return the match in force as values for the camera's own colour menu."""
    current = selectors.current_match(light.pk, camera)
    if current is None:
        raise FitError(
            f"{camera} has no match in {light.name} yet.",
            hint="Read the charts and fit first.", code="menu.no_match",
        )  # fmt: skip
    if current.angle_reading is None:
        raise FitError(
            f"The match of {camera} in {light.name} is from the picture: the menu's values are "
            "worked out on a chart.",
            hint="Read a chart and fit.", code="menu.no_chart",
        )  # fmt: skip
    reading = reading_from_json(current.angle_reading.data)
    return camera_menu(
        reading, selectors.stage_of(current), step=step, most=most, sign=sign, overall=overall
    )


@dataclass(frozen=True, slots=True)
class Change:
    """What another fit would change of the match in force, nothing being stored."""

    expected: float  # delta E off the chart, by the other fit
    expected_now: float | None
    clips: list[dict[str, Any]]  # name, mean, most: display delta E of the first frame
    files: list[str]  # that left with the match in force, and would be old


def other_rows(light: Light, camera: Camera) -> list[tuple[Light, ChartReading, ChartReading]]:
    """Return the readings of the reference and a camera in other lights, as they are taken now."""
    reference = camera.production.reference_camera
    if reference is None or reference.pk == camera.pk:
        return []
    newest = selectors.newest_readings(camera.production_id, [reference.pk, camera.pk])
    out = []
    for other in camera.production.lights.exclude(pk=light.pk):
        base, own = (newest.get((other.pk, who.pk)) for who in (reference, camera))
        if base is None or own is None or not (selectors.holds(base) and selectors.holds(own)):
            continue
        if selectors.same_chart(base, own):
            out.append((other, base, own))
    return out


def other_pairs(light: Light, camera: Camera) -> list[tuple[Light, CoreReading, CoreReading]]:
    """Return the same, as the core takes them."""
    return [
        (other, reading_from_json(base.data), reading_from_json(own.data))
        for other, base, own in other_rows(light, camera)
    ]


def _target(light: Light, camera: Camera, request: FitRequest, own: CoreReading) -> CoreReading:
    """Return values as a reading, of the chart that was read."""
    if request.values == "published":
        return published_reading(own.layout)
    if request.values == KEPT:
        current = selectors.current_match(light.pk, camera)
        if current is None or "target" not in current.facts:
            raise FitError(
                "The match in force stands on no table.", hint="Choose the table again.",
                code="fit.no_table",
            )  # fmt: skip
        return selectors.target_of(current)
    table = read_patch_table(request.values.encode(), patches=len(own.patches))
    return reading_of_table(table, own.layout)


_CROSSED = (
    "The charts of the two frames agree better in another order: the one read first in the angle "
    "does not seem to be the reference's first. Read the same chart first in both."
)


@dataclass(frozen=True, slots=True)
class _Found:
    """A fit, the readings' rows, what was the target, and the scenes that steadied it."""

    fit: MatchFit
    base: ChartReading | None  # None where the target is values
    own: ChartReading
    target: CoreReading
    scene: dict[str, Any] | None


def _found(light: Light, camera: Camera, request: FitRequest) -> _Found:
    """Fit as asked."""
    pool, is_crossed = None, False
    if request.values:
        base, own = None, own_reading(light, camera)
        angle = reading_from_json(own.data)
        target = _target(light, camera, request, angle)
    else:
        base, own = both_readings(light, camera)
        target, angle = reading_from_json(base.data), reading_from_json(own.data)
        more, is_crossed = beside(base, own)
        if request.pool:
            more += [(r, a) for _, r, a in other_pairs(light, camera)]
        pool = pooled_prior(more) if more else None
    # Values are not what the reference's scene looks like.
    with_scene = request.with_scene and base is not None
    colours, scene = colours_beside(light, camera) if with_scene else (None, None)
    reference = camera.production.reference_camera
    pairs = tuple(
        ColourPair(colour_of(light, camera, p.angle), colour_of(light, reference, p.reference),
                   p.weight)
        for p in request.areas if reference is not None
    )  # fmt: skip
    options = FitOptions(request.model, request.leave_out, request.weights, pairs, pool,
                         scene_clip(own, angle))  # fmt: skip
    found = fit_match(target, angle, options)
    if colours is not None:
        if off := far_off(found.match, colours):
            raise against_the_chart(off)
        found = fit_match(target, angle, replace(options, scene=colours))
    if request.fills:
        found = replace(found, match=replace(found.match, highlights=fill_for(own)))
    if is_crossed:
        found = replace(found, warnings=(_CROSSED, *found.warnings))
    return _Found(found, base, own, target, scene)


def _display(seen: Viewed) -> NDArray[np.float32]:
    assert seen.display is not None  # noqa: S101 - it was asked for
    return seen.display


def preview(*, light: Light, camera: Camera, request: FitRequest) -> Change:
    """Say what a fit would change: by how much, in which clips, and which files it makes old."""
    found = _found(light, camera, request).fit
    current = selectors.current_match(light.pk, camera)
    if current is None:
        return Change(found.expected, None, [], [])
    shown = camera.production.output()
    clips = []
    rows = Clip.objects.filter(light=light, camera=camera).select_related("camera__production")
    for clip in rows.order_by("kind", "id"):
        subject = Subject(ClipSource(clip), parts_of(clip))
        before, after = (
            display_lab(_display(view(subject, _PREVIEWED, over, threads=2)), shown.display)
            for over in (AS_IN_FORCE, Overrides(match=found.match))
        )
        change = delta_e_2000(before, after)
        clips.append({"name": clip.name, "mean": float(change.mean()),
                      "most": float(np.percentile(change, 99))})  # fmt: skip
    expected_now = current.facts.get("expected")
    files = list(current.exports.order_by("-id").values_list("file_name", flat=True))
    return Change(found.expected, expected_now, clips, files)


def fit(*, light: Light, camera: Camera, request: FitRequest) -> Match:
    """Fit the camera to the reference in a light, as a new revision."""
    # The fit stays outside the transaction: it takes a while and touches no rows.
    made = _found(light, camera, request)
    found, base, own = made.fit, made.base, made.own
    chain = compose(Parts(Decode(own.encoding, own.levels), match=found.match))
    facts = fit_to_json(found) | {
        "weights": request.weights, "asked": request.model, "pool": request.pool,
        "areas": [asdict(pair) for pair in request.areas],
        "leave_out": list(request.leave_out), "fills": request.fills,
    }  # fmt: skip
    if base is None:
        name = "published values" if request.values == "published" else request.values_name
        facts["target"] = {"name": name, "reading": reading_to_json(made.target)}
    if made.scene is not None:
        facts["steadied"] |= made.scene
    facts["warnings"] = [*_reading_warnings(base, own), *facts["warnings"]]
    kind: evidence.Kind = "values" if base is None else "chart"
    match = Match(
        light=light, camera=camera, reference=camera.production.reference_camera,
        reference_reading=base, angle_reading=own, chain=chain_to_json(chain),
        evidence=evidence.written(kind, facts),
    )  # fmt: skip
    kept = append(match, request.base_number)
    for clip in Clip.objects.filter(light=light, camera=camera).select_related("camera"):
        measure(clip, found.match.clip)
    return kept


def measure_unmeasured(light: Light | None = None) -> int:
    """Measure what is clipped in clips that are not measured as they are taken now.

    Clips of productions of earlier versions are; returns how many.
    """
    count = 0
    clips = Clip.objects.select_related("camera__production", "light")
    for clip in clips if light is None else clips.filter(light=light):
        if clip.clipped_share is not None:
            continue
        match = selectors.current_match(clip.light_id, clip.camera)
        measure(clip, selectors.stage_of(match).clip if match is not None else None)
        count += 1
    return count


def _reading_warnings(base: ChartReading | None, own: ChartReading) -> list[str]:
    """Return what the readings themselves warn of."""
    out = []
    for who, row in (("reference", base), ("angle", own)):
        if row is None:
            continue
        if row.notes.get("is_moving"):
            out.append(
                f"The chart of the {who} moves by up to {row.notes['moved']:.0f} pixels: only "
                f"{len(row.frames)} frames could be used. Hold it still, or fix it to a stand."
            )
        if row.notes.get("is_straight") is False:
            out.append(
                f"The exposures of the {who}'s bracket disagree from patch to patch: its encoding "
                "or levels may be others."
            )
    counts = [len(row.notes.get("beside", [])) for row in (base, own) if row is not None]
    if len(set(counts)) > 1:
        out.append(
            f"The reference's frame was read with {counts[0]} more charts, the angle's with "
            f"{counts[1]}: they take no part. Read as many in both."
        )
    return out


def candidate(light: Light, camera: Camera, slug: str, levels: str) -> tuple[Subject, Overrides]:
    """Return the angle's chart clip as it would look, were it encoded so and matched."""
    base, own = both_readings(light, camera)
    encoding = find_encoding(slug)
    seen = as_encoded(reading_from_json(own.data), encoding, levels)
    match = fit_match(reading_from_json(base.data), seen).match
    subject = Subject(ClipSource(own.clip), parts_of(own.clip))
    return subject, Overrides(decode=Decode(encoding.slug, levels), match=match)


def restore(old: Match, *, base_number: int) -> Match:
    """Go back to an earlier revision: it becomes the newest, and nothing is lost.

    Where it was fitted while its chart was taken as something else, the chart's clip and those of
    its camera in that light that are taken alike are taken so again, in the same step of the log.
    """
    again = Match(
        light=old.light, camera=old.camera, reference=old.reference,
        reference_reading=old.reference_reading, angle_reading=old.angle_reading, chain=old.chain,
        evidence=old.evidence, restored_from=old,
    )  # fmt: skip
    then = old.angle_reading
    with step(old.camera.production_id, "match.restore", ""):  # one group for both entries
        kept = append(again, base_number, "match.restore")
        if then and not selectors.is_borrowed(old) and not selectors.holds(then):
            _take_as_read(then)
    return kept


def _take_as_read(reading: ChartReading) -> None:
    """Take a chart's clip, and those beside it that are taken alike, as it was when it was read."""
    now, camera = reading.clip, reading.clip.camera
    name = find_encoding(reading.encoding).name
    words = f"{camera.letter} in {now.light}: taken as {name}, {reading.levels} levels again"
    values = {
        f"overrides.{field}": None if value == getattr(camera, field) else value
        for field, value in (("encoding", reading.encoding), ("levels", reading.levels))
    }
    clips = Clip.objects.filter(light=now.light, camera=camera).select_related("camera")
    with step(camera.production_id, "clip.settings", words) as made:
        for clip in clips:
            if (clip.encoding, clip.levels) == (now.encoding, now.levels):
                made.change(clip, values)


def fit_own_curve(light: Light, camera: Camera) -> tuple[FittedCurve, OwnEncoding]:
    """Fit a curve to a camera's bracket in a light, and keep it as an encoding of its own.

    The camera's encoding is not changed by it.
    """
    base, own = both_readings(light, camera)
    gamut = find_encoding(own.encoding).gamut.slug
    found = fit_curve(
        reading_from_json(base.data), reading_from_json(first_of(own).data), bracket_of(own),
        name=f"{camera.name}, from a bracket", gamut=gamut if gamut in GAMUTS else "bt709",
    )  # fmt: skip
    row = keep_own_encoding(
        camera.production, found.definition.to_json(), f"bracket of {camera} in {light.name}"
    )
    return found, row
