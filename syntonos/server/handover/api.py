"""Endpoints of what is taken away."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from django.http import FileResponse, Http404, HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Router, Status

from syntonos.core.chain import LutLevels
from syntonos.server.footage.models import Clip
from syntonos.server.handover import package, services
from syntonos.server.handover.models import Export
from syntonos.server.handover.schemas import ExportIn, ExportOut, PackageIn, VariantOut
from syntonos.server.jobs.models import Job
from syntonos.server.jobs.schemas import JobOut
from syntonos.server.productions.models import Camera, Light, Production

router = Router()


def _place(light_id: int, camera_id: int) -> tuple[Light, Camera]:
    light = get_object_or_404(Light, pk=light_id)
    cameras = Camera.objects.select_related("production__reference_camera")
    return light, get_object_or_404(cameras, pk=camera_id, production_id=light.production_id)


def export_out(row: Export) -> dict[str, Any]:
    """Return an export for the API."""
    return {
        "id": row.pk, "target": row.target, "size": row.size, "format": row.format,
        "lut_in": row.lut_in, "lut_out": row.lut_out, "file_name": row.file_name,
        "sha256": row.sha256, "match_number": row.match.number if row.match else None,
        "clip_name": row.clip.name if row.clip else "",
        "is_current": row.match is None or row.match.is_current, "read_back": row.read_back,
        "created": row.created,
    }  # fmt: skip


@router.get("/lights/{light_id}/cameras/{camera_id}/exports", response=list[ExportOut],
            operation_id="listExports")  # fmt: skip
def list_exports(request: HttpRequest, light_id: int, camera_id: int) -> Any:
    light, camera = _place(light_id, camera_id)
    rows = Export.objects.filter(light=light, camera=camera).select_related("match", "clip")
    return [export_out(row) for row in rows]


@router.get("/lights/{light_id}/cameras/{camera_id}/variants", response=list[VariantOut],
            operation_id="listVariants")  # fmt: skip
def list_variants(request: HttpRequest, light_id: int, camera_id: int) -> Any:
    return [asdict(variant) for variant in services.variants(*_place(light_id, camera_id))]


@router.post("/lights/{light_id}/cameras/{camera_id}/exports", response={201: ExportOut},
             operation_id="exportLut")  # fmt: skip
def export_lut(request: HttpRequest, light_id: int, camera_id: int, body: ExportIn) -> Any:
    light, camera = _place(light_id, camera_id)
    own = body.clip_id and get_object_or_404(
        Clip.objects.select_related("camera"), pk=body.clip_id, light=light, camera=camera
    )
    row = services.export_lut(
        light=light, camera=camera, target=body.target, size=body.size, format_=body.format,
        levels=LutLevels(body.lut_in, body.lut_out), own=own or None, cdl_in=body.cdl_in,
    )  # fmt: skip
    return Status(201, export_out(row))


@router.post("/productions/{production_id}/take-away", response={202: JobOut},
             operation_id="takeAway")  # fmt: skip
def take_away(request: HttpRequest, production_id: int, body: PackageIn) -> Any:
    """Make LUTs of many angles in one job, as one zip with a list."""
    production = get_object_or_404(Production, pk=production_id)
    wanted = body.dict()
    wanted["cells"] = [[cell["light_id"], cell["camera_id"]] for cell in wanted["cells"]]
    return Status(202, package.start(production, wanted))


@router.get("/jobs/{job_id}/package", operation_id="downloadPackage", include_in_schema=False)
def download_package(request: HttpRequest, job_id: int) -> FileResponse:
    job = get_object_or_404(Job, pk=job_id, kind=package.KIND)
    path = package.path_of(job)
    if not path.is_file():
        raise Http404("The package is not there. Make it again.")
    name = (job.result or {})["name"]
    return FileResponse(path.open("rb"), as_attachment=True, filename=name)


@router.get("/exports/{export_id}/file", operation_id="downloadExport", include_in_schema=False)
def download(request: HttpRequest, export_id: int) -> FileResponse:
    row = get_object_or_404(Export, pk=export_id)
    path = services.path_of(row)
    if not path.is_file():
        raise Http404("The file is no longer there. Make it again.")
    return FileResponse(path.open("rb"), as_attachment=True, filename=row.file_name)
