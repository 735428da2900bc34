"""Chart layouts: where patches are, what they are called, and what is known of their colours.

A layout is written in a small TOML file; the ready-made ones lie in `layouts/`. docs/formats.md
says what may stand in such a file.
"""

from __future__ import annotations

import tomllib
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import Any, Final

import cv2
import numpy as np
from numpy.typing import ArrayLike, NDArray

from syntonos.core.colorimetry import adaptation_matrix, lab_to_xyz, xy_to_xyz
from syntonos.core.encodings import AP1
from syntonos.core.errors import ChartError, MediaError
from syntonos.core.files import parsing, read_text

A = NDArray[np.float64]
D50: Final = (0.34570, 0.35854)
_FOLDER: Final = Path(__file__).with_name("layouts")
_MOST_SIDE, _LEAST_PATCHES, _MOST_BYTES = 15, 6, 200_000
_MID_GREYS = (0.04, 0.75)  # luminance between which a neutral anchors exposure and white


@dataclass(frozen=True, slots=True)
class ChartLayout:
    """Rows, columns, names and roles of a chart's patches, in reading order, counted from 0."""

    slug: str
    name: str
    columns_at: tuple[float, ...]  # in pitches, from 0
    rows_at: tuple[float, ...]
    names: tuple[str, ...]
    greys: tuple[int, ...]  # from white to black; none where they are found in each reading
    mid_greys: tuple[int, ...]  # these anchor exposure and white
    skins: tuple[int, ...]
    nominal: tuple[tuple[float, float, float], ...] | None  # scene-linear AP1, where published
    # Half a patch's side as a share of the pitch: what is sampled stays well inside.
    sample_half: float = 0.26

    @property
    def rows(self) -> int:
        """How many rows."""
        return len(self.rows_at)

    @property
    def columns(self) -> int:
        """How many columns."""
        return len(self.columns_at)

    @property
    def corner_patches(self) -> tuple[int, int, int, int]:
        """Patches (from 1) that the four corners lie on: clockwise from the first."""
        last = self.rows * self.columns
        return 1, self.columns, last, last - self.columns + 1

    def corner_words(self) -> str:
        """Return the corner patches for a sentence: "1, 6, 24, 19"."""
        return ", ".join(map(str, self.corner_patches))


@cache
def places_of(layout: ChartLayout) -> A:
    """Return where the patches' centres are, (n, 2) of column and row in pitches."""
    grid = np.meshgrid(layout.columns_at, layout.rows_at)
    return np.asarray(np.stack(grid, axis=-1).reshape(-1, 2), np.float64)


@cache
def place_on(layout: ChartLayout) -> A:
    """Return where the patches are on the chart, (n, 2), -0.5..0.5 from left and top."""
    places = places_of(layout)
    size = places.max(axis=0)
    return np.asarray((places / np.maximum(size, 1e-9) - 0.5) * (size > 0), np.float64)


def _bad(slug: str, what: str, hint: str) -> ChartError:
    return ChartError(f"The layout {slug}: {what}", hint=hint, code="layout.invalid")


