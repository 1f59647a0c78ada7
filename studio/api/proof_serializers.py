"""Shapes of requests and answers about proving."""

from __future__ import annotations

from rest_framework import serializers

from quilt_core.bake.settings import BITS, IDS, MAPS, RAYS_ALONG, SAMPLES
from quilt_core.prove.findings import KINDS, SEVERITIES
from studio.actions.prove.cure_findings import VERBS
from studio.api.serializers import OnChange, StepsOut


class FindingOut(serializers.Serializer):
    key = serializers.CharField()
    kind = serializers.ChoiceField(choices=list(KINDS))
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
    cure = serializers.CharField(allow_blank=True)
    ignored = serializers.CharField(allow_blank=True)


class StretchOut(serializers.Serializer):
    """1 is none."""

    l2 = serializers.FloatField(allow_null=True, required=False)
    linf = serializers.FloatField(allow_null=True, required=False)
    angle = serializers.FloatField(allow_null=True, required=False)
    area = serializers.FloatField(allow_null=True, required=False)


class HistogramOut(serializers.Serializer):
    edges = serializers.ListField(child=serializers.FloatField(), help_text="px per metre")
    area = serializers.ListField(child=serializers.FloatField(), help_text="square metres")


class ProofOut(serializers.Serializer):
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


class KindOut(serializers.Serializer):
    kind = serializers.ChoiceField(choices=list(KINDS))
    title = serializers.CharField()
    severity = serializers.ChoiceField(choices=SEVERITIES, help_text="by the project's rules")
    usual = serializers.ChoiceField(choices=SEVERITIES)
    why = serializers.CharField()
    advice = serializers.CharField()
    cure = serializers.CharField(allow_blank=True)


class RulesOut(StepsOut):
    """The rules in force, and all kinds of findings."""

    mip_level = serializers.IntegerField()
    stretch = serializers.FloatField()
    angle = serializers.FloatField()
    sliver = serializers.FloatField()
    material_gap = serializers.FloatField()
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
    severity = serializers.DictField(child=serializers.CharField(), required=False)
    ignored = serializers.ListField(
        child=serializers.DictField(child=serializers.CharField(allow_blank=True)), required=False
    )


class CureIn(OnChange):
    cure = serializers.ChoiceField(choices=list(VERBS))
    islands = serializers.ListField(child=serializers.IntegerField(min_value=0), allow_empty=False)


class RehearseIn(OnChange):
    what = serializers.ChoiceField(
        choices=("auto", "pairs", "itself"), default="auto",
        help_text="coarse objects meet the fine ones of their names, or all are baked onto themselves; auto takes pairs where there are any",
    )  # fmt: skip
    maps = serializers.ListField(
        child=serializers.ChoiceField(choices=tuple(MAPS)),
        default=["normal", "occlusion"],
        min_length=1,
    )
    size = serializers.IntegerField(
        default=0, min_value=0, max_value=8192, help_text="width in px; 0 for that of the sheet"
    )
    distance = serializers.FloatField(
        default=0, min_value=0, max_value=1e6,
        help_text="how far rays look out and in, metres; 0 for 2 % of the objects' size",
    )  # fmt: skip
    distances = serializers.DictField(
        child=serializers.FloatField(min_value=1e-9, max_value=1e6), default=dict,
        help_text="another distance, metres, for objects by their names",
    )  # fmt: skip
    along = serializers.ChoiceField(
        choices=RAYS_ALONG, default="smooth",
        help_text="from a shell: objects called like the coarse ones, with the ending _shell",
    )  # fmt: skip
    samples = serializers.ChoiceField(choices=SAMPLES, default=1)
    rays = serializers.IntegerField(default=64, min_value=1, max_value=1024)
    occlusion_distance = serializers.FloatField(
        default=0, min_value=0, max_value=1e6, help_text="metres; 0 for no limit"
    )
    ids = serializers.ChoiceField(choices=IDS, default="material")
    bits = serializers.ChoiceField(choices=BITS, default=8, help_text="32 in the zip is OpenEXR")
    thickness_distance = serializers.FloatField(
        default=0, min_value=0, max_value=1e6, help_text="metres; 0 for half of the size"
    )
    curvature = serializers.FloatField(
        default=0, min_value=0, max_value=1e6, help_text="radius that is black or white, metres"
    )
    smooth = serializers.FloatField(
        default=45, min_value=0, max_value=180,
        help_text="fine meshes without normals are smooth over edges bent by fewer degrees",
    )  # fmt: skip
    together = serializers.BooleanField(default=False, help_text="pairs see one another")
    green_down = serializers.BooleanField(default=False)
    mip_level = serializers.IntegerField(default=2, min_value=0, max_value=12)

    def validate_size(self, value: int) -> int:
        """None, or enough for a picture."""
        if 0 < value < 16:
            raise serializers.ValidationError("Give 16 px or more.")
        return value
