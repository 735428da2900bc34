"""Endpoints of media, clips and pictures."""

from __future__ import annotations

from dataclasses import replace
from typing import Any, Literal

from django.http import HttpRequest, HttpResponse, HttpResponseNotModified
from django.shortcuts import get_object_or_404
from ninja import Router, Status

from syntonos.core.chain import read_balance, read_chain
from syntonos.server.footage import pictures, services
from syntonos.server.footage.media import list_folder
from syntonos.server.footage.models import Clip
from syntonos.server.footage.schemas import ClipIn, ClipOut, DraftIn, FolderOut
from syntonos.server.looks.services import balance_stage
from syntonos.server.matching import selectors as matching
from syntonos.server.productions.models import Camera, Light

router = Router()


@router.get("/media", response=FolderOut, operation_id="listMedia")
def list_media(request: HttpRequest, folder: str = "") -> Any:
    folders, sequences = list_folder(folder)
    known = {name for files in Clip.objects.values_list("files", flat=True) for name in files}
    return {
        "folder": folder,
        "folders": folders,
        "sequences": [
            {"name": name, "files": files, "is_registered": all(f in known for f in files)}
            for name, files in sequences
        ],
    }


@router.post("/clips", response={201: ClipOut}, operation_id="registerClip")
def register_clip(request: HttpRequest, body: ClipIn) -> Any:
    camera = get_object_or_404(Camera, pk=body.camera_id)
    light = get_object_or_404(Light, pk=body.light_id)
    return Status(
        201,
        services.register_clip(
            camera=camera, light=light, kind=body.kind, files=body.files, name=body.name
        ),
    )


@router.get("/productions/{production_id}/clips", response=list[ClipOut],
            operation_id="listClips")  # fmt: skip
def list_clips(request: HttpRequest, production_id: int) -> Any:
    return Clip.objects.filter(camera__production_id=production_id).order_by("id")


@router.get("/clips/{clip_id}/frames/{frame}/picture", operation_id="getPicture",
            include_in_schema=False)  # fmt: skip
def get_picture(
    request: HttpRequest,
    clip_id: int,
    frame: int,
    width: int = 480,
    stage: Literal["code", "input", "output"] = "output",
    output: str = "",
) -> HttpResponse:
    clip = get_object_or_404(Clip.objects.select_related("camera__production", "light"), pk=clip_id)
    width = max(16, min(width, 3840))
    chain = matching.chain_of(clip, with_match=stage == "output")
    if output:
        chain = chain.to(clip.camera.production.output(output))
    tag = f'"{pictures.picture_tag(clip, frame, width, chain)}-{stage}"'
    if request.headers.get("If-None-Match") == tag:
        return HttpResponseNotModified()
    data = (
        pictures.code_picture(clip, frame, width)
        if stage == "code"
        else pictures.picture(clip, frame, width, chain)
    )
    response = HttpResponse(data, content_type="image/jpeg")
    response["ETag"] = tag
    response["Cache-Control"] = "private, no-cache"
    return response


@router.post("/pictures/draft", operation_id="makeDraft", include_in_schema=False)
def make_draft(request: HttpRequest, body: DraftIn) -> HttpResponse:
    clip = get_object_or_404(Clip, pk=body.clip_id)
    chain = read_chain(body.chain)
    if body.dials is not None:
        chain = replace(chain, balance=read_balance(balance_stage(body.dials.dict())))
    data = pictures.DESK.make(
        body.view,
        body.sequence,
        lambda is_superseded: pictures.draft_message(
            clip, body.frame, body.width, chain, sequence=body.sequence, scopes=body.scopes,
            mark=body.mark, is_superseded=is_superseded,
        ),
    )  # fmt: skip
    return HttpResponse(data, content_type="application/octet-stream")
