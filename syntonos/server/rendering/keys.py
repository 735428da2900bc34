"""The key of a picture: everything that its pixels depend on, made in one place."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass

from syntonos.core.chain import Chain, chain_hash
from syntonos.core.chain.engine import ENGINE_VERSION
from syntonos.server.footage.models import Clip
from syntonos.server.rendering.jpeg import QUALITY

Shares = tuple[float, float, float, float]  # left, top, width, height of the frame


@dataclass(frozen=True, slots=True)
class Seen:
    """How a frame is looked at, beside its chain.

    region : left, top, width, height in shares of the frame; None for the whole.
    mark : what is hatched: "", "unseen", "gamut" or "clipped".
    whole : HDR is darkened until its peak is white.
    overlay : the name of what else is drawn; "code" for the stored values without a chain.
    scoped : the region that scopes are of; None for what is shown.
    lowest : the parade shows the lowest tenth of the signal.
    """

    frame: int = 0
    width: int = 480
    region: Shares | None = None
    mark: str = ""
    whole: bool = False
    overlay: str = ""
    scoped: Shares | None = None
    lowest: bool = False


def picture_key(clip: Clip, chain: Chain, seen: Seen) -> str:
    """Return the key of a picture: 32 hexadecimal digits.

    It holds the chain's hash, the media's checksum, how the files are read (range, raw
    development), the engine's version, frame, size, region, marks, overlays and JPEG quality.
    """
    parts = (
        chain_hash(chain), clip.checksum, clip.development_key, ENGINE_VERSION,
        seen.frame, seen.width, seen.region, seen.mark, seen.whole, seen.overlay, QUALITY,
    )  # fmt: skip
    return hashlib.sha256(repr(parts).encode()).hexdigest()[:32]
