"""Shapes of requests and answers of carrying over."""

from __future__ import annotations

from typing import Any

from rest_framework import serializers

from quilt_core.errors import FileFormatError, LayoutError
from quilt_core.formats.channels import KINDS as CHANNEL_KINDS
from quilt_core.formats.channels import channel_edit
from quilt_core.formats.gltf_read import MOST_CHANNELS
from quilt_core.formats.merge_settings import check_naming
from quilt_core.pictures.profile import profile_from
from quilt_core.pictures.roles import ROLES as GIVEN_ROLES
from studio.api.serializers import OnChange

FILTERS = ("bilinear", "mitchell", "lanczos")
ROLES = ("baseColor", "metallicRoughness", "normal", "occlusion", "emissive")


def checked_profile(value: Any) -> dict[str, Any]:
    """A profile as JSON."""
    try:
        if not isinstance(value, dict):
            raise FileFormatError("A profile is no table.", "profile", "Give name and picture.")
        profile = profile_from(value, "profile")
        check_naming(profile.naming)
    except (FileFormatError, LayoutError) as error:
        raise serializers.ValidationError(f"{error.what} {error.cure}") from None
    return profile.to_json()


def checked_naming(value: str) -> str:
    """A pattern of names."""
    try:
        check_naming(value)
    except LayoutError as error:
        raise serializers.ValidationError(f"{error.what} {error.cure}") from None
    return value


class ChannelEditIn(serializers.Serializer[Any]):
    kind = serializers.ChoiceField(choices=CHANNEL_KINDS)
    one = serializers.IntegerField(min_value=1, max_value=MOST_CHANNELS, help_text="from 1")
    two = serializers.IntegerField(default=0, min_value=0, max_value=MOST_CHANNELS)

    def validate(self, attrs: dict[str, Any]) -> dict[str, Any]:
        """One that makes sense."""
        try:
            channel_edit(**attrs)
        except LayoutError as error:
            raise serializers.ValidationError(f"{error.what} {error.cure}") from None
        return attrs


class ExportIn(OnChange):
    channels = ChannelEditIn(
        many=True, default=list, help_text="edits of the UV channels of all files, in order"
    )


class CarryIn(ExportIn):
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
    form = serializers.ChoiceField(
        choices=("png", "jpeg", "webp"), default="png",
        help_text="format of colours and emission; all else is PNG",
    )  # fmt: skip
    bits = serializers.ChoiceField(
        choices=(0, 8, 16), default=0, help_text="for each channel; 0 for those of the old pictures"
    )
    profile = serializers.JSONField(
        default=None, allow_null=True, help_text="further pictures; see the list of profiles"
    )
    joint = serializers.BooleanField(
        default=False, help_text="all objects in one GLB, beside the files"
    )
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
        return checked_naming(value)

    def validate_profile(self, value: Any) -> Any:
        """One that there is, or one that is written out."""
        return checked_profile(value) if value is not None else None

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
    number = serializers.IntegerField(help_text="in its file")
    mark = serializers.CharField(help_text="another one whenever its file was given pictures")
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


class CarriedQuery(serializers.Serializer[Any]):
    size = serializers.IntegerField(
        required=False, min_value=16, max_value=4096, help_text="longer side, px; the whole without"
    )


class ProfilePictureOut(serializers.Serializer[Any]):
    role = serializers.CharField()
    channels = serializers.ListField(child=serializers.CharField())
    format = serializers.ChoiceField(choices=("png", "jpeg", "webp"))
    bits = serializers.ChoiceField(choices=(0, 8, 16))


class ProfileOut(serializers.Serializer[Any]):
    id = serializers.IntegerField(allow_null=True, help_text="none for those that are always there")
    name = serializers.CharField()
    naming = serializers.CharField()
    largest = serializers.IntegerField(help_text="longest side, px")
    picture = ProfilePictureOut(many=True)


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
        required=False, max_length=40, help_text="mark of what the materials were given"
    )


class PicturesIn(serializers.Serializer[Any]):
    files = serializers.ListField(child=serializers.FileField(), max_length=200)


class GivenRow(serializers.Serializer[Any]):
    name = serializers.CharField()
    material = serializers.CharField(help_text="none for a picture that was missing")
    role = serializers.CharField()


class GivenOut(serializers.Serializer[Any]):
    given = GivenRow(many=True)
    lost = serializers.ListField(child=serializers.CharField(), help_text="those without a place")


class PictureIn(serializers.Serializer[Any]):
    file = serializers.FileField()
    role = serializers.ChoiceField(
        choices=("", *GIVEN_ROLES), default="", help_text="by its name without"
    )
    uv_channel = serializers.IntegerField(default=0, min_value=0, max_value=7)


class RoleIn(serializers.Serializer[Any]):
    role = serializers.CharField(max_length=80)
    to = serializers.ChoiceField(
        choices=("", *GIVEN_ROLES), default="", help_text="none takes the picture away"
    )


class PictureSetsIn(OnChange):
    kinds = serializers.ListField(
        child=serializers.ChoiceField(choices=("blank", "checker", "id", "layout", "layers")),
        min_length=1, max_length=5,
    )  # fmt: skip
    by = serializers.ChoiceField(choices=("object", "island", "material"), default="object")
    colour = serializers.RegexField(r"^#([0-9a-fA-F]{6}|[0-9a-fA-F]{8})$", default="#808080")
    channels = serializers.ChoiceField(choices=("grey", "rgb", "rgba"), default="rgb")
    bits = serializers.ChoiceField(choices=(8, 16), default=8)
    name = serializers.RegexField(r"^\w[\w .-]{0,80}$", default="set")
    naming = serializers.CharField(default="{name}_{role}", max_length=120)
    numbered = serializers.BooleanField(
        default=False, help_text="the tile's number in the name of a single one, too"
    )

    def validate_naming(self, value: str) -> str:
        """A pattern that tells kinds apart."""
        return checked_naming(value)

    def validate_kinds(self, value: list[str]) -> list[str]:
        """Each once."""
        return list(dict.fromkeys(value))
