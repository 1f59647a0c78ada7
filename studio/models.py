"""Facts of a project, and its history. Workflows are in `studio.actions`."""

from __future__ import annotations

import json
import zlib
from typing import Any

import orjson
from django.db import models
from django.utils import timezone

from quilt_core.document.state import MARGIN, PADDING
from quilt_core.scene.islands import UV_TOLERANCE
from quilt_core.scene.lengths import PER_METRE
from studio.people import ApiToken, Invitation, Membership, Note, Presence
from studio.references import FileReference, NeedsFiles
from studio.work import (
    Job,
    Preset,
    RunLayout,
    RunLine,
    RunResult,
    SavedProfile,
    WatchedFolder,
)

__all__ = [
    "ApiToken",
    "Atlas",
    "BaseLayout",
    "Change",
    "FileReference",
    "GivenTexture",
    "Invitation",
    "Job",
    "Measurement",
    "Membership",
    "MeshObject",
    "Note",
    "Presence",
    "Preset",
    "Project",
    "Revision",
    "RunLayout",
    "RunLine",
    "RunResult",
    "SavedProfile",
    "Source",
    "TileImage",
    "WatchedFolder",
]


class Project(models.Model):
    """A set of assets that share a house density. What a user can change of it is in its
    history."""

    head = models.ForeignKey("Change", models.PROTECT, null=True, related_name="+")
    redo = models.JSONField(default=list, help_text="changes that redo goes to, the next one last")
    created = models.DateTimeField(default=timezone.now)
    deleted = models.DateTimeField(null=True, help_text="since when it is put away")

    class Meta:
        ordering = ["-created", "-id"]

    @property
    def settings(self) -> dict[str, Any]:
        """Name, house density (px per metre), tolerance, UV tolerance and rules as they are now."""
        return dict(self.head.settings) if self.head else {}

    @property
    def name(self) -> str:
        """What the user calls it."""
        return str(self.settings["name"])

    @property
    def house_density(self) -> float:
        """px per metre."""
        return float(self.settings["house_density"])

    @property
    def tolerance(self) -> float:
        """Half-width of the house band as a part of the density."""
        return float(self.settings["tolerance"])

    @property
    def least_density(self) -> float | None:
        """Lower end of the house band in px per metre, where it is said itself."""
        return self.settings.get("least_density")

    @property
    def most_density(self) -> float | None:
        """Upper end of the house band in px per metre, where it is said itself."""
        return self.settings.get("most_density")

    @property
    def density_unit(self) -> str:
        """That densities are shown in."""
        return str(self.settings.get("density_unit", PER_METRE))

    @property
    def uv_tolerance(self) -> float:
        """UVs that differ by less, in tiles, are one point; of files that come in from now on."""
        return float(self.settings["uv_tolerance"])

    @property
    def rules(self) -> dict[str, Any]:
        """Thresholds, severities and ignored findings of proving."""
        return dict(self.settings["rules"])


class Change(models.Model):
    """One step of a project's history: what a user did, and the state after it. Never changed, but
    for its label."""

    project = models.ForeignKey(Project, models.CASCADE, related_name="changes")
    parent = models.ForeignKey("self", models.PROTECT, null=True, related_name="children")
    verb = models.CharField(max_length=40)
    what = models.CharField(max_length=200, blank=True, help_text="what it was done to, in words")
    author = models.CharField(max_length=80, default="you")
    label = models.CharField(
        max_length=120, blank=True, help_text="a name that the user gave this step"
    )
    settings = models.JSONField(help_text="of the project, after it")
    atlases = models.JSONField(help_text="[atlas id, revision id] of each atlas after it, in order")
    touched = models.JSONField(
        help_text="what it changed: names of parts, with the islands where they are few"
    )
    created = models.DateTimeField(default=timezone.now)

    class Meta:
        ordering = ["id"]


