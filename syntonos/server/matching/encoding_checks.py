"""What two charts say of an angle's encoding: worked out once per pair of readings, and kept."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import asdict
from typing import Any

from syntonos.core.encodings import find_encoding
from syntonos.core.matching import reading_from_json
from syntonos.core.matching.encoding_check import check_encoding
from syntonos.server.jobs import services as jobs
from syntonos.server.jobs.models import Job
from syntonos.server.jobs.services import Progress
from syntonos.server.matching import services
from syntonos.server.matching.models import ChartReading, EncodingCheck, Match
from syntonos.server.matching.readings import bracket_of
from syntonos.server.productions.models import Camera, Light

KIND = "encoding-check"


def state_of(light: Light, camera: Camera) -> dict[str, Any]:
    """Return the check of the newest readings where it is known, and the job that makes it.

    Raises
    ------
    FitError
        when a reading is missing or no longer holds.
    """
    base, own = services.both_readings(light, camera)
    row = EncodingCheck.objects.filter(reference_reading=base, angle_reading=own).first()
    job = Job.objects.filter(kind=KIND, arguments=_arguments(base, own)).first()
    return {"check": _named(row.data) if row else None, "job": job}


def start(light: Light, camera: Camera) -> Job:
    """Queue the check of the newest readings."""
    base, own = services.both_readings(light, camera)
    title = f"Checking the encoding of {camera} in {light.name}"
    return jobs.start(light.production, KIND, title, _arguments(base, own))


_FLARE = (-0.01, 0.05)  # shares of white: less or more points to another curve
_SLOPE = 0.04  # of the grey ramp, stops per stop
_CONTRADICTION = 2.5  # delta E, cross-validated


def is_suspicious(evidence: Mapping[str, Any]) -> bool:
    """Say whether a fit's figures point to another encoding: flare, slope, levels, residuals."""
    low, high = _FLARE
    return (
        not low <= evidence["flare_share"] <= high
        or abs(evidence["slope"] - 1) > _SLOPE
        or evidence["left_one_out"] > _CONTRADICTION
        or any(c["likely"] != c["stated"] for c in evidence.get("levels", {}).values())
    )


def start_where_doubtful(match: Match) -> Job | None:
    """Queue the check of a match's own readings where its figures point to another encoding."""
    if match.reference_reading is None or not is_suspicious(match.facts):
        return None
    return start(match.light, match.camera)


def run_job(arguments: dict[str, Any], progress: Progress) -> dict[str, Any]:
    """Check two readings; arguments: reference_reading_id, angle_reading_id."""
    base = ChartReading.objects.get(pk=arguments["reference_reading_id"])
    own = ChartReading.objects.get(pk=arguments["angle_reading_id"])
    plain = check_of(base, own, lambda share, what: progress(share, f"Decoding as {what}"))
    return {"verdict": plain["verdict"]}


def check_of(
    base: ChartReading, own: ChartReading,
    progress: Callable[[float, str], None] = lambda share, what: None,
) -> dict[str, Any]:  # fmt: skip
    """Return the core's check of two readings as JSON, worked out where it is not kept yet."""
    row = EncodingCheck.objects.filter(reference_reading=base, angle_reading=own).first()
    if row is None:
        found = check_encoding(
            reading_from_json(base.data), reading_from_json(services.first_of(own).data),
            bracket_of(own), progress, is_compressed=own.clip.media == "video",
        )  # fmt: skip
        row, _ = EncodingCheck.objects.get_or_create(
            reference_reading=base, angle_reading=own, defaults={"data": asdict(found)}
        )
    return dict(row.data)


def _arguments(base: ChartReading, own: ChartReading) -> dict[str, int]:
    return {"reference_reading_id": base.pk, "angle_reading_id": own.pk}


def _named(plain: dict[str, Any]) -> dict[str, Any]:
    def named(row: dict[str, Any]) -> dict[str, Any]:
        return {**row, "name": find_encoding(row["encoding"]).name}

    many = {k: [named(row) for row in plain[k]] for k in ("alike", "candidates")}
    return {**plain, **many, "stated": named(plain["stated"])}
