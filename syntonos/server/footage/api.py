"""Endpoints of media, clips and pictures."""

from __future__ import annotations

from typing import Any

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from ninja import Router, Status

from syntonos.core.media import kind_of
from syntonos.server.footage import looking, missing, selectors, services
from syntonos.server.footage.media import list_folder, resolve
from syntonos.server.footage.models import Arrival, Clip
from syntonos.server.footage.schemas import (
    ArrivalChange,
    ArrivalOut,
    ArrivalsIn,
    ClipChange,
    ClipDetails,
    ClipIn,
    ClipOut,
    ClipPage,
    ClipRow,
    ClipSettingsIn,
    FolderOut,
    FoldersIn,
)
from syntonos.server.history.services import head_of
from syntonos.server.jobs.schemas import JobOut
from syntonos.server.productions.models import Camera, Light, Production

router = Router()
_MOST_SIDECAR = 96 * 2**20  # bytes; LUTs of more points than that are not used


@router.get("/media", response=FolderOut, operation_id="listMedia")
def list_media(request: HttpRequest, folder: str = "") -> Any:
    folders, groups = list_folder(folder)
    known = {name for files in Clip.objects.values_list("files", flat=True) for name in files}
    return {
        "folder": folder,
        "folders": folders,
        "sequences": [
            {"name": row.group.name, "files": row.files, "media": kind_of(row.files[0]),
             "missing": len(row.group.missing),
             "is_registered": all(f in known for f in row.files)}
            for row in groups
        ],
    }  # fmt: skip


@router.post("/productions/{production_id}/look-through", response={201: JobOut},
             operation_id="lookThrough")  # fmt: skip
def look_through(request: HttpRequest, production_id: int, body: FoldersIn) -> Any:
    production = get_object_or_404(Production, pk=production_id)
    return Status(201, looking.start(production, body.folders))


@router.get("/productions/{production_id}/arrivals", response=list[ArrivalOut],
            operation_id="listArrivals")  # fmt: skip
def list_arrivals(request: HttpRequest, production_id: int) -> Any:
    production = get_object_or_404(Production, pk=production_id)
    rows = production.arrivals.exclude(state=Arrival.State.DONE)
    cameras = {camera.letter: camera for camera in production.cameras.all()}
    return [selectors.arrival_row(row, cameras) for row in rows]


@router.get(
    "/arrivals/{arrival_id}/picture", operation_id="getArrivalPicture", include_in_schema=False
)
def arrival_picture(request: HttpRequest, arrival_id: int) -> HttpResponse:
    """Return the first frame of what waits, small, its code values as they are."""
    row = get_object_or_404(Arrival, pk=arrival_id)
    answer = HttpResponse(looking.thumbnail(row), content_type="image/jpeg")
    answer["Cache-Control"] = "private, max-age=3600"
    return answer


@router.patch("/productions/{production_id}/arrivals", response=list[ArrivalOut],
              operation_id="changeArrivals")  # fmt: skip
def change_arrivals(request: HttpRequest, production_id: int, body: ArrivalChange) -> Any:
    production = get_object_or_404(Production, pk=production_id)
    values = body.dict(exclude_unset=True, exclude={"ids"})
    rows = looking.change(production, body.ids, {k: v for k, v in values.items() if v is not None})
    return [selectors.arrival_row(row) for row in rows]


@router.post("/productions/{production_id}/arrivals/accept", response={201: JobOut},
             operation_id="acceptArrivals")  # fmt: skip
def accept_arrivals(request: HttpRequest, production_id: int, body: ArrivalsIn) -> Any:
    production = get_object_or_404(Production, pk=production_id)
    return Status(201, looking.accept(production, body.ids))


@router.post("/productions/{production_id}/arrivals/resume", response={201: JobOut},
             operation_id="resumeArrivals")  # fmt: skip
def resume_arrivals(request: HttpRequest, production_id: int) -> Any:
    return Status(201, looking.bring_in(get_object_or_404(Production, pk=production_id)))


@router.post("/productions/{production_id}/arrivals/leave-out", response={204: None},
             operation_id="leaveOutArrivals")  # fmt: skip
def leave_out_arrivals(request: HttpRequest, production_id: int, body: ArrivalsIn) -> Any:
    looking.leave_out(get_object_or_404(Production, pk=production_id), body.ids)
    return Status(204, None)


@router.post("/productions/{production_id}/find-media", response={201: JobOut},
             operation_id="findMedia")  # fmt: skip
def find_media(request: HttpRequest, production_id: int, folder: str = "") -> Any:
    production = get_object_or_404(Production, pk=production_id)
    return Status(201, missing.start(production, folder))


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


@router.get("/productions/{production_id}/clips", response=ClipPage, operation_id="listClips")
def list_clips(
    request: HttpRequest, production_id: int, search: str = "", letter: str = "",
    light_id: int | None = None, kind: str = "", doubtful: bool = False, first: int = 0,
    most: int = 100,
) -> Any:  # fmt: skip
    production = get_object_or_404(Production, pk=production_id)
    rows = selectors.clips_of(
        production, search=search, letter=letter, light_id=light_id, kind=kind, doubtful=doubtful
    )
    shown = rows[max(first, 0) : max(first, 0) + max(1, min(most, 500))]
    head = head_of(production.pk)
    usual = selectors.usual_of(production)
    return {
        "head": head,
        "total": len(rows),
        "clips": [selectors.clip_row(clip, usual) for clip in shown],
    }


@router.get("/clips/{clip_id}", response=ClipDetails, operation_id="getClip")
def get_clip(request: HttpRequest, clip_id: int) -> Any:
    clip = get_object_or_404(Clip.objects.select_related("camera", "light"), pk=clip_id)
    return selectors.clip_details(clip)


@router.get("/clips/{clip_id}/sidecar", operation_id="getSidecar", include_in_schema=False)
def get_sidecar(request: HttpRequest, clip_id: int, name: str) -> HttpResponse:
    """Return a correction that lies beside a clip, for a person who wants to use it."""
    clip = get_object_or_404(Clip, pk=clip_id)
    found = next((f for f in selectors.sidecars_of(clip) if f.endswith(f"/{name}")), None)
    if found is None:
        raise Http404(f"There is no {name} beside {clip.name}.")
    with resolve(found, clip.root).open("rb") as file:
        data = file.read(_MOST_SIDECAR)
    return HttpResponse(data, content_type="application/octet-stream")


@router.patch("/clips/{clip_id}", response=ClipDetails, operation_id="changeClip")
def change_clip(request: HttpRequest, clip_id: int, body: ClipChange) -> Any:
    clip = get_object_or_404(Clip.objects.select_related("camera", "light"), pk=clip_id)
    values = body.dict(exclude_unset=True, exclude={"base"})
    return selectors.clip_details(services.change_clip(clip, values, base=body.base))


@router.post("/productions/{production_id}/clips/settings", response=list[ClipRow],
             operation_id="applySettings")  # fmt: skip
def apply_settings(request: HttpRequest, production_id: int, body: ClipSettingsIn) -> Any:
    production = get_object_or_404(Production, pk=production_id)
    values = body.values.dict(exclude_unset=True)
    clips = services.apply_settings(production, body.ids, values, base=body.base)
    return [selectors.clip_row(clip) for clip in clips]
