"""Shapes of requests and answers of carrying over."""

from __future__ import annotations

import json
from typing import Any

from rest_framework import serializers

from quilt_core.errors import FileFormatError, LayoutError
from quilt_core.formats.merge_settings import check_naming
from quilt_core.textures.profile import profile_from
from quilt_core.textures.roles import ROLES as GIVEN_ROLES

FILTERS = ("bilinear", "mitchell", "lanczos")
ROLES = ("baseColor", "metallicRoughness", "normal", "occlusion", "emissive")


def checked_profile(value: Any) -> dict[str, Any]:
    """A profile as JSON."""
    try:
        if not isinstance(value, dict):
            raise FileFormatError("A profile is no table.", "profile", "Give name and texture.")
        profile = profile_from(value, "profile")
        check_naming(profile.naming)
    except (FileFormatError, LayoutError) as error:
        raise serializers.ValidationError(f"{error.what} {error.fix}") from None
    return profile.to_json()


class ShelfQuery(serializers.Serializer[Any]):
    size = serializers.IntegerField(default=2048, min_value=16, max_value=16384)


class ShelfTexture(serializers.Serializer[Any]):
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
    number = serializers.IntegerField(help_text="in its file")
    digest = serializers.CharField(help_text="another one whenever its file was given textures")
    alpha = serializers.CharField()
    colour = serializers.ListField(child=serializers.FloatField())
    objects = serializers.ListField(child=serializers.CharField())
    textures = ShelfTexture(many=True)


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
    fix = serializers.CharField()


class Shrunk(serializers.Serializer[Any]):
    object = serializers.CharField()
    kept = serializers.FloatField(help_text="part of the density that it was painted with")


class Suggestion(serializers.Serializer[Any]):
    title = serializers.CharField(help_text="what the new atlas may be called")
    what = serializers.CharField()
    objects = serializers.ListField(child=serializers.IntegerField())


class ShelfOut(serializers.Serializer[Any]):
    materials = ShelfMaterial(many=True)
    plan = ShelfPlan()
    warnings = ShelfWarning(many=True)
    shrunk = Shrunk(many=True)
    suggestions = Suggestion(many=True)


class MergedQuery(serializers.Serializer[Any]):
    size = serializers.IntegerField(
        required=False, min_value=16, max_value=4096, help_text="longer side, px; the whole without"
    )


class ProfileTextureOut(serializers.Serializer[Any]):
    role = serializers.CharField()
    channels = serializers.ListField(child=serializers.CharField())
    format = serializers.ChoiceField(choices=("png", "jpeg", "webp"))
    bits = serializers.ChoiceField(choices=(0, 8, 16))


class ProfileOut(serializers.Serializer[Any]):
    id = serializers.IntegerField(allow_null=True, help_text="none for those that are always there")
    name = serializers.CharField()
    naming = serializers.CharField()
    largest = serializers.IntegerField(help_text="longest side, px")
    texture = ProfileTextureOut(many=True)


class ProfilesOut(serializers.Serializer[Any]):
    profiles = ProfileOut(many=True)
    sources = serializers.ListField(
        child=serializers.CharField(), help_text="what a channel may hold"
    )


class ProfileIn(serializers.Serializer[Any]):
    profile = serializers.JSONField()

    def validate_profile(self, value: Any) -> dict[str, Any]:
        """One that can be used."""
        return checked_profile(value)


class ThumbQuery(serializers.Serializer[Any]):
    size = serializers.ChoiceField(choices=(96, 512), default=96, help_text="longer side, px")
    given = serializers.CharField(
        required=False, max_length=40, help_text="digest of what the materials were given"
    )


class GiveTexturesIn(serializers.Serializer[Any]):
    files = serializers.ListField(child=serializers.FileField(), max_length=200)


class GivenRow(serializers.Serializer[Any]):
    name = serializers.CharField()
    material = serializers.CharField(help_text="none for a texture that was missing")
    role = serializers.CharField()


class GivenOut(serializers.Serializer[Any]):
    given = GivenRow(many=True)
    lost = serializers.ListField(child=serializers.CharField(), help_text="those without a place")


class GiveTextureIn(serializers.Serializer[Any]):
    file = serializers.FileField()
    role = serializers.ChoiceField(
        choices=("", *GIVEN_ROLES), default="", help_text="by its name without"
    )
    uv_channel = serializers.IntegerField(default=0, min_value=0, max_value=7)


class RoleIn(serializers.Serializer[Any]):
    role = serializers.CharField(max_length=80)
    to = serializers.ChoiceField(
        choices=("", *GIVEN_ROLES), default="", help_text="none takes the texture away"
    )


class HandOffAsked(serializers.Serializer[Any]):
    to_channel = serializers.IntegerField(required=False, min_value=1, max_value=64)
    edits = serializers.CharField(default="[]", help_text="of UV channels, as JSON")

    def validate_edits(self, text: str) -> str:
        """Nothing but a list in JSON."""
        try:
            fine = isinstance(json.loads(text), list)
        except ValueError:
            fine = False
        if not fine:
            raise serializers.ValidationError("Give a list, as JSON.")
        return text


class HandOffMerge(serializers.Serializer[Any]):
    job = serializers.IntegerField(source="pk")
    finished = serializers.DateTimeField()
    textures = serializers.SerializerMethodField()

    def get_textures(self, job: Any) -> int:
        """How many it wrote."""
        return len(job.result["names"])


class HandOffMisfit(serializers.Serializer[Any]):
    """An atlas with objects that are painted for another layout."""

    atlas = serializers.IntegerField(source="revision.atlas_id")
    name = serializers.CharField(source="revision.name")
    objects = serializers.ListField(child=serializers.CharField())


class HandOffTexturesOut(serializers.Serializer[Any]):
    merges = HandOffMerge(many=True, help_text="whose files and textures are handed off")
    misfits = HandOffMisfit(many=True)
    why = serializers.CharField(help_text="why a merge that there was does not count any more")
