"""Who acts, and what they may: the one rule that the API, jobs and commands obey.

Without accounts whoever reaches the installation may do everything. With them everybody has a role in a project: viewers
look and comment, editors change, owners also say who may. Commands of the installation's own machine act for nobody, and
may do everything.
"""

from __future__ import annotations

import hashlib
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass
from typing import Any

from django.conf import settings

from studio.actions.errors import Missing, Refused
from studio.models import Membership, Project

ANYONE, ACCOUNT = "anyone", "account"
"""What is about no project: open to all, or to whoever has an account."""
VIEWER, EDITOR, OWNER = Membership.VIEWER, Membership.EDITOR, Membership.OWNER
RANK = {VIEWER: 1, EDITOR: 2, OWNER: 3}
MAY = {
    VIEWER: "look at it and comment",
    EDITOR: "change it",
    OWNER: "say who may see and change it",
}


@dataclass(frozen=True)
class Actor:
    """Who acts.

    Parameters
    ----------
    user : int, optional
        Id of the account; none for nobody who is logged in.
    name : str
    writes : bool
        Whether more than looking is granted, as to a token for reading it is not.
    project : int, optional
        The only project that a token is for.
    """

    user: int | None
    name: str
    writes: bool = True
    project: int | None = None


class Forbidden(Refused):
    """It is there, but not for this role."""

    status = 403


_now: ContextVar[Actor | None] = ContextVar("actor", default=None)


@contextmanager
def acting(actor: Actor | None) -> Iterator[None]:
    """Do something for someone."""
    token = _now.set(actor)
    try:
        yield
    finally:
        _now.reset(token)


def digest_of(word: str) -> str:
    """What is kept of a secret word."""
    return hashlib.sha256(word.encode()).hexdigest()


def acting_now() -> Actor | None:
    """Who acts."""
    return _now.get()


def acting_user() -> int | None:
    """Id of the account that acts; none for nobody in particular."""
    actor = _now.get()
    return actor.user if actor else None


def author() -> str:
    """The name under which a step goes into the history."""
    actor = _now.get()
    return actor.name if settings.ACCOUNTS and actor else "you"


def role_in(project_id: int, user: int | None) -> str:
    """The role of an account in a project; empty for none."""
    found = Membership.objects.filter(project=project_id, user=user).values_list("role", flat=True)
    return found.first() or ""


def require(project_id: int, role: str) -> None:
    """Look whether who acts may do in a project what this role may.

    Raises
    ------
    Missing
        When the project is not theirs: it is not even told that it is there.
    Forbidden
        When their role does not do.
    """
    actor = _now.get()
    if not settings.ACCOUNTS or actor is None:
        return
    own = role_in(project_id, actor.user)
    if not own or actor.project not in (None, project_id):
        raise Missing
    if role != VIEWER and not actor.writes:
        raise Forbidden("This token is for reading.", "token", "Use one that may write.")
    if RANK[own] < RANK[role]:
        raise Forbidden(
            f"As {own} you cannot {MAY[role]}.", Project.objects.get(pk=project_id).name,
            "Ask an owner of the project for another role.",
        )  # fmt: skip


def visible_projects(rows: Any) -> Any:
    """Those of some projects that who acts may see."""
    actor = _now.get()
    if not settings.ACCOUNTS or actor is None:
        return rows
    mine = rows.filter(memberships__user=actor.user)
    return mine.filter(pk=actor.project) if actor.project else mine


def own(project: Project) -> None:
    """Whoever has made a project owns it."""
    user, actor = acting_user(), _now.get()
    if actor and actor.project is not None:
        raise Forbidden("This token is for one project.", "token", "Use one for all of them.")
    if user is not None:
        Membership.objects.create(project=project, user_id=user, role=OWNER)
