"""What the API says and takes about balance and look."""

from __future__ import annotations

from datetime import datetime

from ninja import Schema
from pydantic import Field

from syntonos.server.api.chain_schemas import BalanceStage, LookStage


class LutOut(Schema):
    id: int
    name: str
    sha256: str
    kind: str
    size: int
    clips_low: float
    clips_high: float


class CdlIn(Schema):
    slope: tuple[float, float, float] = (1.0, 1.0, 1.0)
    offset: tuple[float, float, float] = (0.0, 0.0, 0.0)
    power: tuple[float, float, float] = (1.0, 1.0, 1.0)
    saturation: float = 1.0
    clamp: bool = False


class Dials(Schema):
    stops: float = Field(0.0, ge=-10, le=10)
    warmth: float = 0.0  # mired; positive makes the picture warmer
    tint: float = 0.0  # Duv x 1000; positive makes it greener
    cdl: CdlIn | None = None


class BalanceIn(Dials):
    base_number: int = 0


class BalanceOut(Schema):
    number: int
    dials: Dials
    stage: BalanceStage | None
    created: datetime | None


class LookIn(Schema):
    stage: LookStage | None = None  # None takes an exception back
    base_number: int = 0
    scene: str = Field("", max_length=80)  # an exception for a scene, in any light


class LookOut(Schema):
    number: int
    stage: LookStage | None
    created: datetime | None


class SceneLookOut(LookOut):
    scene: str


class OverOut(Schema):
    """What lies over the cameras of a light."""

    balance: BalanceOut
    look: LookOut  # the production's
    exception: LookOut  # the light's own, stage None where it has none
    scenes: list[SceneLookOut]  # of the clips in this light, stage None where one has none
    luts: list[LutOut]


class CorrectionOut(Schema):
    name: str
    description: str
    cdl: CdlIn
