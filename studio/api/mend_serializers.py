"""Shapes of requests of mending."""

from __future__ import annotations

from rest_framework import serializers

from quilt_core.flatten.options import KINDS, FlattenSettings
from studio.api.serializers import OnChange

USUAL = FlattenSettings()


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
    draft = serializers.BooleanField(default=False, help_text="as a try beside the present layout")


class CopyLayoutIn(OnChange):
    object = serializers.IntegerField(min_value=1, help_text="whose layout is copied")
    to = serializers.ListField(
        child=serializers.IntegerField(min_value=1), max_length=100_000, default=list,
        help_text="none for all objects of equal topology",
    )  # fmt: skip
