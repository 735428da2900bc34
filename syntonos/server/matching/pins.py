"""Pins: pictures to match to, frames of clips as they stood and imported stills."""

from __future__ import annotations

import hashlib
import tempfile
from collections.abc import Mapping
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any, Final

import cv2
import numpy as np
from django.conf import settings
from django.db.models import Max
from numpy.typing import NDArray

from syntonos.core.chain import (
    Decode,
    EncodingOutput,
    Parts,
    chain_to_json,
    compose,
    read_chain,
)
from syntonos.core.chain.compose import parts_of_chain
from syntonos.core.encodings import LEVELS
from syntonos.core.errors import ColourError, EncodingError, MediaError
from syntonos.core.matching.places import WIDTH, sized, sized_mask
from syntonos.core.matching.targets import (
    PROFILE,
    TargetLight,
    is_film,
    is_shown,
    taken_name,
    target_light,
)
from syntonos.core.media.profiles import profile_light
from syntonos.core.media.source import About
from syntonos.core.media.stills import FORMATS, ShownPicture, read_shown
from syntonos.core.viewing import Asked, Subject, view
from syntonos.server.footage.models import Clip
from syntonos.server.footage.sources import ClipSource
from syntonos.server.history.services import step
from syntonos.server.matching.chains import parts_of
from syntonos.server.matching.models import Pin
from syntonos.server.productions.models import Production

MOST_MIB: Final = 128
_MOST_STEM: Final = 50
_LIGHT: Final = EncodingOutput("linear/ap1")
# What pictures of a format are taken as, where they hold no profile. OpenEXR's primaries are those
# of BT.709 where a file says no others; a DPX is a scan, as its standard was made for.
_USUAL: Final = {"EXR": "linear/bt709", "DPX": "cineon/bt709"}


@dataclass(frozen=True, slots=True)
class Target:
    """A pin as the other side of a match; `key` is of everything that its light comes from."""

    pin: Pin
    light: TargetLight

    @property
    def key(self) -> tuple[str, ...]:
        """What its light comes from."""
        pin = self.pin
        seen = hashlib.blake2b(self.light.light.tobytes(), digest_size=16).hexdigest()
        return str(pin.uuid), pin.taken_as, pin.levels, seen

    @property
    def seen(self) -> tuple[NDArray[np.float32], NDArray[np.bool_]]:
        """Scene-linear AP1, 960 wide at most, and where it says what the scene was."""
        return self.light.light, self.light.usable


def pin_frame(clip: Clip, frame: int, name: str = "") -> Pin:
    """Pin a frame of a clip as it stands: with its match and trim, without balance and look.

    Raises
    ------
    MediaError
        media.frame.
    """
    if not 0 <= frame < clip.frame_count:
        raise MediaError(f"{clip} has no frame {frame + 1}.", code="media.frame",
                         hint="Choose one that it has.")  # fmt: skip
    parts = replace(parts_of(clip), balance=None, look=None, output=_LIGHT)
    name = name.strip() or f"{clip.name}, frame {frame + 1}"
    row = Pin(clip=clip, frame=frame, chain=chain_to_json(compose(parts)), name=name[:60])
    return _kept(clip.camera.production, row)


def bring_still(production: Production, name: str, data: bytes) -> Pin:
    """Keep a still as a pin: taken by its profile, else as pictures of its format usually are.

    Raises
    ------
    MediaError
        As of `read_shown`.
    """
    given = Path(name)
    ending = given.suffix.lower()
    file_name = f"{given.stem[:_MOST_STEM]}{ending}"  # as long as any disc takes
    if ending not in FORMATS:
        raise MediaError(
            f"{file_name} has the ending {ending!r}.", code="media.format",
            hint="Stills may be .png, .tif, .tiff, .exr, .dpx or .jpg.",
        )  # fmt: skip
    sha = hashlib.sha256(data).hexdigest()
    path = _folder() / f"{sha}{ending}"
    path.parent.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(dir=path.parent) as folder:
        partial = Path(folder) / file_name
        partial.write_bytes(data)
        picture = read_shown(partial)
        partial.replace(path)
    has_profile = _is_understood(picture)
    taken = PROFILE if has_profile else _USUAL.get(picture.info.format, "srgb")
    return _kept(production, Pin(
        file_name=file_name, sha256=sha, profile_name=picture.icc_name[:120],
        has_profile=has_profile, taken_as=taken, name=Path(file_name).stem[:60],
    ))  # fmt: skip


def change(pin: Pin, values: Mapping[str, Any]) -> Pin:
    """Change a pin's name or what it is taken as, or put it away.

    Raises
    ------
    EncodingError
        For an unknown encoding or levels, a profile that it does not have, and frames of clips,
        which are taken as their clip was.
    """
    wanted = dict(values)
    taken = wanted.get("taken_as")
    if taken is not None or "levels" in wanted:
        if pin.clip_id is not None:
            raise EncodingError(f"{pin} is taken as its clip was when it was pinned.",
                                hint="Pin the frame again.", code="pin.frame")  # fmt: skip
        if wanted.get("levels", "full") not in LEVELS:
            raise EncodingError("Levels are full or legal.", hint="Choose one of them.",
                                code="encoding.levels")  # fmt: skip
        if taken == PROFILE and not pin.has_profile:
            raise EncodingError(f"{pin} holds no colour profile.", hint="Choose an encoding.",
                                code="target.profile")  # fmt: skip
    words = f"{pin} changed"
    if wanted.get("is_put_away"):
        words = f"{pin} taken out of the pins"
    elif wanted.get("name"):
        words = f"{pin} named {wanted['name']}"
    elif taken is not None:
        words = f"{pin} taken as {taken_name(taken)}"
    with step(pin.production_id, "pin.change", words) as made:
        made.change(pin, wanted)
    return pin


