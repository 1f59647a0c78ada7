"""What is to be done in a project, and how: jobs, lines of the run sheet, saved settings."""

from __future__ import annotations

from django.conf import settings
from django.db import models
from django.utils import timezone


class Preset(models.Model):
    """Saved pack settings."""

    project = models.ForeignKey("studio.Project", models.CASCADE, related_name="presets")
    name = models.CharField(max_length=80)
    settings = models.JSONField()

    class Meta:
        ordering = ["name"]
        constraints = [
            models.UniqueConstraint(fields=["project", "name"], name="one_preset_per_name")
        ]


class RunLine(models.Model):
    """A line of the run sheet: steps that bring atlases up to date."""

    project = models.ForeignKey("studio.Project", models.CASCADE, related_name="run_lines")
    atlases = models.ManyToManyField("studio.Atlas", related_name="run_lines", blank=True)
    objects_named = models.JSONField(
        default=list, help_text="names of objects that it is about: the atlases that they lie in"
    )
    channel = models.PositiveSmallIntegerField(null=True, help_text="that it is about, from 1")
    name = models.CharField(max_length=120)
    steps = models.JSONField(help_text="do, and settings, in order")
    hold = models.BooleanField(default=False)
    made_from = models.JSONField(default=dict, help_text="facts and steps, the last time")
    tried = models.CharField(max_length=64, blank=True, help_text="digest of these")
    error = models.TextField(blank=True, help_text="why it failed the last time")

    class Meta:
        ordering = ["id"]


class RunResult(models.Model):
    """What came of a line once."""

    line = models.ForeignKey(RunLine, models.CASCADE, related_name="results")
    digest = models.CharField(max_length=64, help_text="of what it was made from")
    when = models.DateTimeField(default=timezone.now)
    because = models.JSONField(default=list, help_text="why it was done, in words")
    seconds = models.FloatField(null=True)

    class Meta:
        ordering = ["-id"]


class RunLayout(models.Model):
    """The layout of one atlas before and after a line, with its figures then."""

    result = models.ForeignKey(RunResult, models.CASCADE, related_name="layouts")
    earlier = models.ForeignKey("studio.Revision", models.CASCADE, related_name="+")
    revision = models.ForeignKey("studio.Revision", models.CASCADE, related_name="+")
    before = models.JSONField(null=True)
    after = models.JSONField(null=True)

    class Meta:
        ordering = ["id"]


class WatchedFolder(models.Model):
    """A folder of the server's machine from which newer versions of a project's files are taken."""

    project = models.OneToOneField("studio.Project", models.CASCADE, related_name="watched")
    path = models.CharField(max_length=1000)
    run_lines = models.BooleanField(default=False, help_text="bring lines up to date afterwards")
    seen = models.JSONField(
        default=dict, help_text="source id to the times and sizes of its files that are known"
    )


class SavedProfile(models.Model):
    """What an engine wants its images like, as `quilt_core.textures.profile` has it."""

    project = models.ForeignKey("studio.Project", models.CASCADE, related_name="profiles")
    name = models.CharField(max_length=80)
    what = models.JSONField()

    class Meta:
        ordering = ["name"]
        constraints = [
            models.UniqueConstraint(fields=["project", "name"], name="one_profile_per_name")
        ]


class Job(models.Model):
    """Long work. This row is the truth; the queue only carries its id."""

    QUEUED, RUNNING, DONE, FAILED, CANCELLED = "queued", "running", "done", "failed", "cancelled"
    STATES = [(s, s) for s in (QUEUED, RUNNING, DONE, FAILED, CANCELLED)]

    project = models.ForeignKey("studio.Project", models.CASCADE, related_name="jobs")
    atlas = models.ForeignKey("studio.Atlas", models.CASCADE, null=True, related_name="jobs")
    further = models.ManyToManyField(
        "studio.Atlas", related_name="further_jobs", blank=True, help_text="that it changes, too"
    )
    kind = models.CharField(max_length=40)
    params = models.JSONField(default=dict)
    state = models.CharField(max_length=12, choices=STATES, default=QUEUED)
    progress = models.FloatField(default=0.0)
    message = models.CharField(max_length=255, blank=True)
    figures = models.JSONField(default=dict)
    preview = models.BinaryField(
        default=b"", help_text="float32 placements of the best layout so far"
    )
    result = models.JSONField(default=dict)
    error = models.JSONField(null=True)
    cancel = models.CharField(
        max_length=8, blank=True, help_text="keep or drop, once asked to stop"
    )
    attempts = models.PositiveSmallIntegerField(default=0)
    worker = models.CharField(max_length=300, blank=True, help_text="process that works on it")
    alive = models.DateTimeField(null=True, help_text="last sign of life of that process")
    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.SET_NULL, null=True, related_name="+")
    parent = models.ForeignKey(
        "self", models.CASCADE, null=True, related_name="parts", help_text="that this is a part of"
    )
    part = models.PositiveIntegerField(null=True, help_text="number among its parts, from 0")
    heartbeat = models.DateTimeField(null=True)
    created = models.DateTimeField(default=timezone.now)
    finished = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-id"]
        constraints = [models.UniqueConstraint(fields=["parent", "part"], name="each_part_once")]

    @property
    def active(self) -> bool:
        """Whether it is waiting or at work."""
        return self.state in (self.QUEUED, self.RUNNING)
