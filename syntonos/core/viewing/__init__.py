"""Looking: a subject, what stands in place of its parts, and a frame, to all that is asked of it.

Nothing else executes chains over frames: pages, stills, thumbnails, streams, probes, the tuner and
packages ask `view`. What is baked into files goes another way (`chain.bake`).
"""

from syntonos.core.viewing.marks import MARKS, Mark
from syntonos.core.viewing.viewing import (
    SCOPES,
    Asked,
    Scope,
    Shares,
    Subject,
    Viewed,
    colours_of,
    cut,
    light_of,
    pixels_of,
    shares_of,
    view,
)

__all__ = [
    "MARKS",
    "SCOPES",
    "Asked",
    "Mark",
    "Scope",
    "Shares",
    "Subject",
    "Viewed",
    "colours_of",
    "cut",
    "light_of",
    "pixels_of",
    "shares_of",
    "view",
]
