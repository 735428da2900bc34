"""The encodings that a clip may carry, by slug."""

from __future__ import annotations

import difflib
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any, Final, Literal

from syntonos.core.encodings.curves import CURVES, Curve
from syntonos.core.encodings.gamuts import GAMUTS, Gamut
from syntonos.core.encodings.own import PREFIX, Definition, curve_of, gamut_of, read_definition
from syntonos.core.encodings.scalar import LINEAR
from syntonos.core.errors import EncodingError


@dataclass(frozen=True, slots=True)
class Encoding:
    """A curve together with a gamut: what the code values of a clip mean."""

    slug: str
    curve: Curve
    gamut: Gamut
    title: str = ""  # where curve and gamut do not name it
    kind: Literal["camera", "working", "display", "linear", "own"] = "camera"
    definition: Definition | None = None

    @property
    def name(self) -> str:
        """The published designation, for people."""
        return self.title or f"{self.curve.name} / {self.gamut.name}"


_CAMERA: Final = (
    "s-log3/s-gamut3", "s-log3/s-gamut3.cine", "s-log2/s-gamut", "s-log/s-gamut",
    *(f"{slug}/awg3" for slug in CURVES if slug.startswith("logc3-")),
    "logc4/awg4", "v-log/v-gamut", "log3g10/rwg", "c-log/cinema-gamut", "c-log2/cinema-gamut",
    "c-log3/cinema-gamut", "f-log/f-gamut", "f-log2/f-gamut", "f-log2/f-gamut-c", "n-log/n-gamut",
    "d-log/d-gamut", "protune/protune-native", "cineon/bt709",
)  # fmt: skip
_WORKING: Final = ("acescct/ap1", "acescc/ap1", "acesproxy/ap1")
_DISPLAY: Final = {
    "rec709": ("bt1886", "bt709", "Rec.709 (BT.1886)"),
    "rec709-2.2": ("gamma2.2", "bt709", "Rec.709, gamma 2.2"),
    "rec709-2.4": ("gamma2.4", "bt709", "Rec.709, gamma 2.4"),
    "rec709-camera": ("bt709", "bt709", "Rec.709 camera curve (BT.709 OETF)"),
    "srgb": ("srgb", "bt709", "sRGB"),
    "p3-d65": ("gamma2.6", "p3-d65", "P3-D65, gamma 2.6"),
    "display-p3": ("srgb", "p3-d65", "Display P3"),
    "rec2020": ("bt1886", "bt2020", "Rec.2020 (BT.1886)"),
    "rec2100-pq": ("pq", "bt2020", "Rec.2100 PQ"),
    "rec2100-hlg": ("hlg", "bt2020", "Rec.2100 HLG"),
}
_ALIASES = {"logc3/awg3": "logc3-ei800/awg3", "logc3": "logc3-ei800/awg3"}


def _build() -> dict[str, Encoding]:
    found = {}
    for slug in (*_CAMERA, *_WORKING):
        curve, gamut = slug.split("/")
        kind: Literal["camera", "working"] = "camera" if slug in _CAMERA else "working"
        found[slug] = Encoding(slug, CURVES[curve], GAMUTS[gamut], kind=kind)
    for gamut in GAMUTS:
        slug = f"linear/{gamut}"
        found[slug] = Encoding(slug, CURVES["linear"], GAMUTS[gamut], kind="linear")
    for slug, (curve, gamut, title) in _DISPLAY.items():
        found[slug] = Encoding(slug, CURVES[curve], GAMUTS[gamut], title, "display")
    return found


ENCODINGS: dict[str, Encoding] = _build()
_own: dict[str, Encoding] = {}
_ask: Callable[[str], Mapping[str, Any] | None] = lambda slug: None  # noqa: E731


def keep_encoding(plain: Mapping[str, Any]) -> Encoding:
    """Make a user's definition known under the slug that its content gives it.

    Parameters
    ----------
    plain : mapping
        JSON values, as `own.read_definition` takes them.

    Raises
    ------
    EncodingError
        encoding.invalid when it is no definition, falls somewhere, or has primaries without an
        area.
    """
    definition = read_definition(plain)
    slug = definition.slug
    if slug not in _own:
        curve, gamut = curve_of(definition), gamut_of(definition)
        _own[slug] = Encoding(slug, curve, gamut, definition.name, "own", definition)
    return _own[slug]


def ask_for_missing(source: Callable[[str], Mapping[str, Any] | None]) -> None:
    """Say where definitions are to be had that this process has not seen yet, by slug."""
    global _ask  # one place, set once when the server starts
    _ask = source


def camera_candidates(stated: str) -> list[Encoding]:
    """Return what a camera's footage may carry: one exposure index of each curve, and `stated`.

    The exposure indices of one curve differ by a hundredth at most; a chart does not tell them
    apart.
    """
    return [
        e for slug, e in ENCODINGS.items()
        if (e.kind in ("camera", "working") or slug in ("rec709", "srgb", "rec2100-hlg"))
        and e.curve.family != LINEAR
        and slug not in ("acescc/ap1", "acesproxy/ap1", "cineon/bt709")
        and (not slug.startswith("logc3-") or slug in ("logc3-ei800/awg3", stated))
    ]  # fmt: skip


def find_encoding(slug: str) -> Encoding:
    """Return the encoding of a slug such as "s-log3/s-gamut3.cine"; aliases are understood.

    Any known curve goes with any known gamut ("v-log/bt2020"), whether or not it is listed.

    Raises
    ------
    EncodingError
        With the nearest known slugs, when there is no such encoding.
    """
    key = slug.strip().lower()
    key = _ALIASES.get(key, key)
    if key in ENCODINGS:
        return ENCODINGS[key]
    if key.startswith(PREFIX):
        if key not in _own and (plain := _ask(key)) is not None:
            keep_encoding(plain)
        if key in _own:
            return _own[key]
        raise EncodingError(
            f"The definition of {slug} is not here.",
            hint="It belongs to another production: enter it again in the camera's sheet.",
        )
    curve, _, gamut = key.partition("/")
    if curve in CURVES and gamut in GAMUTS:
        return Encoding(key, CURVES[curve], GAMUTS[gamut])
    near = difflib.get_close_matches(key, [*ENCODINGS, *_ALIASES], n=3, cutoff=0.4)
    raise EncodingError(
        f"There is no encoding {slug!r}.",
        hint=(f"Did you mean {', '.join(near)}? " if near else "")
        + "`syntonos encodings` lists all of them.",
    )