@parsing("The layout", ChartError, hint="See docs/formats.md.", code="layout.invalid")
def read_layout(text: str, slug: str) -> ChartLayout:
    """Read a layout file.

    Parameters
    ----------
    text : str
        TOML: name, rows, columns, optional gaps, sample, neutrals, skins, patches (names), values.
    slug : str
        What the layout is called in commands.

    Raises
    ------
    ChartError
        layout.invalid, saying what is wrong and what belongs there.
    """
    try:
        plain = tomllib.loads(text[:_MOST_BYTES])
    except tomllib.TOMLDecodeError as error:
        raise _bad(slug, f"this is not TOML ({error}).", "See docs/formats.md.") from None
    unknown = set(plain) - {"name", "rows", "columns", "gaps", "sample", "neutrals", "skins",
                            "patches", "values"}  # fmt: skip
    if unknown:
        raise _bad(slug, f"{', '.join(sorted(unknown))} is not known here.", "See docs/formats.md.")
    rows, columns = (_side(slug, word, plain.get(word)) for word in ("rows", "columns"))
    n = rows * columns
    if n < _LEAST_PATCHES:
        raise _bad(slug, f"it has {n} patches.", f"A match needs {_LEAST_PATCHES} at least.")
    sample = plain.get("sample", 0.5)
    if not isinstance(sample, int | float) or not 0.1 <= sample <= 0.9:
        raise _bad(slug, f"sample is {sample!r}.", "Give the share of the pitch, 0.1 to 0.9.")
    gaps = plain.get("gaps", {})
    if not isinstance(gaps, dict) or set(gaps) - {"rows", "columns"}:
        raise _bad(slug, "gaps holds something else than rows and columns.", "See docs/formats.md.")
    names = plain.get("patches", [f"patch {i + 1}" for i in range(n)])
    if not isinstance(names, list) or len(names) != n or not all(isinstance(x, str) for x in names):
        raise _bad(slug, "patches does not name every patch.", f"Give {n} names, or none.")
    nominal = _values(slug, plain["values"], n) if "values" in plain else None
    neutrals = _numbers(slug, "neutrals", plain.get("neutrals", []), n)
    if 0 < len(neutrals) < 3:
        raise _bad(slug, f"only {len(neutrals)} patches are neutral.",
                   "Name three or more, or none: they are then found in each reading.")  # fmt: skip
    return ChartLayout(
        slug,
        str(plain.get("name", slug))[:80],
        _positions(slug, columns, gaps.get("columns", {})),
        _positions(slug, rows, gaps.get("rows", {})),
        tuple(name[:40] for name in names),
        *_greys(neutrals, nominal),
        _numbers(slug, "skins", plain.get("skins", []), n),
        nominal,
        sample / 2,
    )


def _greys(
    neutrals: tuple[int, ...], nominal: tuple[tuple[float, float, float], ...] | None
) -> tuple[tuple[int, ...], tuple[int, ...]]:
    """Return greys from white to black, and those that anchor exposure and white."""
    if nominal is None:
        # As they are named: from light to dark. The ends may clip, or drown in flare.
        return neutrals, neutrals[1:-1] if len(neutrals) > 4 else neutrals
    light = dict(zip(neutrals, np.array(nominal)[list(neutrals)] @ AP1.to_xyz[1], strict=True))
    greys = tuple(sorted(neutrals, key=lambda i: (-round(float(light[i]), 3), i)))
    mid = tuple(i for i in greys if _MID_GREYS[0] < light[i] < _MID_GREYS[1])
    return greys, mid or greys


def _side(slug: str, word: str, value: Any) -> int:
    if type(value) is not int or not 1 <= value <= _MOST_SIDE:
        raise _bad(slug, f"{word} is {value!r}.", f"Give a whole number, 1 to {_MOST_SIDE}.")
    return value


def _positions(slug: str, count: int, gaps: Any) -> tuple[float, ...]:
    """Return where columns or rows are; `gaps` says the pitch after some of them."""
    steps = [1.0] * (count - 1)
    for after, step in gaps.items() if isinstance(gaps, dict) else [("", gaps)]:
        index = int(after) - 1 if after.isdecimal() else -1
        good = isinstance(step, int | float) and 0.5 <= step <= 6
        if not good or not 0 <= index < count - 1:
            raise _bad(
                slug, f"the gaps {str(gaps)[:60]} cannot be used.",
                'Give the pitch after a column or row, 0.5 to 6, like { "6" = 1.5 }.',
            )  # fmt: skip
        steps[index] = float(step)
    return (0.0, *np.cumsum(steps).tolist())


def _numbers(slug: str, word: str, given: Any, n: int) -> tuple[int, ...]:
    if (
        not isinstance(given, list)
        or not all(type(i) is int and 1 <= i <= n for i in given)
        or len(set(given)) != len(given)
    ):
        raise _bad(slug, f"{word} is {str(given)[:60]}.", f"Give each patch once, 1 to {n}.")
    return tuple(i - 1 for i in given)


