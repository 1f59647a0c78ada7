"""Shapes of requests and answers of carrying over."""

from __future__ import annotations

from typing import Any

from rest_framework import serializers

from quilt_core.errors import LayoutError
from quilt_core.formats.merge_settings import check_naming
from studio.api.serializers import OnChange

FILTERS = ("bilinear", "mitchell", "lanczos")
ROLES = ("baseColor", "metallicRoughness", "normal", "occlusion", "emissive")


class CarryIn(OnChange):
    size = serializers.IntegerField(
        default=0, min_value=0, max_value=16384, help_text="width in px; 0 for that of the sheet"
    )
    roles = serializers.DictField(
        child=serializers.IntegerField(min_value=16, max_value=16384), default=dict,
        help_text="other widths by role",
    )  # fmt: skip
    filter = serializers.ChoiceField(choices=FILTERS, default="bilinear")
    name = serializers.RegexField(r"^\w[\w .-]{0,80}$", default="atlas")
    naming = serializers.CharField(
        default="{name}_{role}", max_length=120,
        help_text="pattern of the pictures' names, with {name}, {role} and {tile}",
    )  # fmt: skip
    whole = serializers.BooleanField(
        default=False, help_text="all atlases of the project, not this one alone"
    )
    preview = serializers.BooleanField(default=False, help_text="512 px, for a look")

    def validate_roles(self, value: dict[str, int]) -> dict[str, int]:
        """Only roles that there are."""
        unknown = sorted(set(value) - set(ROLES))
        if unknown:
            raise serializers.ValidationError(f"“{unknown[0]}” is none of {', '.join(ROLES)}.")
        return value

    def validate_naming(self, value: str) -> str:
        """A pattern that tells roles apart."""
        try:
            check_naming(value)
        except LayoutError as error:
            raise serializers.ValidationError(f"{error.what} {error.cure}") from None
        return value

    def validate_size(self, value: int) -> int:
        """None, or enough for a picture."""
        if 0 < value < 16:
            raise serializers.ValidationError("Give 16 px or more.")
        return value


class ShelfQuery(serializers.Serializer[Any]):
    size = serializers.IntegerField(default=2048, min_value=16, max_value=16384)


class ShelfPicture(serializers.Serializer[Any]):
    role = serializers.CharField()
    number = serializers.IntegerField(help_text="in its file")
    name = serializers.CharField()
    width = serializers.IntegerField()
    height = serializers.IntegerField()
    bits = serializers.IntegerField()
    bytes = serializers.IntegerField()
    channel = serializers.IntegerField(help_text="UV channel, from 0")
    missing = serializers.BooleanField()


class ShelfMaterial(serializers.Serializer[Any]):
    name = serializers.CharField()
    file = serializers.CharField()
    source = serializers.IntegerField()
    alpha = serializers.CharField()
    colour = serializers.ListField(child=serializers.FloatField())
    objects = serializers.ListField(child=serializers.CharField())
    pictures = ShelfPicture(many=True)


class Pair(serializers.Serializer[Any]):
    before = serializers.IntegerField()
    after = serializers.IntegerField()


class ShelfMemory(serializers.Serializer[Any]):
    raw = serializers.IntegerField()
    bc1 = serializers.IntegerField()
    bc5 = serializers.IntegerField()
    bc7 = serializers.IntegerField()
    astc4x4 = serializers.IntegerField()


class MemoryPair(serializers.Serializer[Any]):
    before = ShelfMemory()
    after = ShelfMemory()


class ShelfPlan(serializers.Serializer[Any]):
    materials = Pair()
    maps = Pair()
    texels = Pair()
    draw_calls = Pair()
    memory = MemoryPair()
    roles = serializers.ListField(child=serializers.CharField())


class ShelfWarning(serializers.Serializer[Any]):
    kind = serializers.CharField()
    what = serializers.CharField()
    cure = serializers.CharField()


class ShelfOut(serializers.Serializer[Any]):
    materials = ShelfMaterial(many=True)
    plan = ShelfPlan()
    warnings = ShelfWarning(many=True)


class CarriedQuery(serializers.Serializer[Any]):
    size = serializers.IntegerField(
        required=False, min_value=16, max_value=4096, help_text="longer side, px; the whole without"
    )
