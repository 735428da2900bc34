"""The key of a picture: everything that its pixels depend on, made in one place."""

from __future__ import annotations

import hashlib

from syntonos.core.chain import Chain, chain_hash
from syntonos.core.chain.engine import ENGINE_VERSION
from syntonos.core.viewing import Asked
from syntonos.server.rendering.jpeg import QUALITY


def picture_key(source_key: str, chain: Chain, asked: Asked) -> str:
    """Return the key of what was asked for: 32 hexadecimal digits.

    It holds the chain's hash, the source's key (the media's checksum and how the files are read),
    the engine's version, all that was asked for, and the JPEG quality.
    """
    parts = chain_hash(chain), source_key, ENGINE_VERSION, asked, QUALITY
    return hashlib.sha256(repr(parts).encode()).hexdigest()[:32]
