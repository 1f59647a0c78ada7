"""Views about control over the packer: islands, tiles, stacks, plans, drafts, presets."""

from __future__ import annotations

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from quilt_core.scene.flags import CONTROLS
from studio.actions.access import EDITOR, VIEWER
from studio.actions.arrange.control_islands import ControlEdit, control_islands
from studio.actions.arrange.keep_draft import drop_draft, keep_draft
from studio.actions.arrange.plan_tiles import plan_atlas
from studio.actions.arrange.save_preset import save_preset
from studio.actions.arrange.set_tiles import set_tiles
from studio.api import control_serializers as c
from studio.api import serializers as s
from studio.api.parse import valid
from studio.api.views import Change, answer_atlas
from studio.models import Atlas, Preset, Project, Revision


class ControlIslands(Change):
    """Lock, bundle, stack, send to a tile, leave out."""

    roles = {"POST": EDITOR}

    @extend_schema(operation_id="control_islands", request=c.ControlIn, responses=s.AtlasOut)
    def post(self, request: Request, atlas_id: int) -> Response:
        given = valid(c.ControlIn, request)
        seen = given.pop("change")
        flags = {name: given.pop(name) for name in CONTROLS if name in given}
        asked = ControlEdit(flags=flags, **given)
        return self.change(atlas_id, seen, lambda head: control_islands(head, asked))


class Tiles(Change):
    """The tile grid."""

    roles = {"PUT": EDITOR}

    @extend_schema(operation_id="set_tiles", request=c.TilesIn, responses=s.AtlasOut)
    def put(self, request: Request, atlas_id: int) -> Response:
        params = valid(c.TilesIn, request)
        return self.change(
            atlas_id, params["change"], lambda head: set_tiles(head, params["tiles"])
        )


class Plan(APIView):
    """What tiles of each size and count would give."""

    roles = {"GET": VIEWER}

    @extend_schema(operation_id="plan_tiles", responses=c.PlanOut)
    def get(self, request: Request, revision_id: int) -> Response:
        revision = get_object_or_404(
            Revision.objects.select_related("atlas__project__head", "keyframe"), pk=revision_id
        )
        return Response(c.PlanOut(plan_atlas(revision, revision.padding)).data)


class Drafts(APIView):
    """Layouts kept beside the chain."""

    roles = {"GET": VIEWER}

    @extend_schema(operation_id="list_drafts", responses=c.DraftOut(many=True))
    def get(self, request: Request, atlas_id: int) -> Response:
        atlas = get_object_or_404(Atlas, pk=atlas_id)
        return Response(
            c.DraftOut(atlas.revisions.filter(draft=True).order_by("-id"), many=True).data
        )


class OneDraft(APIView):
    """Keep a draft as the newest layout, or throw it away."""

    roles = {"POST": EDITOR, "DELETE": EDITOR}

    @extend_schema(operation_id="keep_draft", request=s.OnChange, responses=s.AtlasOut)
    def post(self, request: Request, draft_id: int) -> Response:
        draft = get_object_or_404(Revision.objects.select_related("atlas", "keyframe"), pk=draft_id)
        keep_draft(draft, valid(s.OnChange, request)["change"])
        return answer_atlas(draft.atlas_id)

    @extend_schema(operation_id="drop_draft", responses={204: None})
    def delete(self, request: Request, draft_id: int) -> Response:
        drop_draft(get_object_or_404(Revision, pk=draft_id))
        return Response(status=204)


class Presets(APIView):
    """Saved pack settings of a project."""

    roles = {"GET": VIEWER, "POST": EDITOR}

    @extend_schema(operation_id="list_presets", responses=c.PresetOut(many=True))
    def get(self, request: Request, project_id: int) -> Response:
        return Response(
            c.PresetOut(get_object_or_404(Project, pk=project_id).presets.all(), many=True).data
        )

    @extend_schema(operation_id="save_preset", request=c.PresetIn, responses=c.PresetOut)
    def post(self, request: Request, project_id: int) -> Response:
        project = get_object_or_404(Project, pk=project_id)
        given = valid(c.PresetIn, request)
        return Response(c.PresetOut(save_preset(project, given["name"], given["settings"])).data)


class OnePreset(APIView):
    """Throw a preset away."""

    roles = {"DELETE": EDITOR}

    @extend_schema(operation_id="drop_preset", responses={204: None})
    def delete(self, request: Request, preset_id: int) -> Response:
        get_object_or_404(Preset, pk=preset_id).delete()
        return Response(status=204)
