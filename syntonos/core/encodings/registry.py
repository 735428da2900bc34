"""The encodings that a clip may carry, by slug."""

from __future__ import annotations

import difflib
from dataclasses import dataclass

from syntonos.core.encodings.curves import CURVES, Curve
from syntonos.core.encodings.gamuts import GAMUTS, Gamut
from syntonos.core.errors import EncodingError


@dataclass(frozen=True, slots=True)
class Encoding:
    """A curve together with a gamut: what the code values of a clip mean."""

    slug: str
    curve: Curve
    gamut: Gamut

    @property
    def name(self) -> str:
        """The published designation, for people."""
        if self.curve.is_display:
            return "Rec.709 (BT.1886)" if self.curve.slug == "bt1886" else self.curve.name
        return f"{self.curve.name} / {self.gamut.name}"


_PAIRS = (
    "s-log3/s-gamut3", "s-log3/s-gamut3.cine", "logc3-ei800/awg3", "logc4/awg4", "v-log/v-gamut",
    "log3g10/rwg", "f-log2/f-gamut", "n-log/n-gamut", "d-log/d-gamut", "acescct/ap1",
)  # fmt: skip
_ALIASES = {"logc3/awg3": "logc3-ei800/awg3", "logc3": "logc3-ei800/awg3"}


def _build() -> dict[str, Encoding]:
    pairs = [slug.split("/") for slug in _PAIRS] + [["linear", gamut] for gamut in GAMUTS]
    found = {f"{c}/{g}": Encoding(f"{c}/{g}", CURVES[c], GAMUTS[g]) for c, g in pairs}
    found["rec709"] = Encoding("rec709", CURVES["bt1886"], GAMUTS["bt709"])
    found["srgb"] = Encoding("srgb", CURVES["srgb"], GAMUTS["bt709"])
    return found


ENCODINGS: dict[str, Encoding] = _build()


def find_encoding(slug: str) -> Encoding:
    """Return the encoding of a slug such as "s-log3/s-gamut3.cine"; aliases are understood.

    Raises
    ------
    EncodingError
        With the nearest known slugs, when there is no such encoding.
    """
    key = slug.strip().lower()
    key = _ALIASES.get(key, key)
    if key in ENCODINGS:
        return ENCODINGS[key]
    near = difflib.get_close_matches(key, [*ENCODINGS, *_ALIASES], n=3, cutoff=0.4)
    raise EncodingError(
        f"There is no encoding {slug!r}.",
        hint=(f"Did you mean {', '.join(near)}? " if near else "")
        + "`syntonos encodings` lists all of them.",
    )