class Source(NeedsFiles):
    """A file that was brought in; its bytes are stored under their SHA-256."""

    project = models.ForeignKey(Project, models.CASCADE, related_name="sources")
    name = models.CharField(max_length=255)
    sha256 = models.CharField(max_length=64)
    size = models.BigIntegerField()
    is_mesh = models.BooleanField()
    metres_per_unit = models.FloatField(default=1.0)
    uv_tolerance = models.FloatField(
        default=UV_TOLERANCE, help_text="with which its islands were found"
    )
    folder = models.CharField(max_length=32, help_text="files brought in together see one another")
    warnings = models.JSONField(default=list)
    gathered = models.ForeignKey(
        Change, models.CASCADE, null=True, related_name="+", help_text="the step that brought it in"
    )
    replaced = models.ForeignKey(
        Change,
        models.SET_NULL,
        null=True,
        related_name="+",
        help_text="the step that put a newer version in its place",
    )

    class Meta:
        ordering = ["id"]

    @property
    def file_purpose(self) -> str:
        """What its file is to it."""
        return "mesh" if self.is_mesh else "file beside a mesh"


class GivenTexture(NeedsFiles):
    """An image that a material of a source was given, or that stands for one that was missing."""

    source = models.ForeignKey(Source, models.CASCADE, related_name="given")
    name = models.CharField(max_length=255)
    sha256 = models.CharField(max_length=64, blank=True, help_text="none takes the texture away")
    material = models.IntegerField(default=-1, help_text="number among the file's materials")
    role = models.CharField(max_length=80, blank=True)
    channel = models.PositiveIntegerField(default=0)
    number = models.IntegerField(default=-1, help_text="of the file's texture that it stands for")
    tiles = models.JSONField(
        default=list, help_text="column, row, columns, rows of a numbered set; none for one texture"
    )

    class Meta:
        ordering = ["id"]

    @property
    def file_purpose(self) -> str:
        """What its file is to it."""
        return "texture of a material"


class MeshObject(models.Model):
    """An object of a source: a mesh with all its instances."""

    project = models.ForeignKey(Project, models.CASCADE, related_name="mesh_objects")
    source = models.ForeignKey(Source, models.CASCADE, related_name="mesh_objects")
    number = models.PositiveIntegerField(help_text="position within the source")
    name = models.CharField(max_length=255)
    parent = models.CharField(max_length=255, blank=True)
    instances = models.JSONField(help_text="names and world matrices")
    channels = models.JSONField(help_text="names of its UV channels")
    faces = models.PositiveIntegerField()
    size = models.JSONField(
        null=True, help_text="along its own axes in metres, where it stands largest"
    )
    colour = models.PositiveIntegerField(
        null=True, help_text="its number among colours, kept when a newer file comes in"
    )

    class Meta:
        ordering = ["id"]

    @property
    def colour_number(self) -> int:
        """Number of its colour; one that was gathered before they were kept has that of its row."""
        return self.pk - 1 if self.colour is None else self.colour


class BaseLayout(NeedsFiles):
    """UVs of an object in one channel, with its islands. Never changed; an edit makes another
    one."""

    FILE_FIELD = "geometry"

    object = models.ForeignKey(MeshObject, models.CASCADE, related_name="bases")
    channel = models.PositiveIntegerField(default=0, help_text="of the object, from 0")
    verb = models.CharField(max_length=40, default="read", help_text="what made it")
    parent = models.ForeignKey("self", models.PROTECT, null=True, related_name="children")
    geometry = models.CharField(max_length=64, help_text="SHA-256 of its arrays")
    islands = models.PositiveIntegerField(
        help_text="numbered from 0 in the order of their first face"
    )
    unflattened = models.PositiveIntegerField(help_text="faces without UVs")
    useless = models.BooleanField(
        default=False, help_text="its UVs lie in a point, or all on one another"
    )
    proportion = models.FloatField(
        default=1.0, help_text="width / height of its image; that of most islands"
    )
    suggested = models.FloatField(
        null=True, help_text="another proportion that its stretch suggests"
    )
    weld = models.FloatField(
        default=0.0, help_text="part of the size within which vertices count as one"
    )
    copied_from = models.ForeignKey(
        MeshObject,
        models.SET_NULL,
        null=True,
        related_name="+",
        help_text="whose layout it follows",
    )

    class Meta:
        ordering = ["id"]

    @property
    def file_purpose(self) -> str:
        """What its file is to it."""
        return "arrays"


class Atlas(models.Model):
    """A shared layout of many objects. Its state is a revision, which the project's present change
    names."""

    project = models.ForeignKey(Project, models.CASCADE, related_name="atlases")
    head = models.ForeignKey(
        "Revision",
        models.PROTECT,
        null=True,
        related_name="+",
        help_text="none while it is deleted",
    )

    class Meta:
        ordering = ["id"]

    @property
    def name(self) -> str:
        """What the user calls it."""
        return self.head.name if self.head else f"atlas {self.pk}"


