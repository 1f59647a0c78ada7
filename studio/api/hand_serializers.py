"""Shapes of requests of what is done by hand."""

from __future__ import annotations

from rest_framework import serializers

from quilt_core.pack.settings import ROTATIONS
from quilt_core.place import DIRECTIONS
from studio.actions.arrange.place_islands import VERBS
from studio.api.serializers import OnChange


class PlaceIn(OnChange):
    verb = serializers.ChoiceField(choices=VERBS, default="place")
    islands = serializers.ListField(child=serializers.IntegerField(min_value=0), max_length=100_000)
    placements = serializers.ListField(
        child=serializers.ListField(child=serializers.FloatField(), min_length=6, max_length=6),
        required=False,
        help_text="a, b, tu, c, d, tv of each: from base UVs to the plane of the tiles",
    )
    moves = serializers.ListField(
        child=serializers.ListField(child=serializers.FloatField(), min_length=6, max_length=6),
        required=False,
        help_text="instead of placements: what is done to each in the plane of the tiles, or one"
        " for all",
    )
    side_table = serializers.BooleanField(required=False, allow_null=True)


class SettleIn(OnChange):
    islands = serializers.ListField(
        child=serializers.IntegerField(min_value=0), min_length=1, max_length=100_000
    )
    direction = serializers.ChoiceField(choices=sorted(DIRECTIONS))
    each = serializers.BooleanField(
        default=False, help_text="one after the other, those in front first, instead of as a block"
    )


class MakeRoomIn(OnChange):
    islands = serializers.ListField(
        child=serializers.IntegerField(min_value=0), min_length=1, max_length=100_000
    )


class SlipInIn(OnChange):
    islands = serializers.ListField(
        child=serializers.IntegerField(min_value=0), min_length=1, max_length=10_000
    )
    tile = serializers.IntegerField(min_value=1001, max_value=9999)
    near = serializers.ListField(
        child=serializers.FloatField(), min_length=2, max_length=2, allow_null=True, default=None,
        help_text="px from the tile's lower left corner; without it the most snug spots are taken",
    )  # fmt: skip
    block = serializers.BooleanField(default=False, help_text="all as one, as they lie")
    rotate = serializers.ChoiceField(choices=ROTATIONS, default="quarter")


class FitHereIn(OnChange):
    islands = serializers.ListField(
        child=serializers.IntegerField(min_value=0), min_length=1, max_length=100_000
    )
    tile = serializers.IntegerField(min_value=1001, max_value=9999)
    region = serializers.ListField(
        child=serializers.ListField(child=serializers.FloatField(), min_length=2, max_length=2),
        min_length=2, max_length=2000,
        help_text="two corners of a rectangle or more of a shape, px from the tile's lower left corner",
    )  # fmt: skip
    grow = serializers.BooleanField(
        default=False, help_text="as large as the region allows, instead of at their size"
    )
    rotate = serializers.ChoiceField(choices=ROTATIONS, default="quarter")


class TakeInIn(OnChange):
    islands = serializers.ListField(
        child=serializers.IntegerField(min_value=0), max_length=100_000, default=list,
        help_text="none for all that lie in tiles",
    )  # fmt: skip
