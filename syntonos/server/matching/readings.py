"""Charts of clips: layouts, finding, reading, and brackets read as one."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from django.db import models
from django.utils.text import slugify
from numpy.typing import NDArray

from syntonos.core.charts import (
    CHART_24,
    LAYOUTS,
    ChartLayout,
    Detection,
    find_chart,
    find_charts,
    find_layout,
    read_chart,
    read_layout,
)
from syntonos.core.charts import ChartReading as CoreReading
from syntonos.core.charts.bracket import merge_readings
from syntonos.core.charts.frames import propose_frames
from syntonos.core.charts.refine import refine_corners
from syntonos.core.encodings import find_encoding
from syntonos.core.errors import ChartError
from syntonos.core.matching import reading_from_json, reading_to_json
from syntonos.core.matching.pairing import pair_charts
from syntonos.server.api.errors import ConflictError
from syntonos.server.footage.frames import frame_of
from syntonos.server.footage.models import Clip
from syntonos.server.history.services import step
from syntonos.server.matching import selectors
from syntonos.server.matching.models import ChartLayout as LayoutRow
from syntonos.server.matching.models import ChartReading
from syntonos.server.productions.models import Camera, Light, Production

_MOST_FRAMES = 12
_SEEN = 0.5  # agreement with the template below which a chart is not where it is said to be


def _chosen(clip: Clip, frames: Sequence[int] | None) -> list[int]:
    # From all over the clip where it is longer than what is looked at.
    spread = np.linspace(0, clip.frame_count - 1, min(clip.frame_count, _MOST_FRAMES))
    chosen = list(frames) if frames else [int(i) for i in np.round(spread)]
    if not chosen or min(chosen) < 0 or max(chosen) >= clip.frame_count:
        raise ChartError(
            f"{clip.name} has {clip.frame_count} frames.", hint="Choose frames of the clip.",
            code="chart.frames",
        )  # fmt: skip
    return sorted(set(chosen))[:_MOST_FRAMES]


def layout_for(production: Production, slug: str) -> ChartLayout:
    """Return a ready-made layout, or one that the production brought."""
    if slug in LAYOUTS:
        return find_layout(slug)
    row = LayoutRow.objects.filter(production=production, slug=slug).first()
    if row is None:
        raise ChartError(
            f"There is no chart layout {slug!r} in this production.",
            hint="Choose another, or add its layout file.", code="layout.unknown",
        )  # fmt: skip
    return read_layout(row.text, row.slug)


def layouts_of(production: Production) -> list[ChartLayout]:
    """Return the ready-made layouts and the production's own."""
    own = [read_layout(row.text, row.slug) for row in production.layouts.all()]
    return [*(find_layout(slug) for slug in LAYOUTS), *own]


def add_layout(production: Production, name: str, text: str) -> ChartLayout:
    """Keep a layout file with a production; readings stand on it, so it is never replaced."""
    slug = slugify(Path(name).stem)[:60] or "chart"
    layout = read_layout(text, slug)
    if slug in LAYOUTS or LayoutRow.objects.filter(production=production, slug=slug).exists():
        raise ConflictError(
            "layout.taken", f"There is a layout {slug} already.", "Give the file another name."
        )
    with step(production.pk, "layout.add", f"Chart layout {slug} added") as made:
        made.created(LayoutRow.objects.create(production=production, slug=slug, text=text))
    return layout


@dataclass(frozen=True, slots=True)
class Found:
    """Where the chart is, and the other charts in the frame."""

    detection: Detection
    others: list[Detection]