class Revision(models.Model):
    """State of an atlas as one action left it. Never changed, but for what is found out about it
    later.

    A keyframe holds all of it; another one what differs from its parent, which goes back to the
    keyframe. `studio.state` reads and writes both.
    """

    atlas = models.ForeignKey(Atlas, models.CASCADE, related_name="revisions")
    parent = models.ForeignKey("self", models.PROTECT, null=True, related_name="children")
    keyframe = models.ForeignKey("self", models.PROTECT, null=True, related_name="+")
    name = models.CharField(max_length=120, help_text="of the atlas")
    members = models.JSONField(
        null=True, help_text="its objects, in order; none = as in the keyframe"
    )
    tiles = models.JSONField(help_text="number, width, height, label and frozen of each")
    state = models.BinaryField(
        help_text="placements, side table and controls, or what differs, compressed"
    )
    depth = models.PositiveIntegerField(default=0, help_text="revisions since the keyframe")
    stored = models.PositiveIntegerField(default=0, help_text="islands stored since the keyframe")
    padding = models.FloatField(
        default=PADDING, help_text="px that it was packed with, and is judged by"
    )
    margin = models.FloatField(default=MARGIN, help_text="px, in the same way")
    verb = models.CharField(max_length=40)
    params = models.JSONField(default=dict)
    draft = models.BooleanField(default=False, help_text="kept beside the chain, not part of it")
    seconds = models.FloatField(null=True, help_text="what it took to make")
    tidy_cost = models.FloatField(
        null=True, help_text="coverage that tidiness cost, by quick packs"
    )
    limit = models.JSONField(
        null=True, help_text="what limits its density, and fixes, once it was asked"
    )
    summary = models.JSONField(null=True, help_text="coverage and density, once it was measured")
    created = models.DateTimeField(default=timezone.now)

    class Meta:
        ordering = ["id"]

    @property
    def figures(self) -> dict[str, Any] | None:
        """What was measured; none when that is not known (any more)."""
        kept = getattr(self, "measurement", None)
        return _unpacked(kept.figures) if kept else None

    @property
    def figures_json(self) -> bytes | None:
        """The same as JSON, for an answer that hands it on."""
        kept = getattr(self, "measurement", None)
        return zlib.decompress(bytes(kept.figures)) if kept else None

    @property
    def checked(self) -> dict[str, Any] | None:
        """What was found, by the rules of the day it was made."""
        kept = getattr(self, "measurement", None)
        return _unpacked(kept.checked) if kept else None


class Measurement(models.Model):
    """Figures and report of a revision. They can be made again, and are kept for the newest only."""

    revision = models.OneToOneField(Revision, models.CASCADE, related_name="measurement")
    figures = models.BinaryField(help_text="JSON, compressed")
    checked = models.BinaryField(help_text="JSON, compressed")
    digest = models.CharField(max_length=16, help_text="of the rules and weights of the check")

    @staticmethod
    def packed(values: dict[str, Any]) -> bytes:
        """As a row keeps it."""
        return zlib.compress(json.dumps(values, separators=(",", ":")).encode(), 4)


def _unpacked(data: bytes) -> dict[str, Any]:
    return dict(orjson.loads(zlib.decompress(bytes(data))))


class TileImage(NeedsFiles):
    """An image over a tile: one behind its layout, painted distances of the test bake's rays, or one that the model wears."""

    BEHIND, REACH, WORN = "behind", "reach", "worn"
    PURPOSES = (BEHIND, REACH, WORN)

    atlas = models.ForeignKey(Atlas, models.CASCADE, related_name="tile_images")
    purpose = models.CharField(max_length=12, default=BEHIND)
    tile = models.PositiveIntegerField()
    name = models.CharField(max_length=255)
    sha256 = models.CharField(max_length=64)
    opacity = models.FloatField(default=0.6)
    repeats = models.FloatField(default=1.0)
    """How often what is worn repeats over a tile, where it does not go by its length."""
    metres = models.FloatField(null=True)
    """How long it is at the house density; none where it goes by the UVs."""

    class Meta:
        ordering = ["tile"]
        constraints = [
            models.UniqueConstraint(
                fields=["atlas", "tile", "purpose"], name="one_image_per_tile_and_purpose"
            )
        ]

    @property
    def file_purpose(self) -> str:
        """What its file is to it."""
        return self.purpose
