"""Where accounts are kept: who asks, and whether the project that an address is about is theirs.

Every address of the API names what it is about by one number. From it follows the project, and from the project the role:
this is looked up here once, before any view; actions look again (`studio.actions.access`), so that jobs and commands obey
the same rule.
"""

from __future__ import annotations

from collections.abc import Callable
from datetime import timedelta
from typing import Any

from django.conf import settings
from django.http import Http404, HttpRequest, HttpResponse
from django.utils import timezone

from studio.actions.access import EDITOR, VIEWER, Actor, Forbidden, acting, mark_of, require
from studio.middleware import Next, refuse
from studio.models import (
    ApiToken,
    Atlas,
    Invitation,
    Job,
    MeshObject,
    Note,
    Recipe,
    Revision,
    RunLine,
    SavedProfile,
    Source,
)

ACCOUNT = "account"
"""What a request holds: who is logged in by a session."""
OF: dict[str, Callable[[int], Any]] = {
    "project_id": lambda pk: pk,
    "atlas_id": lambda pk: Atlas.objects.filter(pk=pk).values_list("project", flat=True).first(),
    "revision_id": lambda pk: _through(Revision, pk, "atlas__project"),
    "draft_id": lambda pk: _through(Revision, pk, "atlas__project"),
    "job_id": lambda pk: _through(Job, pk, "project"),
    "recipe_id": lambda pk: _through(Recipe, pk, "project"),
    "profile_id": lambda pk: _through(SavedProfile, pk, "project"),
    "line_id": lambda pk: _through(RunLine, pk, "project"),
    "source_id": lambda pk: _through(Source, pk, "project"),
    "object_id": lambda pk: _through(MeshObject, pk, "project"),
    "invitation_id": lambda pk: _through(Invitation, pk, "project"),
    "note_id": lambda pk: _through(Note, pk, "project"),
}
"""The project of each kind of number in an address."""
SAFE = ("GET", "HEAD", "OPTIONS")
OPEN = ("/api/me/", "/api/login/", "/api/join/", "/api/checker.png", "/healthz")
"""What is answered to whoever is not logged in, besides the page and what it is made of."""


def _through(model: Any, pk: int, path: str) -> Any:
    return model.objects.filter(pk=pk).values_list(path, flat=True).first()


class People:
    """Sets who acts, and lets nobody into what is not theirs."""

    def __init__(self, get_response: Next) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        if not settings.ACCOUNTS:
            return self.get_response(request)
        setattr(request, ACCOUNT, request.user)
        actor = _actor_of(request)
        asks = request.path.startswith(("/api/", "/metrics"))
        if actor is None and asks and not request.path.startswith(OPEN):
            return refuse(401, "You are not logged in.", "Log in, or show a token.")
        changes = request.method not in SAFE and not request.path.startswith(OPEN)
        if actor and changes and not actor.writes:
            return refuse(403, "This token is for reading.", "Use one that may write.")
        with acting(actor or Actor(None, "")):
            return self.get_response(request)

    def process_view(
        self, request: HttpRequest, view: Any, args: Any, kwargs: dict[str, Any]
    ) -> HttpResponse | None:
        """Look whether what the address is about is theirs."""
        if not settings.ACCOUNTS or not request.path.startswith("/api/"):
            return None
        looks = request.method in SAFE
        role = VIEWER if looks or request.method in _also_viewers(view) else EDITOR
        for name, value in kwargs.items():
            if name not in OF:
                continue
            project = OF[name](int(value))
            try:
                if project is None:
                    raise Http404
                require(int(project), role)
            except Http404:
                return refuse(404, "It is not here (any more).", "Go back to the list of projects.")
            except Forbidden as error:
                return refuse(403, error.what, error.cure)
        return None


def _also_viewers(view: Any) -> tuple[str, ...]:
    """Methods by which whoever may look may also change something, such as notes."""
    return tuple(getattr(getattr(view, "cls", None), "viewers_may", ()))


def _actor_of(request: HttpRequest) -> Actor | None:
    kind, _, given = request.headers.get("Authorization", "").partition(" ")
    if kind == "Bearer" and given:
        return _actor_of_token(given)
    user = request.user
    return Actor(user.pk, user.get_username()) if user.is_authenticated else None


def _actor_of_token(given: str) -> Actor | None:
    now = timezone.now()
    row = ApiToken.objects.filter(mark=mark_of(given)).select_related("user").first()
    if row is None or not row.user.is_active or (row.expires and row.expires < now):
        return None
    if row.used is None or now - row.used > timedelta(hours=1):
        ApiToken.objects.filter(pk=row.pk).update(used=now)
    return Actor(row.user_id, row.user.get_username(), row.scope == ApiToken.WRITE, row.project_id)
