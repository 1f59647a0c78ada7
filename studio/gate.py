"""Where accounts are kept: who asks, and whether the project that an address is about is theirs.

Every address of the API names what it is about by one number. From it follows the project, and from the project the role
of who asks; each view says in `roles` which one its methods want. This is looked up here once, before any view; actions look
again (`studio.actions.access`), so that jobs and commands obey the same rule.
"""

from __future__ import annotations

from collections.abc import Callable
from datetime import timedelta
from typing import Any

from django.conf import settings
from django.http import HttpRequest, HttpResponse
from django.utils import timezone

from studio.actions.access import (
    ACCOUNT,
    ANYONE,
    RANK,
    VIEWER,
    Actor,
    Forbidden,
    acting,
    acting_now,
    digest_of,
    require,
)
from studio.actions.errors import Missing
from studio.middleware import Next, refuse
from studio.models import (
    ApiToken,
    Atlas,
    Invitation,
    Job,
    MeshObject,
    Note,
    Preset,
    Revision,
    RunLine,
    SavedProfile,
    Source,
)

SESSION = "account"
"""What a request holds: who is logged in by a session."""
OF: dict[str, Callable[[int], Any]] = {
    "project_id": lambda pk: pk,
    "atlas_id": lambda pk: Atlas.objects.filter(pk=pk).values_list("project", flat=True).first(),
    "revision_id": lambda pk: _through(Revision, pk, "atlas__project"),
    "draft_id": lambda pk: _through(Revision, pk, "atlas__project"),
    "job_id": lambda pk: _through(Job, pk, "project"),
    "preset_id": lambda pk: _through(Preset, pk, "project"),
    "profile_id": lambda pk: _through(SavedProfile, pk, "project"),
    "line_id": lambda pk: _through(RunLine, pk, "project"),
    "source_id": lambda pk: _through(Source, pk, "project"),
    "object_id": lambda pk: _through(MeshObject, pk, "project"),
    "invitation_id": lambda pk: _through(Invitation, pk, "project"),
    "note_id": lambda pk: _through(Note, pk, "project"),
}
"""The project of each kind of number in an address."""
SAFE = ("GET", "HEAD", "OPTIONS")


def _through(model: Any, pk: int, path: str) -> Any:
    return model.objects.filter(pk=pk).values_list(path, flat=True).first()


class People:
    """Sets who acts, and lets nobody into what is not theirs."""

    def __init__(self, get_response: Next) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        if not settings.ACCOUNTS:
            return self.get_response(request)
        setattr(request, SESSION, request.user)
        actor = _actor_of(request)
        if actor is None and request.path.startswith("/metrics"):
            return refuse(401, "You are not logged in.", "Log in, or show a token.")
        with acting(actor or Actor(None, "")):
            return self.get_response(request)

    def process_view(
        self, request: HttpRequest, view: Any, args: Any, kwargs: dict[str, Any]
    ) -> HttpResponse | None:
        """Look whether who asks may, by what the view says of itself."""
        if not settings.ACCOUNTS or not request.path.startswith("/api/"):
            return None
        about = [name for name in kwargs if name in OF]
        role, actor = role_of(view, request.method or "", bool(about)), acting_now()
        if role == ANYONE:
            return None
        if actor is None or actor.user is None:
            return refuse(401, "You are not logged in.", "Log in, or show a token.")
        if request.method not in SAFE and not actor.writes:
            return refuse(403, "This token is for reading.", "Use one that may write.")
        if role not in (ACCOUNT, *RANK) or (role in RANK) != bool(about):
            return refuse(
                403, "Nobody may do this.", "Report it: the address does not say who may."
            )
        for name in about:
            project = OF[name](int(kwargs[name]))
            try:
                if project is None:
                    raise Missing
                require(int(project), role)
            except Missing:
                return refuse(404, "It is not here (any more).", "Go back to the list of projects.")
            except Forbidden as error:
                return refuse(403, error.what, error.fix)
        return None


def role_of(view: Any, method: str, about: bool) -> str:
    """What one must be to call a view in some way; "" where it does not say."""
    known = getattr(view, "cls", None)
    asked = "GET" if method in ("HEAD", "OPTIONS") else method
    if not hasattr(known, asked.lower()):
        return VIEWER if about else ACCOUNT  # it answers that there is no such method
    return str(getattr(known, "roles", {}).get(asked, ""))


def _actor_of(request: HttpRequest) -> Actor | None:
    kind, _, given = request.headers.get("Authorization", "").partition(" ")
    if kind == "Bearer" and given:
        return _actor_of_token(given)
    user = request.user
    return Actor(user.pk, user.get_username()) if user.is_authenticated else None


def _actor_of_token(given: str) -> Actor | None:
    now = timezone.now()
    row = ApiToken.objects.filter(digest=digest_of(given)).select_related("user").first()
    if row is None or not row.user.is_active or (row.expires and row.expires < now):
        return None
    if row.used is None or now - row.used > timedelta(hours=1):
        ApiToken.objects.filter(pk=row.pk).update(used=now)
    return Actor(row.user_id, row.user.get_username(), row.scope == ApiToken.WRITE, row.project_id)
