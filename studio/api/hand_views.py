"""Views of what is done by hand: place, settle, make room, slip in, fit here, take in."""

from __future__ import annotations

from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response

from studio.actions.arrange.make_room_for import make_room_for
from studio.actions.arrange.place_islands import place_islands
from studio.actions.arrange.settle_islands import settle_islands
from studio.api import hand_serializers as h
from studio.api import serializers as s
from studio.api.parse import valid
from studio.api.views import Change, LayoutJob


class PlaceIslands(Change):
    """Move, turn, size or mirror islands."""

    @extend_schema(operation_id="place_islands", request=h.PlaceIn, responses=s.AtlasOut)
    def post(self, request: Request, atlas_id: int) -> Response:
        params = valid(h.PlaceIn, request)
        return self.change(atlas_id, params["change"], lambda head: place_islands(head, params))


class SettleIslands(Change):
    """Slide islands until they touch at padding distance."""

    @extend_schema(operation_id="settle_islands", request=h.SettleIn, responses=s.AtlasOut)
    def post(self, request: Request, atlas_id: int) -> Response:
        params = valid(h.SettleIn, request)
        return self.change(atlas_id, params["change"], lambda head: settle_islands(head, params))


class MakeRoom(Change):
    """Let the neighbours of islands step aside, just enough."""

    @extend_schema(operation_id="make_room", request=h.MakeRoomIn, responses=s.AtlasOut)
    def post(self, request: Request, atlas_id: int) -> Response:
        params = valid(h.MakeRoomIn, request)
        return self.change(atlas_id, params["change"], lambda head: make_room_for(head, params))


class SlipIn(LayoutJob):
    """Find the best free spots for islands."""

    kind = "slip in"

    @extend_schema(operation_id="slip_in", request=h.SlipInIn, responses={202: s.JobOut})
    def post(self, request: Request, atlas_id: int) -> Response:
        return self.start(atlas_id, valid(h.SlipInIn, request))


class FitHere(LayoutJob):
    """Pack islands into a region that was drawn."""

    kind = "fit here"

    @extend_schema(operation_id="fit_here", request=h.FitHereIn, responses={202: s.JobOut})
    def post(self, request: Request, atlas_id: int) -> Response:
        return self.start(atlas_id, valid(h.FitHereIn, request))


class TakeIn(LayoutJob):
    """Shrink islands together until the gaps are right."""

    kind = "take in"

    @extend_schema(operation_id="take_in", request=h.TakeInIn, responses={202: s.JobOut})
    def post(self, request: Request, atlas_id: int) -> Response:
        return self.start(atlas_id, valid(h.TakeInIn, request))
