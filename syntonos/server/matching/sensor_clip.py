"""Where an angle's sensor clips, from the scenes it shot in the light of its chart."""

from __future__ import annotations

from functools import lru_cache

from syntonos.core.charts import ChartReading as CoreReading
from syntonos.core.charts.clipping import clip_of_scenes
from syntonos.core.encodings import find_encoding
from syntonos.core.errors import ColourError
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
            found = _clip_in(clip.pk, f"{clip.checksum} {clip.reading_key}", reading.encoding,
                             reading.levels, round(reading.white, 3))  # fmt: skip
        except ColourError:  # missing or broken: said elsewhere
            continue
        if found is not None:
            levels.append(found)
    return max(levels, default=None)


def _set_alike(chart: Clip, clip: Clip, reading: CoreReading) -> bool:
    if (clip.encoding, clip.levels) != (reading.encoding, reading.levels):
        return False
    return all(
        chart.facts[key] == clip.facts[key]
        for key in _SAME if key in chart.facts and key in clip.facts
    )  # fmt: skip


@lru_cache(maxsize=256)
def _clip_in(pk: int, key: str, encoding: str, levels: str, white: float) -> float | None:
    """Look at two frames of a clip; kept by what its pixels depend on."""
    clip = Clip.objects.get(pk=pk)
    frames = [frame_of(clip, i) for i in sorted({0, clip.frame_count // 2})]
    return clip_of_scenes(frames, find_encoding(encoding), levels, white)