def find(
    clip: Clip, frames: Sequence[int] | None = None, *, layout: ChartLayout = CHART_24,
    every: bool = False,
) -> Found:  # fmt: skip
    """Look for the chart in a clip; nothing is stored."""
    chosen = _chosen(clip, frames)
    stack = [frame_of(clip, i) for i in chosen]
    mean = np.asarray(np.mean(stack, axis=0), np.float32)
    others: list[Detection] = []
    if every:
        detection, *others = find_charts(mean, layout)
    else:
        try:
            detection = find_chart(mean, layout)
        except ChartError:
            # Where it moves, the mean is a blur.
            if len(stack) == 1:
                raise
            detection = find_chart(stack[len(stack) // 2], layout)
    return Found(detection, others)


def read(
    clip: Clip,
    corners: Sequence[Sequence[float]],
    *,
    found_by: str,
    frames: Sequence[int] | None = None,
    layout: ChartLayout = CHART_24,
    others: Sequence[Sequence[Sequence[float]]] = (),
) -> ChartReading:
    """Read the chart at its corners and keep the reading as the clip's newest.

    Without frames the best ones are chosen. `others` are corners of more charts of the kind in the
    frame: they are read with it, from left to right, and take part in its fit. An angle's are
    brought into the order of the reference's, where its frame was read with as many.
    """
    chosen = _chosen(clip, frames)
    notes: dict[str, Any] = {}
    if frames is None and len(chosen) > 1:
        stack = [frame_of(clip, i) for i in chosen]
        proposal = propose_frames(stack, np.asarray(corners, np.float64), layout)
        notes = {
            "moved": proposal.moved, "is_moving": proposal.is_moving,
            "left_out_frames": [{"frame": chosen[n.frame], "reason": n.reason}
                                for n in proposal.notes if n.reason is not None],
        }  # fmt: skip
        chosen = [chosen[i] for i in proposal.frames]
        moved = cv2.getPerspectiveTransform(
            np.asarray(corners, np.float32), proposal.given.astype(np.float32)
        )
        corners = proposal.given.tolist()
        others = [_still_there(frame_of(clip, chosen[0]), other, moved, layout) for other in others]
    stack = [frame_of(clip, i) for i in chosen]
    encoding = find_encoding(clip.encoding)
    reading, *beside = _as_in_the_reference(clip, [
        read_chart(stack, quad, encoding, levels=clip.levels, layout=layout)
        for quad in (corners, *sorted(others, key=lambda quad: float(np.mean(quad, axis=0)[0])))
    ])  # fmt: skip
    if beside:
        notes["beside"] = [reading_to_json(other) for other in beside]
    return _keep(clip, reading, chosen, found_by, notes)


def _as_in_the_reference(clip: Clip, charts: list[CoreReading]) -> list[CoreReading]:
    """Return an angle's charts in the order of the reference's, as far as they can be told apart.

    Whoever reads all charts of a frame chose none of them to be the first.
    """
    reference = clip.camera.production.reference_camera_id
    if len(charts) == 1 or reference is None or reference == clip.camera_id:
        return charts
    base = selectors.latest_reading(clip.light_id, reference)
    theirs = [] if base is None else _all_charts(base)
    if len(theirs) != len(charts) or len(theirs[0].patches) != len(charts[0].patches):
        return charts
    return [charts[k] for k in pair_charts(theirs, charts, first_is_given=False).order]


def _all_charts(row: ChartReading) -> list[CoreReading]:
    """Return a reading and those that were read beside it."""
    return [reading_from_json(data) for data in (row.data, *row.notes.get("beside", []))]


def _still_there(
    code: NDArray[np.float32], corners: Sequence[Sequence[float]], moved: NDArray[np.float64],
    layout: ChartLayout,
) -> list[list[float]]:  # fmt: skip
    """Return where another chart is in the chosen frames: where it was, or moved with the first."""
    quad = np.asarray(corners, np.float64)
    along = cv2.perspectiveTransform(quad[None], moved)[0]
    agreement, place = max(
        ((refine_corners(code, q, layout)[1], q.tolist()) for q in (quad, along)),
        key=lambda row: row[0],
    )
    if agreement < _SEEN:
        raise ChartError(
            "Another chart of the frame is not where it was in the frames that are best for the "
            "first.", hint="Read the first one alone, or choose the frames.", code="chart.moved",
        )  # fmt: skip
    return place  # type: ignore[no-any-return]


def _keep(
    clip: Clip, reading: CoreReading, frames: list[int], found_by: str, notes: dict[str, Any]
) -> ChartReading:
    if clip.development_key:
        notes = {**notes, "source": clip.development_key}
    production = clip.camera.production_id
    with step(production, "reading.make", lambda _: f"{clip}: chart read") as made:
        rows = ChartReading.every.filter(clip=clip)
        last = rows.aggregate(models.Max("number"))["number__max"] or 0
        row = ChartReading.every.create(
            clip=clip, number=last + 1, frames=frames, found_by=found_by, notes=notes,
            encoding=reading.encoding, levels=reading.levels, data=reading_to_json(reading),
            is_withdrawn=True,
        )  # fmt: skip
        made.change(row, {"is_withdrawn": False})
    return row


def merge(light: Light, camera: Camera, parts: Sequence[tuple[int, float | None]]) -> ChartReading:
    """Read several clips' charts as one, the first at the exposure that the match is for.

    Parameters
    ----------
    parts : sequence of (reading id, stops above the first or None where it is not known)
    """
    rows = ChartReading.objects.filter(
        clip__light=light, clip__camera=camera, pk__in=[pk for pk, _ in parts]
    ).select_related("clip").in_bulk()  # fmt: skip
    if len(parts) < 2 or len(rows) != len(parts):
        raise ChartError(
            "Two or more readings of this camera in this light are needed.",
            hint="Read the chart in each clip of the bracket first.", code="bracket.few",
        )  # fmt: skip
    ordered = [rows[pk] for pk, _ in parts]
    merged = merge_readings([reading_from_json(row.data) for row in ordered])
    found = (0.0, *(e.stops for e in merged.exposures))
    bends = (0.0, *(e.bend for e in merged.exposures))
    notes = {
        "bracket": [
            {"reading": row.pk, "clip": row.clip.name, "stated": stops, "stops": found[k],
             "bend": bends[k]}
            for k, (row, (_, stops)) in enumerate(zip(ordered, parts, strict=True))
        ],
        "rescued": list(merged.rescued), "black": list(merged.black),
        "is_straight": merged.is_straight,
    }  # fmt: skip
    first = ordered[0]
    return _keep(first.clip, merged.reading, first.frames, first.found_by, notes)


def beside(
    base: ChartReading, own: ChartReading
) -> tuple[list[tuple[CoreReading, CoreReading]], bool]:
    """Return the pairs of charts that were read beside two readings.

    Also whether the two readings themselves seem to be of different charts. No pairs where the two
    frames do not show as many.
    """
    both = [_all_charts(row) for row in (base, own)]
    alike = selectors.same_chart(base, own)
    if len(both[0]) != len(both[1]) or len(both[0]) == 1 or not alike:
        return [], False
    pairing = pair_charts(*both)
    pairs = [(one, both[1][k]) for one, k in zip(both[0], pairing.order, strict=True)]
    return pairs[1:], pairing.crossed


def read_again(row: ChartReading) -> ChartReading:
    """Read where a reading was made, as its clip is taken now: each exposure of a bracket too."""
    parts = row.notes.get("bracket", [])
    if not parts:
        layout = reading_from_json(row.data).layout
        others = [other["corners"] for other in row.notes.get("beside", [])]
        return read(row.clip, row.data["corners"], found_by=row.found_by, frames=row.frames,
                    layout=layout, others=others)  # fmt: skip
    rows = ChartReading.objects.select_related("clip__camera__production", "clip__light").in_bulk(
        [part["reading"] for part in parts]
    )
    fresh = [(read_again(rows[part["reading"]]).pk, part["stated"]) for part in parts]
    return merge(row.clip.light, row.clip.camera, fresh)


def bracket_of(row: ChartReading) -> list[tuple[CoreReading, float]]:
    """Return a merged reading's exposures with the stops that a person stated for them."""
    parts = row.notes.get("bracket", [])[1:]
    rows = ChartReading.objects.in_bulk([p["reading"] for p in parts])
    return [
        (reading_from_json(rows[p["reading"]].data), float(p["stated"]))
        for p in parts if p["stated"] is not None
    ]  # fmt: skip
