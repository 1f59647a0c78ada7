"""Shapes of requests and answers; the browser's client is generated from them."""

from __future__ import annotations

from typing import Any

from rest_framework import serializers

from quilt_core.pack.problem import EFFORTS, FREE_STEPS, MAX_FREE_STEPS, ORDERS, ROTATIONS
from quilt_core.scene.tiles import MAX_TILE
from quilt_core.sheet.colours import object_colours
from studio.actions.even_out import TARGETS
from studio.arrays import names_of
from studio.geometry import content_mark
from studio.models import MARGIN, PADDING, Atlas, Job, Project, Revision, Tile


class TileOut(serializers.ModelSerializer):
    class Meta:
        model = Tile
        fields = ["number", "label", "width", "height", "frozen"]


class CureOut(serializers.Serializer):
    """Something that would let the islands be larger."""

    kind = serializers.CharField()
    text = serializers.CharField()
    factor = serializers.FloatField(help_text="expected density over that of the layout")
    density = serializers.FloatField(allow_null=True, help_text="px per metre")


class BindingOut(serializers.Serializer):
    """What set the scale of a pack."""

    kind = serializers.CharField()
    text = serializers.CharField()
    islands = serializers.ListField(child=serializers.IntegerField())
    cures = CureOut(many=True)


class RevisionOut(serializers.ModelSerializer):
    mark = serializers.SerializerMethodField(
        help_text="of its content; addresses with ?v=<mark> never change"
    )

    binding = BindingOut(allow_null=True)

    def get_mark(self, revision: Revision) -> str:
        return content_mark(revision)

    class Meta:
        model = Revision
        fields = [
            "id",
            "mark",
            "parent",
            "verb",
            "params",
            "author",
            "draft",
            "tiles",
            "seconds",
            "tidy_cost",
            "binding",
            "padding",
            "margin",
            "created",
        ]


class TileFigures(serializers.Serializer):
    number = serializers.IntegerField()
    coverage = serializers.FloatField()
    density = serializers.FloatField(allow_null=True)
    islands = serializers.IntegerField()


class FiguresOut(serializers.Serializer):
    density = serializers.DictField(child=serializers.FloatField(allow_null=True))
    coverage = serializers.FloatField()
    tiles = TileFigures(many=True)
    overlapping = serializers.IntegerField()
    overlap_pairs = serializers.IntegerField()
    overlap_texels = serializers.FloatField()
    gap_px = serializers.FloatField(allow_null=True)
    gap_islands = serializers.ListField(child=serializers.IntegerField())
    margin_px = serializers.FloatField(allow_null=True)
    outside = serializers.IntegerField()
    side_table = serializers.IntegerField()
    mirrored = serializers.IntegerField()
    collapsed = serializers.IntegerField()
    flat_faces = serializers.IntegerField(default=0, help_text="faces without an area, which have no density")
    unflattened = serializers.IntegerField()
    island_density = serializers.ListField(child=serializers.FloatField(allow_null=True))
    island_flags = serializers.ListField(child=serializers.IntegerField())


class AtlasOut(serializers.ModelSerializer):
    tiles = TileOut(many=True)
    head = RevisionOut(allow_null=True)
    can_undo = serializers.SerializerMethodField()
    can_redo = serializers.SerializerMethodField()
    project = serializers.IntegerField(source="project_id")
    padding = serializers.SerializerMethodField(help_text="px that the newest layout was packed with")
    margin = serializers.SerializerMethodField(help_text="px, in the same way")

    def get_padding(self, atlas: Atlas) -> float:
        return atlas.head.padding if atlas.head else PADDING

    def get_margin(self, atlas: Atlas) -> float:
        return atlas.head.margin if atlas.head else MARGIN

    class Meta:
        model = Atlas
        fields = ["id", "project", "name", "padding", "margin", "tiles", "head", "can_undo", "can_redo"]

    def get_can_undo(self, atlas: Atlas) -> bool:
        return atlas.head is not None and atlas.head.parent_id is not None

    def get_can_redo(self, atlas: Atlas) -> bool:
        return bool(atlas.redo)


class ProjectOut(serializers.ModelSerializer):
    atlases = serializers.PrimaryKeyRelatedField(many=True, read_only=True)
    objects = serializers.IntegerField(source="mesh_objects.count", read_only=True)

    class Meta:
        model = Project
        fields = [
            "id",
            "name",
            "house_density",
            "tolerance",
            "uv_tolerance",
            "rules",
            "created",
            "deleted",
            "atlases",
            "objects",
        ]


class ProjectIn(serializers.Serializer):
    name = serializers.CharField(max_length=120)


class ProjectChange(serializers.Serializer):
    name = serializers.CharField(max_length=120, required=False)
    house_density = serializers.FloatField(min_value=1e-3, max_value=1e7, required=False)
    tolerance = serializers.FloatField(min_value=0.001, max_value=0.9, required=False)
    uv_tolerance = serializers.FloatField(min_value=0, max_value=0.01, required=False)


