"""Facts of a project. Workflows are in `studio.actions`."""

from __future__ import annotations

from django.db import models
from django.utils import timezone

from quilt_core.scene.islands import UV_TOLERANCE

PADDING, MARGIN = 8.0, 4.0
"""px of a layout that nobody has packed yet."""


class Project(models.Model):
    """A set of assets that share a house density."""

    name = models.CharField(max_length=120)
    house_density = models.FloatField(default=512.0, help_text="px per metre")
    tolerance = models.FloatField(
        default=0.05, help_text="half-width of the house band as a part of the density"
    )
    uv_tolerance = models.FloatField(
        default=UV_TOLERANCE,
        help_text="UVs that differ by less, in tiles, are one point; of files that come in from now on",
    )
    rules = models.JSONField(default=dict, help_text="thresholds, severities and ignored findings of proving")
    created = models.DateTimeField(default=timezone.now)
    deleted = models.DateTimeField(null=True, help_text="since when it is put away")

    class Meta:
        ordering = ["-created", "-id"]


class Source(models.Model):
    """A file that was brought in; its bytes are stored under their SHA-256."""

    project = models.ForeignKey(Project, models.CASCADE, related_name="sources")
    name = models.CharField(max_length=255)
    sha256 = models.CharField(max_length=64)
    size = models.BigIntegerField()
    is_mesh = models.BooleanField()
    metres_per_unit = models.FloatField(default=1.0)
    uv_tolerance = models.FloatField(default=UV_TOLERANCE, help_text="with which its islands were found")
    folder = models.CharField(max_length=32, help_text="files brought in together see one another")
    warnings = models.JSONField(default=list)

    class Meta:
        ordering = ["id"]


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
    islands = models.PositiveIntegerField()
    unflattened = models.PositiveIntegerField(help_text="faces without UVs in the channel in use")
    geometry = models.CharField(max_length=64, help_text="SHA-256 of its arrays")
    proportion = models.FloatField(
        default=1.0, help_text="width / height of its picture; that of most islands"
    )
    suggested = models.FloatField(null=True, help_text="another proportion that its stretch suggests")

    class Meta:
        ordering = ["id"]


class Atlas(models.Model):
    """A shared layout of many objects."""

    project = models.ForeignKey(Project, models.CASCADE, related_name="atlases")
    name = models.CharField(max_length=120)
    head = models.ForeignKey("Revision", models.PROTECT, null=True, related_name="+")
    redo = models.JSONField(default=list, help_text="revisions that redo goes to, the next one last")

    class Meta:
        ordering = ["id"]


class Tile(models.Model):
    """One tile of an atlas."""

    atlas = models.ForeignKey(Atlas, models.CASCADE, related_name="tiles")
    number = models.PositiveIntegerField(default=1001)
    label = models.CharField(max_length=120, blank=True)
    width = models.PositiveIntegerField(default=2048)
    height = models.PositiveIntegerField(default=2048)
    frozen = models.BooleanField(default=False)

    class Meta:
        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["atlas", "number"], name="one_tile_per_number")]


class Member(models.Model):
    """An object's part in an atlas."""

    atlas = models.ForeignKey(Atlas, models.CASCADE, related_name="members")
    object = models.ForeignKey(MeshObject, models.CASCADE, related_name="+")
    source_channel = models.PositiveIntegerField(default=0)
    target_channel = models.PositiveIntegerField(default=0)
    weight = models.FloatField(default=1.0)
    proportion = models.FloatField(null=True, help_text="said by the user, instead of that of its picture")

    class Meta:
        ordering = ["id"]
        constraints = [models.UniqueConstraint(fields=["atlas", "object"], name="one_member_per_object")]


class Revision(models.Model):
    """A layout as one action left it. Never changed afterwards, but for the figures measured of it."""

    atlas = models.ForeignKey(Atlas, models.CASCADE, related_name="revisions")
    parent = models.ForeignKey("self", models.PROTECT, null=True, related_name="children")
    verb = models.CharField(max_length=40)
    params = models.JSONField(default=dict)
    author = models.CharField(max_length=80, default="you")
    draft = models.BooleanField(default=False, help_text="kept beside the chain, not part of it")
    contents = models.JSONField(help_text="object id and number of islands, in order")
    tiles = models.JSONField(help_text="number, width, height, label and frozen of each tile")
    padding = models.FloatField(default=PADDING, help_text="px that it was packed with, and is judged by")
    margin = models.FloatField(default=MARGIN, help_text="px, in the same way")
    placements = models.BinaryField(help_text="float64, 6 per island")
    unplaced = models.BinaryField(help_text="one byte per island, 1 = on the side table")
    controls = models.BinaryField(default=b"", help_text="locks, tile, bundle, stack and weight per island")
    seconds = models.FloatField(null=True, help_text="what it took to make")
    tidy_cost = models.FloatField(null=True, help_text="coverage that tidiness cost, by quick packs")
    binding = models.JSONField(null=True, help_text="what set the scale when it was packed, and cures")
    figures = models.JSONField(null=True)
    proof = models.JSONField(null=True, help_text="findings by the rules of the day, and when")
    created = models.DateTimeField(default=timezone.now)

    class Meta:
        ordering = ["id"]


class Recipe(models.Model):
    """Saved pack settings."""

    project = models.ForeignKey(Project, models.CASCADE, related_name="recipes")
    name = models.CharField(max_length=80)
    settings = models.JSONField()

    class Meta:
        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["project", "name"], name="one_recipe_per_name")]


class Job(models.Model):
    """Long work. This row is the truth; the queue only carries its id."""

    QUEUED, RUNNING, DONE, FAILED, CANCELLED = "queued", "running", "done", "failed", "cancelled"
    STATES = [(s, s) for s in (QUEUED, RUNNING, DONE, FAILED, CANCELLED)]

    project = models.ForeignKey(Project, models.CASCADE, related_name="jobs")
    atlas = models.ForeignKey(Atlas, models.CASCADE, null=True, related_name="jobs")
    kind = models.CharField(max_length=40)
    params = models.JSONField(default=dict)
    state = models.CharField(max_length=12, choices=STATES, default=QUEUED)
    progress = models.FloatField(default=0.0)
    message = models.CharField(max_length=255, blank=True)
    figures = models.JSONField(default=dict)
    picture = models.BinaryField(default=b"", help_text="float32 placements of the best layout so far")
    result = models.JSONField(default=dict)
    error = models.JSONField(null=True)
    cancel = models.CharField(max_length=8, blank=True, help_text="keep or drop, once asked to stop")
    attempts = models.PositiveSmallIntegerField(default=0)
    worker = models.CharField(max_length=300, blank=True, help_text="process that works on it")
    heartbeat = models.DateTimeField(null=True)
    created = models.DateTimeField(default=timezone.now)
    finished = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-id"]

    @property
    def active(self) -> bool:
        """Whether it is waiting or at work."""
        return self.state in (self.QUEUED, self.RUNNING)
