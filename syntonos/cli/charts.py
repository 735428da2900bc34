"""What commands read: frames of any recording, charts in them, brackets, tables, levels."""

from __future__ import annotations

import sys
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from syntonos.core.charts import (
    ChartLayout,
    ChartReading,
    find_chart,
    find_charts,
    read_chart,
)
from syntonos.core.charts.bracket import Merged, merge_readings
from syntonos.core.charts.frames import propose_frames
from syntonos.core.encodings import LEVELS, find_encoding
from syntonos.core.errors import ChartError, MediaError
from syntonos.core.files import MOST_TEXT, read_bytes
from syntonos.core.formats.patch_table import PatchTable, read_patch_table
from syntonos.core.matching import (
    LevelsChoice,
    check_levels,
    choose_levels,
)
from syntonos.core.matching.imported import published_reading, reading_of_table
from syntonos.core.matching.pairing import pair_charts
from syntonos.core.media import (
    RawDevelopment,
    VideoReader,
    develop_raw,
    kind_of,
    read_frame,
)

UNCERTAIN = 3


_MOST_FRAMES = 12  # of a video, from all over it


def frames_of(paths: Sequence[str], encoding: str = "linear/ap1") -> list[NDArray[np.float32]]:
    """Return the frames of pictures, raw (developed to the encoding) and videos."""
    found = []
    for path in paths:
        if kind_of(path) == "raw":
            found.append(develop_raw(path, RawDevelopment(encoding=encoding)))
        elif kind_of(path) == "video":
            with VideoReader(path) as video:
                count = video.recording.frame_count
                spread = np.linspace(0, count - 1, min(count, _MOST_FRAMES)).round()
                found += [video.read(int(i)) for i in spread]
        else:
            found.append(read_frame(path).code_rgb)
    return found


_TABLES = (".csv", ".txt", ".cgats", ".ti3")


def table_of(path: str, patches: int) -> PatchTable:
    """Return a table of patch values; what is wrong with it is said with its name."""
    try:
        data = read_bytes(path, most=MOST_TEXT)
    except MediaError as error:
        raise ChartError(error.message, hint=error.hint, code="table.unreadable") from None
    try:
        return read_patch_table(data, patches=patches)
    except ChartError as error:
        raise ChartError(f"{path}: {error.message}", hint=error.hint, code=error.code) from None


def are_values(paths: Sequence[str]) -> bool:
    """Say whether a side is given as values, published or of a table, and not as pictures."""
    return paths[0] == "published" or Path(paths[0]).suffix.lower() in _TABLES


def read_side(
    paths: Sequence[str],
    slug: str,
    corners: Sequence[tuple[float, float]] | NDArray[np.float64] | None,
    layout: ChartLayout,
) -> tuple[dict[str, ChartReading], bool]:
    """Return a reading under either levels, and whether the orientation is certain.

    One file of text is a table of patch values, `published` the chart's own.
    """
    if len(paths) == 1 and paths[0] == "published":
        return {"full": published_reading(layout)}, True
    if len(paths) == 1 and Path(paths[0]).suffix.lower() in _TABLES:
        table = table_of(paths[0], len(layout.names))
        return {"full": reading_of_table(table, layout)}, True
    frames = _frames_of_one(paths, slug)
    if corners is not None:
        return _read_there(frames, paths, slug, corners, layout), True
    try:
        found = find_chart(np.mean(frames, axis=0, dtype=np.float32), layout)
    except ChartError as error:
        raise ChartError(f"{paths[0]}: {error.message}", hint=error.hint,
                         code=error.code) from error  # fmt: skip
    read = _read_there(frames, paths, slug, found.corners, layout)
    return read, found.orientation_certain


def _frames_of_one(paths: Sequence[str], slug: str) -> list[NDArray[np.float32]]:
    frames = frames_of(paths, find_encoding(slug).slug)
    if len({frame.shape for frame in frames}) > 1:
        raise ChartError("The images differ in size.", hint="Give frames of one clip only.",
                         code="chart.frames")  # fmt: skip
    return frames


def _read_there(
    frames: list[NDArray[np.float32]], paths: Sequence[str], slug: str, corners: Any,
    layout: ChartLayout,
) -> dict[str, ChartReading]:  # fmt: skip
    """Return a reading under either levels from the frames that are best for a chart's place."""
    if len(frames) > 1:
        proposal = propose_frames(frames, np.asarray(corners, np.float64), layout)
        for note in proposal.notes:
            if note.frame not in proposal.frames:
                where = (
                    paths[note.frame] if len(paths) == len(frames) else f"frame {note.frame + 1}"
                )
                print(f"left out: {where} ({note.reason})", file=sys.stderr)
        frames, corners = [frames[i] for i in proposal.frames], proposal.given
    encoding = find_encoding(slug)
    return {k: read_chart(frames, corners, encoding, levels=k, layout=layout) for k in LEVELS}


