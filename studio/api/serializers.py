"""Shapes of requests and answers; the browser's client is generated from them."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import asdict
from typing import Any

from drf_spectacular.utils import extend_schema_field
from rest_framework import serializers

from quilt_core.scene.lengths import DENSITY_UNITS
from quilt_core.scene.weights import HIGHEST_WEIGHT, LOWEST_WEIGHT
from studio.geometry import content_digest
from studio.models import Atlas, Change, Job, Project, Revision
from studio.state import members_of, tiles_of


class TileOut(serializers.Serializer[Any]):
    number = serializers.IntegerField()
    label = serializers.CharField(allow_blank=True)
    width = serializers.IntegerField(help_text="px")
    height = serializers.IntegerField(help_text="px")
    frozen = serializers.BooleanField()


class FixOut(serializers.Serializer[Any]):
    """Something that would let the islands be larger."""

    kind = serializers.CharField()
    text = serializers.CharField()
    factor = serializers.FloatField(help_text="expected density over that of the layout")
    density = serializers.FloatField(allow_null=True, help_text="px per metre")


class LimitOut(serializers.Serializer[Any]):
    """What limits the density of a packed layout."""

    kind = serializers.CharField()
    text = serializers.CharField()
    islands = serializers.ListField(child=serializers.IntegerField())
    fixes = FixOut(many=True)


class RevisionOut(serializers.ModelSerializer[Any]):
    digest = serializers.SerializerMethodField(
        help_text="of its content; addresses with ?v=<digest> never change"
    )

    limit = LimitOut(allow_null=True)

    def get_digest(self, revision: Revision) -> str:
        return content_digest(revision)

    class Meta:
        model = Revision
        fields = [
            "id",
            "digest",
            "parent",
            "verb",
            "params",
            "draft",
            "tiles",
            "seconds",
            "tidy_cost",
            "limit",
            "padding",
            "margin",
            "created",
        ]


class TileFigures(serializers.Serializer[Any]):
    number = serializers.IntegerField()
    coverage = serializers.FloatField()
    density = serializers.FloatField(allow_null=True)
    islands = serializers.IntegerField()


class FiguresOut(serializers.Serializer[Any]):
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
    flat_faces = serializers.IntegerField(
        default=0, help_text="faces without an area, which have no density"
    )
    unflattened = serializers.IntegerField()
    island_density = serializers.ListField(child=serializers.FloatField(allow_null=True))
    island_flags = serializers.ListField(child=serializers.IntegerField())


class StepsOut(serializers.Serializer[Any]):
    """Where a project stands in its history."""

    change = serializers.SerializerMethodField(
        help_text="the present step; edits name the one they saw"
    )
    what = serializers.SerializerMethodField(
        help_text="what the present step was done to, in words"
    )
    undo = serializers.SerializerMethodField(
        help_text="what undo takes back; empty when there is nothing"
    )
    redo = serializers.SerializerMethodField(
        help_text="what redo makes again; empty when there is nothing"
    )

    def _project(self, of: Any) -> Project:
        if isinstance(of, Project):
            return of
        found: Project = of["project"] if isinstance(of, dict) else of.project
        return found

    def get_change(self, of: Any) -> int:
        return self._project(of).head_id or 0

    def get_what(self, of: Any) -> str:
        head = self._project(of).head
        return head.what if head is not None else ""

    def get_undo(self, of: Any) -> str:
        head = self._project(of).head
        return head.verb if head is not None and head.parent_id is not None else ""

    def get_redo(self, of: Any) -> str:
        redo = self._project(of).redo
        return str(Change.objects.values_list("verb", flat=True).get(pk=redo[-1])) if redo else ""


class AtlasOut(StepsOut):
    id = serializers.IntegerField()
    project = serializers.IntegerField(source="project_id")
    name = serializers.CharField()
    objects = serializers.SerializerMethodField(help_text="how many it has")
    tiles = serializers.SerializerMethodField()
    padding = serializers.FloatField(
        source="head.padding", help_text="px that the layout was packed with"
    )
    margin = serializers.FloatField(source="head.margin", help_text="px, in the same way")
    head = RevisionOut()

    def get_objects(self, atlas: Atlas) -> int:
        return len(members_of(atlas.head)) if atlas.head else 0

    @extend_schema_field(TileOut(many=True))
    def get_tiles(self, atlas: Atlas) -> list[dict[str, Any]]:
        return [asdict(tile) for tile in tiles_of(atlas.head)] if atlas.head else []


class AtlasTabOut(serializers.Serializer[Any]):
    """An atlas in short."""

    id = serializers.IntegerField()
    name = serializers.CharField()
    objects = serializers.IntegerField()
    islands = serializers.IntegerField()
    coverage = serializers.FloatField(allow_null=True, help_text="once it was measured")
    density = serializers.FloatField(allow_null=True, help_text="px per metre, in the same way")
    image = serializers.CharField(help_text="address of a small image; empty without islands")


def _tab(atlas: int, head: Revision) -> dict[str, Any]:
    members, summary = members_of(head), head.summary or {}
    return {
        "id": atlas,
        "name": head.name,
        "objects": len(members),
        "islands": sum(row.islands for row in members),
        "coverage": summary.get("coverage"),
        "density": summary.get("density"),
        "image": f"/api/revisions/{head.pk}/thumbnail.png?v={content_digest(head)}"
        if members
        else "",
    }


SHOWN = "shown_heads"
"""What a project holds for one answer: its change, and the revisions of its atlases."""


def with_heads(projects: Iterable[Project]) -> list[Project]:
    """Projects with the present revisions of their atlases, asked for all of them at once."""
    rows = list(projects)
    heads = Revision.objects.select_related("keyframe").defer("state", "keyframe__state")
    wanted = [revision for project in rows if project.head for _, revision in project.head.atlases]
    found = heads.in_bulk(wanted)
    for project in rows:
        named = project.head.atlases if project.head else []
        setattr(project, SHOWN, (project.head_id, [(a, found[revision]) for a, revision in named]))
    return rows


def _heads(project: Project) -> list[tuple[int, Revision]]:
    """Atlases with their present revisions, asked for once."""
    known: Any = getattr(project, SHOWN, (None, []))
    if known[0] != project.head_id:
        with_heads([project])
        known = getattr(project, SHOWN)
    return list(known[1])


class ProjectOut(StepsOut):
    id = serializers.IntegerField()
    name = serializers.CharField()
    house_density = serializers.FloatField(help_text="px per metre")
    tolerance = serializers.FloatField(
        help_text="half-width of the house band as a part of the density"
    )
    least_density = serializers.FloatField(
        allow_null=True,
        help_text="lower end of the house band where it is said itself, px per metre",
    )
    most_density = serializers.FloatField(
        allow_null=True,
        help_text="upper end of the house band where it is said itself, px per metre",
    )
    density_unit = serializers.ChoiceField(
        choices=list(DENSITY_UNITS), help_text="that densities are shown in"
    )
    uv_tolerance = serializers.FloatField(help_text="tiles")
    rules = serializers.DictField()
    created = serializers.DateTimeField()
    deleted = serializers.DateTimeField(allow_null=True)
    atlases = serializers.SerializerMethodField(help_text="those that are there now, in order")
    objects = serializers.SerializerMethodField(help_text="how many its atlases have")

    @extend_schema_field(AtlasTabOut(many=True))
    def get_atlases(self, project: Project) -> list[dict[str, Any]]:
        return [_tab(atlas, head) for atlas, head in _heads(project)]

    def get_objects(self, project: Project) -> int:
        return sum(len(members_of(head)) for _, head in _heads(project))


class ProjectIn(serializers.Serializer[Any]):
    name = serializers.CharField(max_length=120)


class OnChange(serializers.Serializer[Any]):
    change = serializers.IntegerField(
        min_value=1,
        help_text="the step that the user saw; 409 when what the edit touches was changed since",
    )


class ProjectChange(OnChange):
    name = serializers.CharField(max_length=120, required=False)
    house_density = serializers.FloatField(min_value=1e-3, max_value=1e7, required=False)
    tolerance = serializers.FloatField(min_value=0.001, max_value=0.9, required=False)
    least_density = serializers.FloatField(
        min_value=1e-3, max_value=1e7, required=False, allow_null=True
    )
    most_density = serializers.FloatField(
        min_value=1e-3, max_value=1e7, required=False, allow_null=True
    )
    density_unit = serializers.ChoiceField(choices=list(DENSITY_UNITS), required=False)
    uv_tolerance = serializers.FloatField(min_value=0, max_value=0.01, required=False)


class ObjectOut(serializers.Serializer[Any]):
    id = serializers.IntegerField()
    name = serializers.CharField()
    parent = serializers.CharField()
    file = serializers.CharField()
    colour = serializers.CharField()
    faces = serializers.IntegerField()
    size = serializers.ListField(
        child=serializers.FloatField(), allow_null=True,
        help_text="along its own axes, m, where it stands largest; null for objects of older projects",
    )  # fmt: skip
    unit = serializers.FloatField(help_text="that its file is read in, m")
    first_island = serializers.IntegerField()
    islands = serializers.IntegerField(help_text="that lie in this atlas")
    part = serializers.ListField(
        child=serializers.IntegerField(),
        allow_null=True,
        help_text="which of its islands, from 0, where others lie elsewhere",
    )
    whole = serializers.IntegerField(help_text="islands that it has in all")
    unflattened = serializers.IntegerField()
    base = serializers.IntegerField(help_text="its base layout, which never changes")
    useless = serializers.BooleanField(help_text="its UVs are of no use")
    verb = serializers.CharField(help_text="what made its layout: read, unwrapped")
    copied_from = serializers.IntegerField(allow_null=True, help_text="the object it follows")
    instances = serializers.IntegerField()
    channels = serializers.ListField(child=serializers.CharField())
    channel = serializers.IntegerField(help_text="the one its islands are of, from 0")
    target = serializers.IntegerField(help_text="the one its layout is written to, from 0")
    source = serializers.IntegerField(help_text="id of its file")
    weight = serializers.FloatField()
    proportion = serializers.FloatField(
        help_text="width / height of the texture that its UVs are for"
    )
    said = serializers.BooleanField(help_text="whether the user said that proportion")
    suggested = serializers.FloatField(
        allow_null=True, help_text="another proportion that the stretch of its islands suggests"
    )


class ControlsOut(serializers.Serializer[Any]):
    """One number per island; flags are the sum of 1 lock place, 2 turn, 4 size, 8 may mirror, 16
    left out."""

    flags = serializers.ListField(child=serializers.IntegerField())
    tile = serializers.ListField(child=serializers.IntegerField())
    bundle = serializers.ListField(child=serializers.IntegerField())
    stack = serializers.ListField(child=serializers.IntegerField())
    weight = serializers.ListField(child=serializers.FloatField())


class LayoutOut(serializers.Serializer[Any]):
    """A revision as the browser needs it, placements apart."""

    revision = RevisionOut()
    controls = ControlsOut()
    figures = FiguresOut(allow_null=True)
    objects = ObjectOut(many=True)
    world_area = serializers.ListField(
        child=serializers.FloatField(), help_text="square metres per island"
    )
    warnings = serializers.ListField(child=serializers.CharField())


class MemberChange(OnChange):
    object = serializers.IntegerField()
    weight = serializers.FloatField(
        min_value=LOWEST_WEIGHT, max_value=HIGHEST_WEIGHT, required=False
    )
    proportion = serializers.FloatField(
        min_value=1 / 64,
        max_value=64,
        required=False,
        allow_null=True,
        help_text="null: that of its texture",
    )


class JobOut(serializers.ModelSerializer[Any]):
    class Meta:
        model = Job
        fields = [
            "id",
            "project",
            "atlas",
            "kind",
            "state",
            "progress",
            "message",
            "figures",
            "result",
            "error",
            "cancel",
            "created",
            "finished",
        ]


class CancelIn(serializers.Serializer[Any]):
    keep = serializers.BooleanField(default=True)


class UploadOut(serializers.Serializer[Any]):
    job = JobOut(allow_null=True)
    revision = serializers.IntegerField(allow_null=True)