def taken_words(pin: Pin) -> str:
    """Say what a pin is taken as."""
    if pin.clip_id is not None:
        return "as it stood when it was pinned"
    if pin.taken_as == PROFILE:
        return f"its ICC profile, {pin.profile_name or 'without a name'}"
    return taken_name(pin.taken_as)


def target_of(pin: Pin) -> Target:
    """Return a pin as the target of a match, led back through the output where it was graded.

    Raises
    ------
    ColourError
        Where its clip or file is missing or cannot be read, or the output cannot be led back.
    """
    if pin.clip is not None:
        return Target(pin, _frame_light(pin, pin.clip))
    picture = picture_of(pin)
    code = sized(picture.code_rgb)
    output = pin.production.output()
    return Target(pin, target_light(code, pin.taken_as, pin.levels, output, picture.icc))


def picture_of(pin: Pin) -> ShownPicture:
    """Return a still's values as its file has them.

    Raises
    ------
    MediaError
        media.missing where the file is gone.
    """
    return read_shown(_folder() / f"{pin.sha256}{Path(pin.file_name).suffix.lower()}")


@dataclass(frozen=True, slots=True)
class StillSource:
    """A still that was brought in: what its file has, or the light that it was taken for."""

    pin: Pin

    @property
    def about(self) -> About:
        """What is known of it."""
        pin, picture = self.pin, picture_of(self.pin)
        height, width = picture.code_rgb.shape[:2]
        return About(f"{pin.sha256}-{pin.taken_as}-{pin.levels}", str(pin), width, height)

    def read(self, frame: int, width: int) -> NDArray[np.float32]:
        """Return the still (h, w, 3), not wider than asked."""
        if self.is_light:
            lin = target_of(self.pin).light.light
        else:
            lin = np.asarray(picture_of(self.pin).code_rgb, np.float32)
        if lin.shape[1] <= width:
            return lin
        size = width, max(1, round(lin.shape[0] * width / lin.shape[1]))
        return np.asarray(cv2.resize(lin, size, interpolation=cv2.INTER_AREA), np.float32)

    @property
    def is_light(self) -> bool:
        """Whether its light is shown: what was made for looking at is shown as it is."""
        return is_film(self.pin.taken_as) or not is_shown(self.pin.taken_as)

    def clipped(
        self, code_rgb: NDArray[np.float32], encoding: str, levels: str
    ) -> NDArray[np.bool_]:
        """Return which channels (h, w, 3) are clipped: nothing is known of how it was recorded."""
        return np.zeros(code_rgb.shape, np.bool_)


def subject_of(pin: Pin, output: str = "") -> Subject:
    """Return a pin as something to look at: a frame with the chain that it had, or a still.

    `output` is the key of one of the production's; "" for the main one.
    """
    shown = pin.production.output(output)
    if pin.clip is not None:
        parts = replace(parts_of_chain(read_chain(pin.chain)), output=shown)
        return Subject(ClipSource(pin.clip), parts, pin.frame)
    source = StillSource(pin)
    if source.is_light:
        return Subject(source, Parts(Decode("linear/ap1"), shown))
    # Its own values are those of a screen: they pass as they are.
    return Subject(source, Parts(Decode("linear/ap1"), _LIGHT))


def pins_of(production: Production) -> list[Pin]:
    """Return a production's pins in the order in which they were made."""
    return list(Pin.objects.filter(production=production).select_related("clip"))


def _kept(production: Production, row: Pin) -> Pin:
    last = Pin.every.filter(production=production).aggregate(Max("number"))["number__max"] or 0
    row.production, row.number = production, last + 1
    with step(production.pk, "pin.make", f"{row} pinned") as made:
        row.save()
        made.created(row)
    return row


def _frame_light(pin: Pin, clip: Clip) -> TargetLight:
    """Return a frame through the chain that it was pinned with, and where it is not clipped."""
    subject = Subject(ClipSource(clip), parts_of_chain(read_chain(pin.chain)))
    light, clear = clear_light(subject, pin.frame, "trim")
    return TargetLight(sized(light), sized_mask(clear, sized(light).shape))


def clear_light(
    subject: Subject, frame: int, stage: str
) -> tuple[NDArray[np.float32], NDArray[np.bool_]]:  # fmt: skip
    """Return a frame after a stage, scene-linear AP1 960 wide at most, and what is not clipped."""
    seen = view(subject, Asked(frame, WIDTH, picture=False, light=(stage,)))
    decode = seen.chain.decode
    code = subject.source.read(frame, WIDTH)
    clipped = subject.source.clipped(code, decode.encoding, decode.levels).any(axis=-1)
    return seen.light[stage], np.asarray(~clipped, np.bool_)


def _is_understood(picture: ShownPicture) -> bool:
    if not picture.icc:
        return False
    try:
        profile_light(picture.code_rgb[:1, :1], picture.icc)
    except ColourError:  # of another kind: then a person says what it is taken as
        return False
    return True


def _folder() -> Path:
    return Path(settings.DATA) / "blobs" / "stills"
