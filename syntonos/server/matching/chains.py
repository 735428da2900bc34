"""The parts of a clip's chain, gathered from rows; `compose` in the core makes the chain."""

from __future__ import annotations

from syntonos.core.chain import (
    AS_IN_FORCE,
    Chain,
    Decode,
    Overrides,
    Parts,
    compose,
    read_balance,
    read_look,
)
from syntonos.core.chain import Trim as TrimStage
from syntonos.server.footage.models import Clip
from syntonos.server.looks.models import Balance, Look
from syntonos.server.looks.services import look_among
from syntonos.server.matching.models import Match, Trim
from syntonos.server.matching.selectors import stage_of, stored_trim
from syntonos.server.productions.models import Camera, Light, Production


class InForce:
    """What is in force in a production, or in one light of it: four queries, however many clips.

    Clips and cameras that are asked about have their production with them.
    """

    def __init__(self, production: Production, light_id: int | None = None) -> None:
        place = {} if light_id is None else {"light_id": light_id}
        matches = Match.objects.filter(
            camera__production=production, is_current=True,
            reference_id=production.reference_camera_id, **place,
        ).select_related(
            "angle_reading__clip__camera", "reference_reading", "camera", "scene_check"
        )  # fmt: skip
        trims = Trim.objects.filter(camera__production=production, is_current=True, **place)
        self._trims = {(row.light_id, row.camera_id, row.clip_id): row for row in trims}
        balances = Balance.objects.filter(light__production=production, is_current=True, **place)
        self.matches = {(row.light_id, row.camera_id): row for row in matches}
        self._balances = {row.light_id: row for row in balances}
        self._looks = list(Look.objects.filter(production=production, is_current=True))
        self.production = production

    def parts_of(self, clip: Clip, *, output: str = "") -> Parts:
        """Return what is in force for a clip."""
        return self._parts(clip.camera, clip.light_id, clip, output)

    def parts_of_camera(self, camera: Camera, light_id: int, *, output: str = "") -> Parts:
        """Return what is in force for all clips that are taken as their camera says."""
        return self._parts(camera, light_id, None, output)

    def chain_of(self, clip: Clip) -> Chain:
        """Return a clip's chain, as it is in force."""
        return compose(self.parts_of(clip))

    def _parts(self, camera: Camera, light_id: int, clip: Clip | None, output: str) -> Parts:
        taken = clip or camera
        match = self.matches.get((light_id, camera.pk))
        balance = self._balances.get(light_id)
        look = look_among(self._looks, light_id, clip.scene if clip else "")
        is_reference = self.production.reference_camera_id == camera.pk
        return Parts(
            Decode(taken.encoding, taken.levels),
            self.production.output(output),
            # The reference is what it is: the others are brought to its own reading.
            unit=(1.0, 1.0, 1.0) if is_reference else camera.input.unit,
            match=stage_of(match) if match is not None else None,
            trim=self._trim(light_id, camera.pk, None),
            clip_trim=self._trim(light_id, camera.pk, clip.pk) if clip else None,
            balance=read_balance(balance.stage) if balance is not None else None,
            look=read_look(look.stage) if look is not None and look.stage is not None else None,
        )

    def trim_of(self, light_id: int, camera_id: int) -> TrimStage | None:
        """Return a camera's trim in a light."""
        return self._trim(light_id, camera_id, None)

    def _trim(self, light_id: int, camera_id: int, clip_id: int | None) -> TrimStage | None:
        row = self._trims.get((light_id, camera_id, clip_id))
        return stored_trim(row.stage) if row is not None else None


def parts_of(clip: Clip, *, output: str = "") -> Parts:
    """Return what is in force for a clip; `output` is a key, empty for the main one."""
    return InForce(clip.camera.production, clip.light_id).parts_of(clip, output=output)


def parts_of_camera(camera: Camera, light: Light, *, output: str = "") -> Parts:
    """Return what is in force for all clips that are taken as their camera says."""
    return InForce(camera.production, light.pk).parts_of_camera(camera, light.pk, output=output)


def chain_of(clip: Clip, overrides: Overrides = AS_IN_FORCE, *, output: str = "") -> Chain:
    """Return a clip's chain."""
    return compose(parts_of(clip, output=output), overrides)