Pair = tuple[dict[str, ChartReading], dict[str, ChartReading]]


def read_all(
    images: dict[str, Sequence[str]], slugs: dict[str, str], layout: ChartLayout
) -> list[Pair]:
    """Read every chart of both sides' frames, and pair them by what they show.

    Returns
    -------
    Reference and angle of each pair, by levels; the first makes the match.

    Raises
    ------
    ChartError
        chart.table where a side is no picture; chart.counts where the two frames do not show as
        many; chart.orientation where it is not certain which way up one of several is.
    """
    read: dict[str, list[dict[str, ChartReading]]] = {}
    for side, paths in images.items():
        if are_values(paths):
            raise ChartError(f"The {side} is values of one chart, not a frame with several.",
                             hint="Leave --all-charts out.", code="chart.table")  # fmt: skip
        frames = _frames_of_one(paths, slugs[side])
        found = find_charts(np.asarray(np.mean(frames, axis=0, dtype=np.float32)), layout)
        if not all(chart.orientation_certain for chart in found):
            raise ChartError(
                f"{paths[0]} shows {len(found)} charts; which way up they are is not certain.",
                hint="Leave --all-charts out, and give the corners of one.",
                code="chart.orientation",
            )
        first, *others = [chart.corners for chart in found]
        ordered = [first, *sorted(others, key=lambda quad: float(np.mean(quad, axis=0)[0]))]
        read[side] = [_read_there(frames, paths, slugs[side], quad, layout) for quad in ordered]
    # Which is which does not hang on levels: they change all charts of a frame alike.
    plain = {side: [rows[levels_alone(rows)] for rows in charts] for side, charts in read.items()}
    order = pair_charts(plain["reference"], plain["angle"], first_is_given=False).order
    return [(one, read["angle"][k]) for one, k in zip(read["reference"], order, strict=True)]


def bracketed(
    read: dict[str, ChartReading], images: Sequence[str], slug: str, layout: ChartLayout, who: str
) -> tuple[dict[str, ChartReading], list[str]]:
    """Return readings merged with other exposures, and what the bracket says.

    Camera and chart stand still in a bracket: where a picture is too dark or too bright to find
    the chart, it is read where it was.
    """
    if not images:
        return read, []
    if len(read) == 1:
        raise ChartError(f"The {who} is a table of values: it has no bracket.",
                         hint="Give images.", code="bracket.table")  # fmt: skip
    more = []
    for path in images:
        try:
            found, certain = read_side([path], slug, None, layout)
        except ChartError as error:
            if error.code != "chart.not_found":
                raise
            certain = False
        if not certain:
            found, _ = read_side([path], slug, next(iter(read.values())).corners, layout)
        more.append(found)
    merged = {k: merge_readings([r, *(m[k] for m in more)]) for k, r in read.items()}
    return {k: m.reading for k, m in merged.items()}, _bracket_words(merged, who)


def _bracket_words(merged: dict[str, Merged], who: str) -> list[str]:
    said = next(iter(merged.values()))
    if any(m.is_straight for m in merged.values()):
        return []
    bend = max(e.bend for e in said.exposures)
    return [
        f"The exposures of the {who}'s bracket disagree by {bend:.2f} stop from patch to "
        "patch: its encoding or levels may be others, or something changed between them."
    ]


def levels_alone(readings: dict[str, ChartReading]) -> str:
    """Return the levels under which one clip's grey ramp is straighter."""
    check = check_levels(readings["full"])
    return "full" if check.bend_full <= check.bend_legal else "legal"


def settle_levels(
    sides: dict[str, dict[str, ChartReading]], stated: dict[str, str]
) -> tuple[LevelsChoice, list[str]]:
    """Return the levels to use, and what there is to be said about them."""
    # A table of values has no levels that could be meant otherwise.
    stated = {who: "auto" if len(rows) == 1 else stated[who] for who, rows in sides.items()}
    free = choose_levels(sides["reference"], sides["angle"])
    taken = {
        who: {k: r for k, r in rows.items() if stated[who] in ("auto", k)}
        for who, rows in sides.items()
    }
    if all(len(rows) == 2 for rows in taken.values()):
        choice = free
    else:
        choice = choose_levels(taken["reference"], taken["angle"])
    said = []
    for who in sides:
        found, used = getattr(free, who), getattr(choice, who)
        if found != used and free.is_certain:
            said.append(
                f"The levels of the {who} are taken as {used}, as stated; both charts together "
                f"speak for {found}."
            )
    if not choice.is_certain and "auto" in stated.values():
        said.append(
            f"The levels could not be told for certain: the reference is taken as "
            f"{choice.reference}, the angle as {choice.angle}. State them if you know them."
        )
    return choice, said
