"""Views of mending."""

from __future__ import annotations

from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response

from studio.api import mend_serializers as m
from studio.api import serializers as s
from studio.api.parse import valid
from studio.api.views import LayoutJob


class FlattenObjects(LayoutJob):
    """Cut objects into charts that lie flat."""

    kind = "flatten"

    @extend_schema(operation_id="flatten", request=m.FlattenIn, responses={202: s.JobOut})
    def post(self, request: Request, atlas_id: int) -> Response:
        params = valid(m.FlattenIn, request)
        return self.start(atlas_id, params, ("house_density",))


class CopyLayout(LayoutJob):
    """Give an object's layout to its look-alikes."""

    kind = "copy layout"

    @extend_schema(operation_id="copy_layout", request=m.CopyLayoutIn, responses={202: s.JobOut})
    def post(self, request: Request, atlas_id: int) -> Response:
        return self.start(atlas_id, valid(m.CopyLayoutIn, request), ("house_density",))