def _values(slug: str, given: Any, n: int) -> tuple[tuple[float, float, float], ...]:
    hint = f'Give illuminant = "D50" and {n} triples as lab or xyz (0 to 100).'
    kinds = set(given) & {"lab", "xyz"} if isinstance(given, dict) else set()
    if len(kinds) != 1 or given.get("illuminant") != "D50":
        raise _bad(slug, "the values cannot be used.", hint)
    kind = kinds.pop()
    try:
        table = np.array(given[kind], np.float64)
    except (TypeError, ValueError):
        raise _bad(slug, f"the values in {kind} are not triples of numbers.", hint) from None
    if table.shape != (n, 3) or not np.isfinite(table).all() or np.abs(table).max() > 200:
        raise _bad(slug, f"{len(table)} values are given.", hint)
    xyz = lab_to_xyz(table, xy_to_xyz(D50)) if kind == "lab" else table / 100
    to_ap1 = np.linalg.inv(AP1.to_xyz) @ adaptation_matrix(D50, AP1.white, method="bradford")
    return tuple((float(r), float(g), float(b)) for r, g, b in xyz @ to_ap1.T)


@cache
def ready_made(slug: str) -> ChartLayout:
    """Return one of LAYOUTS."""
    return read_layout((_FOLDER / f"{slug}.toml").read_text("utf-8"), slug)


# The first is what is meant where nothing is said.
LAYOUTS: Final = ("chart-24", "chart-24-before-2014", "double-48", "grid-140", "ramp-11",
                  "ramp-11-double", "ramp-20")  # fmt: skip
CHART_24: Final = ready_made("chart-24")


def find_layout(name: str) -> ChartLayout:
    """Return a ready-made layout by its slug, or the one in a file.

    Raises
    ------
    ChartError
        layout.unknown, layout.invalid.
    """
    if name in LAYOUTS:
        return ready_made(name)
    path = Path(name)
    if path.suffix.lower() == ".toml":
        try:
            return read_layout(read_text(path), path.stem)
        except MediaError as error:
            raise ChartError(error.message, hint=error.hint, code="layout.unknown") from None
    raise ChartError(
        f"There is no chart layout {name!r}.",
        hint=f"Choose one of {', '.join(LAYOUTS)}, or give a layout file (.toml).",
        code="layout.unknown",
    )


def reference_lin(layout: ChartLayout = CHART_24) -> A:
    """Return a chart's published values, (n, 3) scene-linear AP1.

    They serve to recognise a chart and to diagnose; the target of a match only on request.

    Raises
    ------
    ChartError
        layout.no_values when there are none.
    """
    if layout.nominal is None:
        raise ChartError(
            f"There are no published values for the chart of {layout.name}.",
            hint="Give a layout file with values.", code="layout.no_values",
        )  # fmt: skip
    return np.array(layout.nominal)


def chart_homography(corners: ArrayLike, layout: ChartLayout = CHART_24) -> A:
    """Return the (3, 3) map from (column, row) in pitches to pixels.

    Parameters
    ----------
    corners : (4, 2) float
        x, y in pixels of the centres of the first and the last patch of the first row, then the
        last and the first of the last row. Of a chart with a single row (or column): the middles
        of the outer patches' edges, half a pitch to either side.
    """
    c, r = layout.columns_at[-1], layout.rows_at[-1]
    top, left = (-0.5 if layout.rows == 1 else 0.0), (-0.5 if layout.columns == 1 else 0.0)
    grid = np.array([[left, top], [c - left, top], [c - left, r - top], [left, r - top]],
                    np.float32)  # fmt: skip
    return np.asarray(
        cv2.getPerspectiveTransform(grid, np.asarray(corners, np.float32)), np.float64
    )


def project(homography: A, points: ArrayLike) -> A:
    """Map points (..., 2) by a homography."""
    p = np.asarray(points, np.float64)
    q = p @ homography[:, :2].T + homography[:, 2]
    return np.asarray(q[..., :2] / q[..., 2:], np.float64)


def patch_centres(corners: ArrayLike, layout: ChartLayout = CHART_24) -> A:
    """Return the centres (n, 2) in pixels of all patches, in reading order."""
    return project(chart_homography(corners, layout), places_of(layout))


def turned(corners: ArrayLike, quarter_turns: int = 2) -> A:
    """Return corners (4, 2) with the chart's reading turned by quarter turns, clockwise."""
    return np.roll(np.asarray(corners, np.float64), quarter_turns, axis=0)
