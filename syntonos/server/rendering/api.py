"""Endpoints of pictures: kept ones by their key, drafts under the hand, chains."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any, Literal

from django.http import HttpRequest, HttpResponse, HttpResponseNotModified
from ninja import Router, Status

from syntonos.core.chain import AS_IN_FORCE, Overrides, chain_to_json, compose
from syntonos.core.errors import MediaError
from syntonos.core.viewing import Asked, Subject
from syntonos.server.api.chain_schemas import ChainDocument
from syntonos.server.footage.sources import ClipSource
from syntonos.server.matching import pins
from syntonos.server.matching.api import place_of
from syntonos.server.matching.chains import chain_of, parts_of
from syntonos.server.matching.services import candidate
from syntonos.server.rendering import pictures, standing, subjects
from syntonos.server.rendering.keys import picture_key
from syntonos.server.rendering.schemas import (
    CloseIn,
    DiagnosticsOut,
    DraftIn,
    OverlaysIn,
    OverlaysOut,
    SeenIn,
)
from syntonos.server.rendering.service import SERVICE

router = Router()

Shown = Literal["code", "input", "output"]
_AS_SHOT = Overrides(off=frozenset({"match", "trim"}))


@router.get("/clips/{clip_id}/frames/{frame}/picture", operation_id="getPicture",
            include_in_schema=False)  # fmt: skip
def get_picture(
    request: HttpRequest, clip_id: int, frame: int, width: int = 480, stage: Shown = "output",
    output: str = "",
) -> HttpResponse:  # fmt: skip
    clip = subjects.clip_of(clip_id)
    subject = Subject(ClipSource(clip), parts_of(clip, output=output))
    overrides = AS_IN_FORCE if stage == "output" else _AS_SHOT
    asked = Asked(frame, max(16, min(width, 3840)), codes=stage == "code")
    tag = f'"{picture_key(subject.source.about.key, compose(subject.parts, overrides), asked)}"'
    if request.headers.get("If-None-Match") == tag:
        return HttpResponseNotModified()
    response = _image(pictures.picture(subject, asked, overrides), "private, no-cache")
    response["ETag"] = tag
    return response


@router.get("/pins/{pin_id}/picture", operation_id="getPinPicture", include_in_schema=False)
def get_pin_picture(request: HttpRequest, pin_id: int, width: int = 480) -> HttpResponse:
    subject = pins.subject_of(subjects.pin_of(pin_id))
    asked = Asked(width=max(16, min(width, 960)))
    return _image(pictures.picture(subject, asked, AS_IN_FORCE), "private, no-cache")


def _image(data: bytes, cached: str) -> HttpResponse:
    response = HttpResponse(data, content_type="image/jpeg")
    response["Cache-Control"] = cached
    return response


@router.get("/clips/{clip_id}/chain", response=ChainDocument, operation_id="getChain")
def get_chain(request: HttpRequest, clip_id: int, output: str = "") -> Any:
    """Return the chain document of a clip, as it is in force."""
    return chain_to_json(chain_of(subjects.clip_of(clip_id), output=output))


@router.post("/pictures/draft", operation_id="makeDraft", include_in_schema=False)
def make_draft(request: HttpRequest, body: DraftIn) -> HttpResponse:
    try:
        data = _draft(body)
    except MediaError:
        if not standing.forget(body.stand):
            raise
        data = _draft(body)  # its files may have been found again since they were asked for
    return HttpResponse(data, content_type="application/octet-stream")


def _draft(body: DraftIn) -> bytes:
    subject, overrides = subjects.subject_through(body)
    asked = subjects.asked_of(body, scopes=tuple(body.scopes))
    return SERVICE.make(
        body.session, body.view, body.sequence,
        lambda is_cancelled: pictures.draft_message(
            subject, overrides, asked, sequence=body.sequence, is_cancelled=is_cancelled
        ),
    )  # fmt: skip


@router.post("/pictures/close", response={204: None}, operation_id="closeViews")
def close_views(request: HttpRequest, body: CloseIn) -> Any:
    """Give up what is made for a page, or for one picture on it: nobody looks any more."""
    SERVICE.close(body.session, body.view)
    return Status(204, None)


@router.post("/pictures/diagnostics", response=DiagnosticsOut, operation_id="diagnose")
def diagnose(request: HttpRequest, body: SeenIn) -> Any:
    """Say of a frame what is worked out when the hand rests."""
    return asdict(pictures.diagnose(*subjects.subject_through(body), subjects.asked_of(body)))


@router.post("/pictures/overlays", response=OverlaysOut, operation_id="findOverlays")
def find_overlays(request: HttpRequest, body: OverlaysIn) -> Any:
    """Return lines of equal stops and casts near neutral, to be drawn over a picture."""
    found = pictures.overlays(
        *subjects.subject_through(body), subjects.asked_of(body), contours=body.contours,
        neutral=body.neutral,
    )  # fmt: skip
    return {
        "contours": [
            {"stop": c.stop, "segments": c.segments.round(4).tolist()} for c in found.contours
        ],
        "casts": [asdict(cast) for cast in found.casts],
    }


@router.get("/lights/{light_id}/cameras/{camera_id}/encoding-check/picture",
            operation_id="candidatePicture", include_in_schema=False)  # fmt: skip
def candidate_picture(
    request: HttpRequest, light_id: int, camera_id: int, encoding: str, levels: str,
    width: int = 320,
) -> HttpResponse:  # fmt: skip
    """Return the angle's chart clip as it would look, were it encoded so and matched."""
    light, camera = place_of(light_id, camera_id)
    subject, overrides = candidate(light, camera, encoding, levels)
    asked = Asked(width=max(64, min(width, 960)))
    return _image(pictures.picture(subject, asked, overrides), "private, max-age=60")
