"""Shapes of requests of mending."""

from __future__ import annotations

from typing import Any

from rest_framework import serializers

from studio.api.serializers import OnChange


class Numbers(serializers.ListField):
    """Faces, edges, corners or islands."""

    def __init__(self, **more: Any) -> None:
        child = serializers.IntegerField(min_value=0, max_value=2**31 - 1)
        super().__init__(child=child, max_length=2_000_000, default=list, **more)


class SeamsQuery(serializers.Serializer[Any]):
    channel = serializers.IntegerField(min_value=0, max_value=63, help_text="of the file, from 0")


class SeamsOut(serializers.Serializer[Any]):
    edges = Numbers(help_text="each by the corner where it starts in its face")


class CutLinkIn(OnChange):
    object = serializers.IntegerField(min_value=1)
