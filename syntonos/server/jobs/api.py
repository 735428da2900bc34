"""Endpoints of jobs."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Router

from syntonos.server.jobs import services
from syntonos.server.jobs.models import Job
from syntonos.server.jobs.schemas import JobOut

router = Router()
_SHOWN = 20


@router.get("/productions/{production_id}/jobs", response=list[JobOut], operation_id="listJobs")
def list_jobs(request: HttpRequest, production_id: int) -> Any:
    return Job.objects.filter(production_id=production_id)[:_SHOWN]


@router.post("/jobs/{job_id}/cancel", response=JobOut, operation_id="cancelJob")
def cancel_job(request: HttpRequest, job_id: int) -> Any:
    return services.cancel(get_object_or_404(Job, pk=job_id))
