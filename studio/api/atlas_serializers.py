"""Shapes of requests and answers about atlases, channels and the history."""

from __future__ import annotations

from typing import Any

from rest_framework import serializers

from studio.api.serializers import OnChange, ProjectOut


class ObjectsIn(OnChange):
    objects = serializers.ListField(child=serializers.IntegerField(min_value=1), max_length=100_000)
    channel = serializers.IntegerField(
        min_value=0, max_value=15, default=0, help_text="of those that lie in no atlas yet, from 0"
    )


class IslandsIn(OnChange):
    source = serializers.IntegerField(min_value=1, help_text="the atlas that they lie in")
    islands = serializers.ListField(
        child=serializers.IntegerField(min_value=0), min_length=1, max_length=1_000_000
    )


class ReleaseIslandsIn(OnChange):
    islands = serializers.ListField(
        child=serializers.IntegerField(min_value=0), min_length=1, max_length=1_000_000
    )


class NewAtlasIn(ObjectsIn):
    objects = serializers.ListField(
        child=serializers.IntegerField(min_value=1), max_length=100_000, default=[]
    )
    source = serializers.IntegerField(
        min_value=1, required=False, help_text="an atlas that islands are taken out of"
    )
    islands = serializers.ListField(
        child=serializers.IntegerField(min_value=0),
        default=[],
        max_length=1_000_000,
        help_text="of that atlas",
    )
    again = serializers.BooleanField(
        default=False,
        help_text="objects stay where they are, and are laid out once more in the first UV channel that none of them has",
    )
    size = serializers.IntegerField(
        min_value=16,
        max_value=16384,
        required=False,
        help_text="of the tile, px, when laid out once more",
    )
    name = serializers.CharField(max_length=120)

    def validate(self, attrs: dict[str, Any]) -> dict[str, Any]:
        if attrs["islands"] and "source" not in attrs:
            raise serializers.ValidationError({"source": "Say which atlas the islands lie in."})
        return attrs


class NewAtlasOut(serializers.Serializer[Any]):
    project = ProjectOut()
    atlas = serializers.IntegerField(help_text="the new one")


class AtlasName(OnChange):
    name = serializers.CharField(max_length=120)


class ChannelIn(OnChange):
    objects = serializers.ListField(child=serializers.IntegerField(min_value=1), max_length=100_000)
    source = serializers.IntegerField(min_value=0, max_value=15, help_text="laid out from, from 0")
    target = serializers.IntegerField(min_value=0, max_value=15, help_text="written to, from 0")


class LooseObjectOut(serializers.Serializer[Any]):
    """An object that lies in no atlas, or some islands of which do not."""

    id = serializers.IntegerField()
    name = serializers.CharField()
    file = serializers.CharField()
    islands = serializers.IntegerField(help_text="that lie in no atlas")
    whole = serializers.IntegerField(help_text="that it has")


class HistoryStepOut(serializers.Serializer[Any]):
    """A step of the history."""

    id = serializers.IntegerField()
    verb = serializers.CharField()
    what = serializers.CharField(allow_blank=True)
    author = serializers.CharField()
    label = serializers.CharField(allow_blank=True)
    created = serializers.DateTimeField()
    ahead = serializers.BooleanField(help_text="undone; redo leads there")
    atlas = serializers.IntegerField(allow_null=True, help_text="the atlas that it changed")
    coverage = serializers.FloatField(
        allow_null=True, help_text="of that atlas after it, when it was measured"
    )
    density = serializers.FloatField(allow_null=True, help_text="px per metre, in the same way")


class HistoryOut(serializers.Serializer[Any]):
    """The chain of steps, the oldest first."""

    head = serializers.IntegerField()
    steps = HistoryStepOut(many=True)


class LabelIn(serializers.Serializer[Any]):
    label = serializers.CharField(max_length=120, allow_blank=True)


class StepIn(OnChange):
    step = serializers.IntegerField(min_value=1, help_text="the step to go to")
