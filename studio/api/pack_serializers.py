"""Shapes of requests and answers about packing; its options are those that the core declares."""

from __future__ import annotations

from typing import Any

from rest_framework import serializers

from quilt_core.pack.options import Option
from quilt_core.pack.problem import RECIPE_OPTIONS
from quilt_core.scene.tiles import MAX_TILE
from studio.api.serializers import OnChange


def option_field(option: Option) -> serializers.Field:
    """A field of a request for an option; left out, the option has its default."""
    said = f"{option.help}{f', {option.unit}' if option.unit else ''}; usually {option.default}"
    common: dict[str, Any] = {"required": False, "help_text": said}
    bounds = {"min_value": option.low, "max_value": option.high}
    if option.kind == "flag":
        return serializers.BooleanField(**common)
    if option.kind == "choice":
        return serializers.ChoiceField(choices=option.choices, **common)
    if option.kind == "whole":
        return serializers.IntegerField(**bounds, **common)
    return serializers.FloatField(allow_null=option.default is None, **bounds, **common)


class PackIn(OnChange):
    """What to pack, and the options of packing as the core declares them."""

    width = serializers.IntegerField(
        min_value=16, max_value=MAX_TILE, required=False, allow_null=True
    )
    height = serializers.IntegerField(
        min_value=16, max_value=MAX_TILE, required=False, allow_null=True
    )
    tile = serializers.IntegerField(
        required=False,
        allow_null=True,
        min_value=0,
        max_value=9999,
        help_text="the only tile to fill",
    )
    islands = serializers.ListField(
        child=serializers.IntegerField(min_value=0),
        required=False,
        help_text="islands to pack; the others stay",
    )
    as_draft = serializers.BooleanField(
        required=False, help_text="keep the layout beside the chain"
    )

    def get_fields(self) -> dict[str, serializers.Field]:
        return {**super().get_fields(), **{o.name: option_field(o) for o in RECIPE_OPTIONS}}

    def validate(self, given: dict[str, Any]) -> dict[str, Any]:
        return {
            **{o.name: o.default for o in RECIPE_OPTIONS},
            "islands": [],
            "as_draft": False,
            **given,
        }


class OptionOut(serializers.Serializer):
    """An option of packing."""

    name = serializers.CharField()
    kind = serializers.ChoiceField(choices=["flag", "choice", "whole", "number"])
    default = serializers.JSONField(allow_null=True)
    help = serializers.CharField()
    unit = serializers.CharField(allow_blank=True)
    low = serializers.FloatField(allow_null=True)
    high = serializers.FloatField(allow_null=True)
    choices = serializers.ListField(child=serializers.CharField())
