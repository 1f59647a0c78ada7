"""Shapes of requests of mending."""

from __future__ import annotations

from typing import Any

from rest_framework import serializers

from quilt_core.flatten.edits.names import AXES, SHAPES, VERBS, WAYS
from quilt_core.flatten.options import KINDS, MOST_WELD, FlattenSettings
from studio.api.serializers import OnChange

USUAL = FlattenSettings()


class Numbers(serializers.ListField):
    """Faces, edges, corners or islands."""

    def __init__(self, **more: Any) -> None:
        child = serializers.IntegerField(min_value=0, max_value=2**31 - 1)
        super().__init__(child=child, max_length=2_000_000, default=list, **more)


class Pair(serializers.ListField):
    """Two numbers."""

    def __init__(self, size: int = 2, **more: Any) -> None:
        child = serializers.FloatField(min_value=-1e6, max_value=1e6)
        super().__init__(child=child, min_length=size, max_length=size, **more)


class Triple(Pair):
    """Three numbers."""

    def __init__(self, **more: Any) -> None:
        super().__init__(3, **more)


class FlattenIn(OnChange):
    objects = serializers.ListField(
        child=serializers.IntegerField(min_value=1), max_length=100_000, default=list,
        help_text="none for all objects without usable UVs",
    )  # fmt: skip
    charts = serializers.ChoiceField(choices=KINDS, default=USUAL.charts)
    angle = serializers.FloatField(
        default=USUAL.angle, min_value=1, max_value=180, help_text="degrees"
    )
    stretch = serializers.FloatField(
        default=USUAL.stretch, min_value=1.0005, max_value=4, help_text="largest L2 of a chart"
    )
    balance = serializers.FloatField(
        default=USUAL.balance, min_value=0, max_value=1, help_text="0 keeps angles, 1 areas"
    )
    weld = serializers.FloatField(
        default=USUAL.weld, min_value=0, max_value=MOST_WELD,
        help_text="part of an object's size within which vertices count as one",
    )  # fmt: skip
    symmetric = serializers.BooleanField(
        default=USUAL.symmetric, help_text="charts of both sides of a symmetric object are alike"
    )
    draft = serializers.BooleanField(default=False, help_text="as a try beside the present layout")


class PicksIn(serializers.Serializer[Any]):
    """What is picked of an object."""

    id = serializers.IntegerField(min_value=1)
    whole = serializers.BooleanField(required=False, help_text="all its faces")
    faces = Numbers()
    edges = Numbers(help_text="each by the corner where it starts in its face")
    corners = Numbers()


class EditIn(OnChange):
    verb = serializers.ChoiceField(choices=VERBS)
    islands = Numbers(help_text="numbers in the revision")
    objects = PicksIn(many=True, default=list)
    draft = serializers.BooleanField(default=False, help_text="as a try beside the present layout")
    gap = serializers.FloatField(required=False, min_value=0, max_value=65536, help_text="px")
    side = serializers.FloatField(required=False, min_value=0, max_value=65536, help_text="px")
    stretch = serializers.FloatField(required=False, min_value=1.0005, max_value=4)
    balance = serializers.FloatField(required=False, min_value=0, max_value=1)
    hold_border = serializers.BooleanField(required=False)
    scale = serializers.BooleanField(required=False)
    keep = serializers.BooleanField(required=False)
    shape = serializers.ChoiceField(choices=SHAPES, required=False)
    axis = serializers.ChoiceField(choices=AXES, required=False)
    direction = Triple(required=False, help_text="axis of a projection, in the world")
    way = serializers.ChoiceField(choices=WAYS, required=False)
    by = Pair(required=False, help_text="px to the right and up")
    weld = serializers.FloatField(
        required=False, min_value=0, max_value=MOST_WELD, help_text="part of an object's size"
    )


class CopyLayoutIn(OnChange):
    object = serializers.IntegerField(min_value=1, help_text="whose layout is copied")
    to = serializers.ListField(
        child=serializers.IntegerField(min_value=1), max_length=100_000, default=list,
        help_text="none for all objects of equal topology",
    )  # fmt: skip
    stack = serializers.BooleanField(default=False, help_text="copies share the same texels")
    number = serializers.IntegerField(
        default=0, min_value=0, max_value=100_000,
        help_text="which match of a symmetric mesh, the closest in shape first",
    )  # fmt: skip


class CopyPartIn(OnChange):
    object = serializers.IntegerField(min_value=1, help_text="whose faces are copied")
    faces = Numbers()


class SeamsQuery(serializers.Serializer[Any]):
    channel = serializers.IntegerField(min_value=0, max_value=63, help_text="of the file, from 0")


class SeamsOut(serializers.Serializer[Any]):
    edges = Numbers(help_text="each by the corner where it starts in its face")


class CutLinkIn(OnChange):
    object = serializers.IntegerField(min_value=1)
