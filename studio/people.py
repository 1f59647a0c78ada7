"""Who may see and change a project, and what they tell one another about it."""

from __future__ import annotations

from django.conf import settings
from django.db import models
from django.utils import timezone


class Membership(models.Model):
    """The role of an account in a project."""

    VIEWER, EDITOR, OWNER = "viewer", "editor", "owner"
    ROLES = [(role, role) for role in (VIEWER, EDITOR, OWNER)]

    project = models.ForeignKey("studio.Project", models.CASCADE, related_name="memberships")
    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="memberships")
    role = models.CharField(max_length=8, choices=ROLES)
    since = models.DateTimeField(default=timezone.now)

    class Meta:
        ordering = ["id"]
        constraints = [
            models.UniqueConstraint(fields=["project", "user"], name="one_role_in_a_project")
        ]


class Invitation(models.Model):
    """A link by which someone gets a role, once and until it expires; only the hash of its word is kept."""

    project = models.ForeignKey(
        "studio.Project", models.CASCADE, null=True, related_name="invitations"
    )
    role = models.CharField(max_length=8, choices=Membership.ROLES, default=Membership.EDITOR)
    note = models.CharField(max_length=120, blank=True, help_text="for whom")
    digest = models.CharField(max_length=64, unique=True, help_text="SHA-256 of the link's word")
    by = models.CharField(max_length=150, blank=True)
    created = models.DateTimeField(default=timezone.now)
    expires = models.DateTimeField()
    used = models.DateTimeField(null=True)

    class Meta:
        ordering = ["id"]


class ApiToken(models.Model):
    """What a pipeline shows instead of a password; only its hash is kept."""

    READ, WRITE = "read", "write"

    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="api_tokens")
    project = models.ForeignKey(
        "studio.Project", models.CASCADE, null=True, help_text="the only one"
    )
    name = models.CharField(max_length=80)
    scope = models.CharField(max_length=5, choices=[(READ, READ), (WRITE, WRITE)], default=READ)
    digest = models.CharField(max_length=64, unique=True)
    created = models.DateTimeField(default=timezone.now)
    expires = models.DateTimeField(null=True)
    used = models.DateTimeField(null=True, help_text="last time, to the hour")

    class Meta:
        ordering = ["id"]


class Note(models.Model):
    """Something said about an island, an object, a finding or an atlas; answers hang on it, and it can be closed."""

    ISLAND, OBJECT, FINDING, ATLAS = "island", "object", "finding", "atlas"

    project = models.ForeignKey("studio.Project", models.CASCADE, related_name="notes")
    atlas = models.ForeignKey("studio.Atlas", models.CASCADE, null=True, related_name="notes")
    answers = models.ForeignKey("self", models.CASCADE, null=True, related_name="replies")
    kind = models.CharField(max_length=8, default=ATLAS)
    object = models.ForeignKey("studio.MeshObject", models.CASCADE, null=True, related_name="+")
    island = models.IntegerField(default=-1, help_text="of the object, from 0")
    finding = models.CharField(max_length=200, blank=True, help_text="its key")
    text = models.TextField(max_length=4000)
    author = models.CharField(max_length=150)
    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.SET_NULL, null=True, related_name="+")
    created = models.DateTimeField(default=timezone.now)
    closed = models.DateTimeField(null=True)

    class Meta:
        ordering = ["id"]


class Presence(models.Model):
    """Who has a project open, and what they have picked; forgotten soon."""

    project = models.ForeignKey("studio.Project", models.CASCADE, related_name="present")
    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="+")
    window = models.CharField(max_length=36, help_text="of the browser")
    atlas = models.IntegerField(default=0)
    stage = models.CharField(max_length=20, blank=True)
    picked = models.JSONField(default=list)
    seen = models.DateTimeField(default=timezone.now)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["project", "window"], name="one_row_for_a_window")
        ]
