"""Where an angle clips, and how that is filled, from the scenes it shot in its chart's light."""

from __future__ import annotations

from contextlib import suppress

from syntonos.core.chain import Highlights
from syntonos.core.charts import ChartReading as CoreReading
from syntonos.core.charts.clipping import clip_of_scenes
from syntonos.core.encodings import find_encoding
from syntonos.core.errors import ColourError
from syntonos.core.matching.highlights import fill_of
from syntonos.server.footage.clipping import frames_looked_at
from syntonos.server.footage.frames import frame_of
from syntonos.server.footage.models import Clip
from syntonos.server.matching.models import ChartReading

_MOST_CLIPS = 3
_SAME = ("exposure_index", "white")  # what moves the clip in the file


def scene_clip(row: ChartReading, reading: CoreReading) -> float | None:
    """Return the light at which the camera's scenes clip, where its chart's frames show none.

    Looked at are scenes of the same camera in the same light that are taken as the chart was, with
    the same exposure index and white where their files name them.
    """
    if reading.clip is not None:
        return None
    chart = row.clip
    clips = Clip.objects.filter(
        light=chart.light_id, camera=chart.camera_id, kind=Clip.Kind.SCENE
    ).order_by("id")  # fmt: skip
    levels = []
    for clip in [c for c in clips if _set_alike(chart, c, reading)][:_MOST_CLIPS]:
        try:
            found = _clip_in(clip, reading)
        except ColourError:  # missing or broken: said elsewhere
            continue
        if found is not None:
            levels.append(found)
    return max(levels, default=None)


def fill_for(row: ChartReading) -> Highlights | None:
    """Return how what is clipped at the top of an angle's code values is filled, or None."""
    chart, codes = row.clip, []
    scenes = Clip.objects.filter(
        light=chart.light_id, camera=chart.camera_id, kind=Clip.Kind.SCENE
    ).select_related("camera").order_by("id")  # fmt: skip
    for clip in [c for c in scenes if _set_alike(chart, c, row)][:_MOST_CLIPS]:
        with suppress(ColourError):  # missing or broken: said elsewhere
            codes += frames_looked_at(clip)
    return fill_of(codes, find_encoding(row.encoding), row.levels) if codes else None


def _set_alike(chart: Clip, clip: Clip, reading: CoreReading | ChartReading) -> bool:
    if (clip.encoding, clip.levels) != (reading.encoding, reading.levels):
        return False
    return all(
        chart.facts[key] == clip.facts[key]
        for key in _SAME if key in chart.facts and key in clip.facts
    )  # fmt: skip


_MOST_KEPT = 256
_kept: dict[tuple[object, ...], float | None] = {}


def _clip_in(clip: Clip, reading: CoreReading) -> float | None:
    """Look at two frames of a clip; kept by what its pixels depend on."""
    white = round(reading.white, 3)
    key = clip.checksum, clip.development_key, reading.encoding, reading.levels, white
    if key not in _kept:
        frames = [frame_of(clip, i) for i in sorted({0, clip.frame_count // 2})]
        encoding = find_encoding(reading.encoding)
        while len(_kept) >= _MOST_KEPT:
            _kept.pop(next(iter(_kept)))
        _kept[key] = clip_of_scenes(frames, encoding, reading.levels, white)
    return _kept[key]
