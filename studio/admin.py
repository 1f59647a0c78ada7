"""Django's admin: accounts, projects, jobs and what went wrong with them."""

from __future__ import annotations

from typing import Any

from django.contrib import admin
from django.http import HttpRequest

from studio.models import ApiToken, Invitation, Job, Membership, Project


class Members(admin.TabularInline):  # type: ignore[type-arg]
    """Who may see and change a project."""

    model = Membership
    extra = 0


class ReadOnly(admin.ModelAdmin):  # type: ignore[type-arg]
    """Rows to look at: nothing of the history is written by hand."""

    def has_add_permission(self, request: HttpRequest) -> bool:
        return False

    def has_change_permission(self, request: HttpRequest, obj: Any = None) -> bool:
        return False


@admin.register(Project)
class Projects(admin.ModelAdmin):  # type: ignore[type-arg]
    """Projects and their members."""

    list_display = ("id", "name", "created", "deleted", "stored")
    fields = ("deleted",)
    inlines = (Members,)

    @admin.display(description="files, MB")
    def stored(self, project: Project) -> str:
        """Size of what was brought in."""
        return f"{sum(project.sources.values_list('size', flat=True)) / 1e6:,.1f}"

    def has_add_permission(self, request: HttpRequest) -> bool:
        return False


@admin.register(Job)
class Jobs(ReadOnly):
    """Jobs: which failed, which take long, who does them."""

    list_display = (
        "id",
        "project",
        "kind",
        "state",
        "message",
        "attempts",
        "worker",
        "user",
        "created",
        "took",
    )
    list_filter = ("state", "kind")
    exclude = ("preview",)

    @admin.display(description="s")
    def took(self, job: Job) -> str:
        """Seconds from its creation to its end."""
        return f"{(job.finished - job.created).total_seconds():.1f}" if job.finished else ""


@admin.register(Invitation)
class Invitations(ReadOnly):
    """Invitations that are open or were used."""

    list_display = ("id", "project", "role", "note", "by", "expires", "used")
    exclude = ("digest",)


@admin.register(ApiToken)
class Tokens(ReadOnly):
    """Tokens of pipelines."""

    list_display = ("id", "user", "name", "scope", "project", "expires", "used")
    exclude = ("digest",)
