"""Bringing clips in."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from pathlib import Path

from django.db import IntegrityError, transaction

from syntonos.core.errors import MediaError
from syntonos.core.media import read_info
from syntonos.server.api.errors import ConflictError
from syntonos.server.footage.media import resolve
from syntonos.server.footage.models import Clip
from syntonos.server.productions.models import Camera, Light


def register_clip(
    *, camera: Camera, light: Light, kind: str, files: Sequence[str], name: str = ""
) -> Clip:
    """Register a recording below the media root; every frame's head is checked first."""
    if light.production_id != camera.production_id:
        raise ConflictError("clip.foreign", "Camera and light are of different productions.",
                            "Choose both from one production.")  # fmt: skip
    paths = [resolve(file) for file in files]
    infos = [read_info(path) for path in paths]
    first = infos[0]
    for path, info in zip(paths, infos, strict=True):
        if (info.width, info.height) != (first.width, first.height):
            raise MediaError(
                f"{path.name} is {info.width} x {info.height}, the first frame is {first.width} x "
                f"{first.height}.",
                hint="Bring in frames of one recording only.",
                code="media.sizes",
            )
    digest = hashlib.sha256()
    for path in paths:
        digest.update(path.read_bytes())
    clip = Clip(
        camera=camera, light=light, kind=kind, files=list(files),
        name=name or Path(files[0]).stem.rstrip("0123456789").rstrip("_-.") or Path(files[0]).stem,
        width=first.width, height=first.height, format=first.format, bits=first.bits,
        checksum=digest.hexdigest(), metadata=dict(first.metadata),
    )  # fmt: skip
    try:
        with transaction.atomic():
            clip.save()
    except IntegrityError as error:
        raise ConflictError(
            "clip.taken", f"Camera {camera.letter} has a clip {clip.name} already.",
            "It is on the Board; give this one another name if it is a new recording.",
        ) from error  # fmt: skip
    return clip
