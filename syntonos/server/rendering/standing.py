"""Clips with what is in force for them, kept by content, so that a hand need not ask the database.

A page is told the *stand* of each clip: a key of its chain as it is in force, its media and how
they are read, its name and files, and the production's outputs. It sends it along with every draft.
What was gathered for that stand is kept in the process; whatever changes, the stand is another.
"""

from __future__ import annotations

import hashlib
import json
import threading
from collections import OrderedDict

from syntonos.core.chain import Parts
from syntonos.core.viewing import Asked
from syntonos.server.footage.models import Clip
from syntonos.server.footage.sources import source_key
from syntonos.server.matching.chains import InForce
from syntonos.server.rendering.keys import picture_key

_MOST = 256
_Known = tuple[Clip, Parts]
_kept: OrderedDict[tuple[str, str], _Known] = OrderedDict()
_lock = threading.Lock()


def stand_of(clip: Clip, in_force: InForce) -> str:
    """Return a clip's stand: one key of all that a draft takes from the database."""
    parts = (
        picture_key(source_key(clip), in_force.chain_of(clip), Asked()), clip.name, clip.root,
        clip.files,
        in_force.production.outputs,
    )  # fmt: skip
    return hashlib.sha256(json.dumps(parts).encode()).hexdigest()[:32]


def recall(stand: str, output: str) -> _Known | None:
    """Return the clip and the parts of a stand with one of the outputs; None where not kept."""
    with _lock:
        found = _kept.get((stand, output))
        if found is not None:
            _kept.move_to_end((stand, output))
        return found


def gather(clip: Clip, output: str) -> _Known:
    """Gather a clip's parts from the database, and keep them by what they are."""
    in_force = InForce(clip.camera.production, clip.light_id)
    parts = in_force.parts_of(clip, output=output)
    stand = stand_of(clip, in_force)
    with _lock:
        _kept[stand, output] = clip, parts
        while len(_kept) > _MOST:
            _kept.popitem(last=False)
    return clip, parts


def forget(stand: str) -> bool:
    """Drop what is kept of a stand, whose media may have moved; says whether there was any."""
    with _lock:
        found = [key for key in _kept if key[0] == stand]
        for key in found:
            del _kept[key]
        return bool(found)
