"""Shapes of requests and answers about control over the packer."""

from __future__ import annotations

from typing import Any

from rest_framework import serializers

from quilt_core.scene.tiles import MAX_TILE
from quilt_core.scene.weights import HIGHEST_WEIGHT, LOWEST_WEIGHT
from studio.api.serializers import OnChange
from studio.geometry import content_digest
from studio.models import Preset, Revision


class ControlIn(OnChange):
    islands = serializers.ListField(child=serializers.IntegerField(min_value=0))
    lock_place = serializers.BooleanField(required=False)
    lock_rotation = serializers.BooleanField(required=False)
    lock_size = serializers.BooleanField(required=False)
    may_flip = serializers.BooleanField(required=False)
    leave_out = serializers.BooleanField(required=False)
    tile = serializers.IntegerField(
        required=False, min_value=0, max_value=9999, help_text="0 for any"
    )
    bundle = serializers.BooleanField(required=False)
    bundle_by = serializers.ChoiceField(
        choices=["object", "material"], required=False, help_text="one bundle for each"
    )
    stack = serializers.BooleanField(required=False)
    stacks = serializers.ListField(
        child=serializers.ListField(child=serializers.IntegerField(min_value=0)),
        required=False,
        help_text="islands of one shape, a list for each stack",
    )
    weight = serializers.FloatField(
        required=False, min_value=LOWEST_WEIGHT, max_value=HIGHEST_WEIGHT
    )
    weights = serializers.ListField(
        child=serializers.FloatField(min_value=LOWEST_WEIGHT, max_value=HIGHEST_WEIGHT),
        required=False,
        help_text="one for each of the islands, in their order",
    )


class TileIn(serializers.Serializer[Any]):
    number = serializers.IntegerField(min_value=1001, max_value=9999)
    width = serializers.IntegerField(min_value=16, max_value=MAX_TILE)
    height = serializers.IntegerField(min_value=16, max_value=MAX_TILE)
    label = serializers.CharField(max_length=120, allow_blank=True, default="")
    frozen = serializers.BooleanField(default=False)


class TilesIn(OnChange):
    tiles = TileIn(many=True)


class PlanRowOut(serializers.Serializer[Any]):
    size = serializers.IntegerField(help_text="px")
    count = serializers.IntegerField()
    coverage = serializers.FloatField()
    density = serializers.FloatField(help_text="px per metre")
    reaches = serializers.BooleanField()
    raw = serializers.FloatField(help_text="bytes of one map with mips")
    bc1 = serializers.FloatField()
    bc7 = serializers.FloatField()


class PlanOut(serializers.Serializer[Any]):
    coverage = serializers.FloatField(
        allow_null=True, help_text="of the present layout, when it was packed"
    )
    rows = PlanRowOut(many=True)


class DraftOut(serializers.ModelSerializer[Any]):
    digest = serializers.SerializerMethodField()
    coverage = serializers.SerializerMethodField()
    density = serializers.SerializerMethodField()
    left_over = serializers.SerializerMethodField()

    class Meta:
        model = Revision
        fields = [
            "id",
            "digest",
            "params",
            "tiles",
            "seconds",
            "tidy_cost",
            "created",
            "coverage",
            "density",
            "left_over",
        ]

    def get_digest(self, draft: Revision) -> str:
        return content_digest(draft)

    def get_coverage(self, revision: Revision) -> float | None:
        return (revision.summary or {}).get("coverage")

    def get_density(self, revision: Revision) -> float | None:
        return (revision.summary or {}).get("density")

    def get_left_over(self, revision: Revision) -> int:
        return int((revision.summary or {}).get("left_over", 0))


class PresetOut(serializers.ModelSerializer[Any]):
    class Meta:
        model = Preset
        fields = ["id", "name", "settings"]


class PresetIn(serializers.Serializer[Any]):
    name = serializers.CharField(max_length=80)
    settings = serializers.DictField()
