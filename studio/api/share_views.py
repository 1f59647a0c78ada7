"""Views of planning which objects share an atlas."""

from __future__ import annotations

from typing import Any

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from studio.actions.access import EDITOR, VIEWER
from studio.actions.gather.share_out import Group, share_objects
from studio.actions.merge.share_plan import objects_of, plan_group, plan_objects
from studio.api import serializers as s
from studio.api.parse import valid
from studio.api.serializers import OnChange
from studio.api.texture_serializers import ShelfPlan
from studio.api.views import LayoutJob, answer_project
from studio.models import Project

MOST_GROUPS = 64


def _objects() -> serializers.ListField:
    return serializers.ListField(child=serializers.IntegerField(min_value=1), max_length=100_000)


class PlanObject(serializers.Serializer[Any]):
    id = serializers.IntegerField()
    name = serializers.CharField()
    atlas = serializers.IntegerField(help_text="in which it lies")
    parted = serializers.BooleanField(help_text="whether it lies in several atlases, by parts")
    painted = serializers.FloatField(help_text="texels of its textures that it covers")
    repeats = serializers.BooleanField()
    materials = serializers.ListField(child=serializers.CharField())
    kinds = serializers.ListField(child=serializers.CharField())


class PlanGroupIn(serializers.Serializer[Any]):
    size = serializers.IntegerField(min_value=16, max_value=16384, help_text="px")
    objects = _objects()


class SharePlanIn(serializers.Serializer[Any]):
    groups = serializers.ListField(child=PlanGroupIn(), max_length=MOST_GROUPS)


class PlanGroupOut(serializers.Serializer[Any]):
    plan = ShelfPlan()
    painted = serializers.FloatField(help_text="texels of the old textures that are covered")
    warnings = serializers.ListField(child=serializers.CharField())


class CoverageIn(OnChange):
    groups = serializers.ListField(child=_objects(), max_length=MOST_GROUPS)
    padding = serializers.FloatField(min_value=0, max_value=256, default=8)


class ShareGroupIn(serializers.Serializer[Any]):
    atlas = serializers.IntegerField(min_value=0, default=0, help_text="0 for a new one")
    name = serializers.CharField(max_length=120)
    objects = _objects()


class ShareIn(OnChange):
    groups = serializers.ListField(child=ShareGroupIn(), max_length=MOST_GROUPS)


class SharePlan(APIView):
    """Which objects share an atlas, and what other choices would cost."""

    roles = {"GET": VIEWER, "POST": EDITOR}

    @extend_schema(operation_id="list_plan_objects", responses=PlanObject(many=True))
    def get(self, request: Request, project_id: int) -> Response:
        project = get_object_or_404(Project.objects.select_related("head"), pk=project_id)
        return Response(plan_objects(project))

    @extend_schema(
        operation_id="plan_groups", request=SharePlanIn, responses=PlanGroupOut(many=True)
    )
    def post(self, request: Request, project_id: int) -> Response:
        get_object_or_404(Project, pk=project_id)
        groups = valid(SharePlanIn, request)["groups"]
        return Response(
            [plan_group(objects_of(project_id, g["objects"]), g["size"]) for g in groups]
        )


class ShareOut(APIView):
    """Put objects into atlases as planned."""

    roles = {"POST": EDITOR}

    @extend_schema(operation_id="share_out", request=ShareIn, responses=s.ProjectOut)
    def post(self, request: Request, project_id: int) -> Response:
        given = valid(ShareIn, request)
        groups = [Group(g["atlas"], g["name"], g["objects"]) for g in given["groups"]]
        objects = [pk for group in groups for pk in group.objects]
        if len(objects) != len(set(objects)):
            raise serializers.ValidationError({"groups": ["An object is in two groups."]})
        share_objects(project_id, given["change"], groups)
        return answer_project(project_id)


class PlanCoverage(LayoutJob):
    """Pack groups of objects quickly, to see how full their sheets would be."""

    roles = {"POST": EDITOR}

    kind = "plan coverage"
    exclusive = False

    @extend_schema(operation_id="plan_coverage", request=CoverageIn, responses={202: s.JobOut})
    def post(self, request: Request, atlas_id: int) -> Response:
        return self.start(atlas_id, valid(CoverageIn, request))
