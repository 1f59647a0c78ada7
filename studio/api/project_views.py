"""Views about projects and their history."""

from __future__ import annotations

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from studio.actions.access import ACCOUNT, EDITOR, OWNER, VIEWER, visible_projects
from studio.actions.history.list_steps import list_steps, name_step
from studio.actions.history.step import go_to, redo, undo
from studio.actions.project.clean_projects import delete_project, restore_project
from studio.actions.project.create_project import create_project
from studio.actions.project.duplicate_project import duplicate_project
from studio.actions.project.set_settings import set_settings
from studio.api import atlas_serializers as q
from studio.api import serializers as s
from studio.api.parse import valid
from studio.api.views import answer_project
from studio.models import Change, Project


class Projects(APIView):
    """All projects, those that are deleted but can be brought back among them."""

    roles = {"GET": ACCOUNT, "POST": ACCOUNT}

    @extend_schema(operation_id="list_projects", responses=s.ProjectOut(many=True))
    def get(self, request: Request) -> Response:
        rows = visible_projects(Project.objects.select_related("head"))
        rows = rows.order_by("deleted", "-created", "-id")
        return Response(s.ProjectOut(s.with_heads(rows), many=True).data)

    @extend_schema(
        operation_id="create_project", request=s.ProjectIn, responses={201: s.ProjectOut}
    )
    def post(self, request: Request) -> Response:
        project = create_project(valid(s.ProjectIn, request)["name"])
        return Response(s.ProjectOut(project).data, status=201)


class OneProject(APIView):
    """One project."""

    roles = {"GET": VIEWER, "PATCH": EDITOR, "DELETE": OWNER}

    @extend_schema(operation_id="get_project", responses=s.ProjectOut)
    def get(self, request: Request, project_id: int) -> Response:
        rows = Project.objects.select_related("head")
        return Response(s.ProjectOut(get_object_or_404(rows, pk=project_id)).data)

    @extend_schema(operation_id="change_project", request=s.ProjectChange, responses=s.ProjectOut)
    def patch(self, request: Request, project_id: int) -> Response:
        given = valid(s.ProjectChange, request)
        set_settings(project_id, given.pop("change"), given)
        return answer_project(project_id)

    @extend_schema(operation_id="delete_project", responses=s.ProjectOut)
    def delete(self, request: Request, project_id: int) -> Response:
        return Response(
            s.ProjectOut(delete_project(get_object_or_404(Project, pk=project_id))).data
        )


class Restore(APIView):
    """Bring a deleted project back."""

    roles = {"POST": OWNER}

    @extend_schema(operation_id="restore_project", request=None, responses=s.ProjectOut)
    def post(self, request: Request, project_id: int) -> Response:
        return Response(
            s.ProjectOut(restore_project(get_object_or_404(Project, pk=project_id))).data
        )


class Duplicate(APIView):
    """Make a copy of a project as it is now."""

    roles = {"POST": EDITOR}

    @extend_schema(operation_id="duplicate_project", request=None, responses={201: s.ProjectOut})
    def post(self, request: Request, project_id: int) -> Response:
        copy = duplicate_project(project_id)
        answer_project(copy.pk)
        return Response(s.ProjectOut(copy).data, status=201)


class Undo(APIView):
    """Undo the last change of the project."""

    roles = {"POST": EDITOR}

    @extend_schema(operation_id="undo", request=s.OnChange, responses=s.ProjectOut)
    def post(self, request: Request, project_id: int) -> Response:
        undo(project_id, valid(s.OnChange, request)["change"])
        return answer_project(project_id)


class Redo(APIView):
    """Redo what was undone."""

    roles = {"POST": EDITOR}

    @extend_schema(operation_id="redo", request=s.OnChange, responses=s.ProjectOut)
    def post(self, request: Request, project_id: int) -> Response:
        redo(project_id, valid(s.OnChange, request)["change"])
        return answer_project(project_id)


class History(APIView):
    """All steps of a project."""

    roles = {"GET": VIEWER, "POST": EDITOR}

    @extend_schema(operation_id="get_history", responses=q.HistoryOut)
    def get(self, request: Request, project_id: int) -> Response:
        project = get_object_or_404(Project.objects.select_related("head"), pk=project_id)
        return Response({"head": project.head_id, "steps": list_steps(project)})

    @extend_schema(operation_id="go_to_step", request=q.StepIn, responses=s.ProjectOut)
    def post(self, request: Request, project_id: int) -> Response:
        given = valid(q.StepIn, request)
        go_to(project_id, given["step"], given["change"])
        return answer_project(project_id)


class OneStep(APIView):
    """A step of the history."""

    roles = {"PATCH": EDITOR}

    @extend_schema(operation_id="name_step", request=q.LabelIn, responses={204: None})
    def patch(self, request: Request, project_id: int, step_id: int) -> Response:
        name_step(
            get_object_or_404(Change, pk=step_id, project=project_id),
            valid(q.LabelIn, request)["label"],
        )
        return Response(status=204)