class ObjectOut(serializers.Serializer):
    id = serializers.IntegerField()
    name = serializers.CharField()
    parent = serializers.CharField()
    file = serializers.CharField()
    colour = serializers.CharField()
    faces = serializers.IntegerField()
    first_island = serializers.IntegerField()
    islands = serializers.IntegerField()
    unflattened = serializers.IntegerField()
    instances = serializers.IntegerField()
    channels = serializers.ListField(child=serializers.CharField())
    weight = serializers.FloatField()
    proportion = serializers.FloatField(help_text="width / height of the picture that its UVs are for")
    said = serializers.BooleanField(help_text="whether the user said that proportion")
    suggested = serializers.FloatField(
        allow_null=True, help_text="another proportion that the stretch of its islands suggests"
    )


class ControlsOut(serializers.Serializer):
    """One number per island; flags are the sum of 1 lock place, 2 turn, 4 size, 8 may mirror, 16 left out."""

    flags = serializers.ListField(child=serializers.IntegerField())
    tile = serializers.ListField(child=serializers.IntegerField())
    bundle = serializers.ListField(child=serializers.IntegerField())
    stack = serializers.ListField(child=serializers.IntegerField())
    weight = serializers.ListField(child=serializers.FloatField())


class LayoutOut(serializers.Serializer):
    """A revision as the browser needs it, placements apart."""

    revision = RevisionOut()
    controls = ControlsOut()
    figures = FiguresOut(allow_null=True)
    objects = ObjectOut(many=True)
    world_area = serializers.ListField(child=serializers.FloatField(), help_text="square metres per island")
    warnings = serializers.ListField(child=serializers.CharField())


class MemberChange(serializers.Serializer):
    object = serializers.IntegerField()
    weight = serializers.FloatField(min_value=0.01, max_value=100, required=False)
    proportion = serializers.FloatField(
        min_value=1 / 64, max_value=64, required=False, allow_null=True, help_text="null: that of its picture"
    )


class OnRevision(serializers.Serializer):
    revision = serializers.IntegerField(
        help_text="the revision the user saw; a stale one is refused with 409"
    )


class EvenOutIn(OnRevision):
    target = serializers.ChoiceField(choices=TARGETS, default="house")
    value = serializers.FloatField(required=False, allow_null=True, min_value=0, max_value=1e9)
    per_object = serializers.BooleanField(default=False)
    islands = serializers.ListField(child=serializers.IntegerField(min_value=0), default=list)


class PackIn(OnRevision):
    width = serializers.IntegerField(min_value=16, max_value=MAX_TILE, required=False, allow_null=True)
    height = serializers.IntegerField(min_value=16, max_value=MAX_TILE, required=False, allow_null=True)
    padding = serializers.FloatField(min_value=0, max_value=1024, default=8.0)
    margin = serializers.FloatField(min_value=0, max_value=1024, default=4.0)
    rotate = serializers.ChoiceField(choices=ROTATIONS, default="quarter")
    effort = serializers.ChoiceField(choices=EFFORTS, default="standard")
    seconds = serializers.FloatField(required=False, allow_null=True, min_value=0.1, max_value=86_400)
    seed = serializers.IntegerField(default=1, min_value=0, max_value=2**31 - 1)
    fixed_scale = serializers.BooleanField(default=False)
    even = serializers.BooleanField(
        default=False, help_text="even out first: to the house density at a fixed scale, else to the average"
    )
    order = serializers.ChoiceField(choices=ORDERS, default="in order")
    upright = serializers.BooleanField(default=False)
    mirror = serializers.BooleanField(default=False)
    free_steps = serializers.IntegerField(min_value=1, max_value=MAX_FREE_STEPS, default=FREE_STEPS)
    tidy = serializers.FloatField(min_value=0, max_value=1, default=0.0)
    tile = serializers.IntegerField(
        required=False, allow_null=True, min_value=0, max_value=9999, help_text="the only tile to fill"
    )
    islands = serializers.ListField(
        child=serializers.IntegerField(min_value=0),
        default=list,
        help_text="islands to pack; the others stay",
    )
    more_tiles = serializers.BooleanField(default=False, help_text="add tiles until everything fits")
    as_draft = serializers.BooleanField(default=False)


class JobOut(serializers.ModelSerializer):
    class Meta:
        model = Job
        fields = [
            "id", "project", "atlas", "kind", "state", "progress", "message", "figures", "result", "error", "cancel",
            "created", "finished",
        ]  # fmt: skip


class CancelIn(serializers.Serializer):
    keep = serializers.BooleanField(default=True)


class UploadOut(serializers.Serializer):
    job = JobOut(allow_null=True)
    revision = serializers.IntegerField(allow_null=True)


def object_rows(
    objects: list[Any], weights: dict[int, float], said: dict[int, float | None]
) -> list[dict[str, Any]]:
    """Rows of `ObjectOut` with colours and island numbers."""
    rows: list[dict[str, Any]] = []
    first = 0
    for obj, name, colour in zip(objects, names_of(objects), object_colours(len(objects)), strict=True):
        rows.append(
            {
                "id": obj.pk, "name": name, "parent": obj.parent, "file": obj.source.name, "colour": colour,
                "faces": obj.faces, "first_island": first, "islands": obj.islands, "unflattened": obj.unflattened,
                "instances": len(obj.instances), "channels": obj.channels, "weight": weights.get(obj.pk, 1.0),
                "proportion": said.get(obj.pk) or obj.proportion, "said": said.get(obj.pk) is not None,
                "suggested": obj.suggested,
            }
        )  # fmt: skip
        first += obj.islands
    return rows
