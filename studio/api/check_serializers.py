"""Shapes of requests and answers about proving."""

from __future__ import annotations

from typing import Any

from rest_framework import serializers

from quilt_core.check.findings import FINDING_KINDS, SEVERITIES
from studio.actions.check.fix_findings import FIX_VERBS
from studio.api.serializers import OnChange, StepsOut


class FindingOut(serializers.Serializer[Any]):
    key = serializers.CharField()
    kind = serializers.ChoiceField(choices=list(FINDING_KINDS))
    severity = serializers.ChoiceField(choices=SEVERITIES)
    object = serializers.CharField(allow_blank=True)
    island = serializers.IntegerField()
    other_object = serializers.CharField(allow_blank=True)
    other_island = serializers.IntegerField()
    amount = serializers.FloatField(allow_null=True)
    unit = serializers.CharField()
    text = serializers.CharField()
    islands = serializers.ListField(child=serializers.IntegerField())
    spots = serializers.ListField(child=serializers.ListField(child=serializers.FloatField()))
    faces = serializers.ListField(child=serializers.IntegerField())
    other_faces = serializers.ListField(child=serializers.IntegerField())
    tile = serializers.IntegerField(help_text="0 for none")
    fix = serializers.CharField(allow_blank=True)
    ignored = serializers.CharField(allow_blank=True)


class StretchOut(serializers.Serializer[Any]):
    """1 is none."""

    l2 = serializers.FloatField(allow_null=True, required=False)
    linf = serializers.FloatField(allow_null=True, required=False)
    angle = serializers.FloatField(allow_null=True, required=False)
    area = serializers.FloatField(allow_null=True, required=False)


class HistogramOut(serializers.Serializer[Any]):
    edges = serializers.ListField(child=serializers.FloatField(), help_text="px per metre")
    area = serializers.ListField(child=serializers.FloatField(), help_text="square metres")


class CheckOut(serializers.Serializer[Any]):
    current = serializers.BooleanField(help_text="by the present rules")
    made = serializers.DateTimeField()
    seconds = serializers.FloatField()
    ready = serializers.BooleanField()
    against = serializers.ListField(child=serializers.CharField())
    errors = serializers.IntegerField()
    warnings = serializers.IntegerField()
    totals = serializers.DictField(child=serializers.IntegerField())
    open_level = serializers.IntegerField(
        allow_null=True, help_text="last mip level at which all gaps are open"
    )
    findings = FindingOut(many=True)
    stretch = StretchOut()
    island_stretch = serializers.ListField(child=serializers.FloatField(allow_null=True))
    materials = serializers.ListField(child=serializers.CharField())
    island_material = serializers.ListField(child=serializers.IntegerField())
    histogram = HistogramOut()


class KindOut(serializers.Serializer[Any]):
    kind = serializers.ChoiceField(choices=list(FINDING_KINDS))
    title = serializers.CharField()
    severity = serializers.ChoiceField(choices=SEVERITIES, help_text="by the project's rules")
    usual = serializers.ChoiceField(choices=SEVERITIES)
    why = serializers.CharField()
    advice = serializers.CharField()
    fix = serializers.CharField(allow_blank=True)


class RulesOut(StepsOut):
    """The rules in force, and all kinds of findings."""

    mip_level = serializers.IntegerField()
    stretch = serializers.FloatField()
    angle = serializers.FloatField()
    sliver = serializers.FloatField()
    material_gap = serializers.FloatField()
    block = serializers.IntegerField()
    ignored = serializers.ListField(
        child=serializers.DictField(child=serializers.CharField(allow_blank=True))
    )
    kinds = KindOut(many=True)


class RulesIn(OnChange):
    mip_level = serializers.IntegerField(required=False)
    stretch = serializers.FloatField(required=False)
    angle = serializers.FloatField(required=False)
    sliver = serializers.FloatField(required=False)
    material_gap = serializers.FloatField(required=False)
    block = serializers.IntegerField(required=False)
    severity = serializers.DictField(child=serializers.CharField(), required=False)
    ignored = serializers.ListField(
        child=serializers.DictField(child=serializers.CharField(allow_blank=True)), required=False
    )


class FixIn(OnChange):
    fix = serializers.ChoiceField(choices=list(FIX_VERBS))
    islands = serializers.ListField(child=serializers.IntegerField(min_value=0), allow_empty=False)
