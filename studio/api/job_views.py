"""Views of jobs."""

from __future__ import annotations

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from studio.actions.access import EDITOR, VIEWER
from studio.actions.errors import Conflict
from studio.actions.stop_jobs import cancel_job
from studio.api import serializers as s
from studio.api.parse import valid
from studio.models import Job, Project


class Jobs(APIView):
    """The newest jobs of a project."""

    roles = {"GET": VIEWER}

    @extend_schema(operation_id="list_jobs", responses=s.JobOut(many=True))
    def get(self, request: Request, project_id: int) -> Response:
        project = get_object_or_404(Project, pk=project_id)
        return Response(s.JobOut(project.jobs.filter(parent=None)[:20], many=True).data)


class OneJob(APIView):
    """One job."""

    roles = {"GET": VIEWER}

    @extend_schema(operation_id="get_job", responses=s.JobOut)
    def get(self, request: Request, job_id: int) -> Response:
        return Response(s.JobOut(get_object_or_404(Job, pk=job_id)).data)


class CancelJob(APIView):
    """Stop a job; its best result so far is kept unless that is not wanted."""

    roles = {"POST": EDITOR}

    @extend_schema(operation_id="cancel_job", request=s.CancelIn, responses=s.JobOut)
    def post(self, request: Request, job_id: int) -> Response:
        job = get_object_or_404(Job, pk=job_id)
        stopping = cancel_job(job, valid(s.CancelIn, request)["keep"])
        job.refresh_from_db()
        if not stopping:
            raise Conflict(
                f"The job is over: {job.state}.", job.kind, "Use undo to take its result back."
            )
        return Response(s.JobOut(job).data)
