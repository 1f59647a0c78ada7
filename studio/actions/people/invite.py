"""Invitations: a link gives a role in a project, once and until it expires."""

from __future__ import annotations

import secrets
from datetime import timedelta

from django.contrib.auth.models import User
from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.db import IntegrityError, transaction
from django.utils import timezone

from studio.actions.access import OWNER, VIEWER, acting_user, author, digest_of, require
from studio.actions.errors import Conflict, Refused
from studio.actions.people.names import taken_by
from studio.actions.stop_jobs import cancel_job
from studio.models import Invitation, Job, Membership, Project

LASTS = timedelta(days=7)


def invite(
    project: Project | None, role: str, note: str = "", days: float = 7.0
) -> tuple[Invitation, str]:
    """Make an invitation; its word is told now and never again. Without a project it only opens an account."""
    if project is not None:
        require(project.pk, OWNER)
    word = secrets.token_urlsafe(32)
    row = Invitation.objects.create(
        project=project, role=role, note=note.strip()[:120], digest=digest_of(word), by=author() if acting_user() is not None else "",
        expires=timezone.now() + timedelta(days=min(max(days, 0.01), 30.0)),
    )  # fmt: skip
    return row, word


def invitation_of(word: str) -> Invitation:
    """The invitation of a link.

    Raises
    ------
    Refused
        When there is none, it was used, or it has expired.
    """
    row = Invitation.objects.select_related("project__head").filter(digest=digest_of(word)).first()
    if row is None or row.used or row.expires < timezone.now():
        raise Refused(
            "This invitation does not hold (any more).", "", "Ask whoever sent it for a new one."
        )
    return row


@transaction.atomic
def join(word: str, user: User | None, name: str = "", password: str = "") -> User:
    """Take an invitation, with the account that is logged in or a new one; returns the account."""
    row = invitation_of(word)
    # Whoever comes first has it.
    if not Invitation.objects.filter(pk=row.pk, used=None).update(used=timezone.now()):
        raise Refused("This invitation has just been used.", "", "Ask for a new one.")
    if user is None:
        user = new_account(name, password)
    if row.project is not None:
        have = Membership.objects.filter(project=row.project, user=user).first()
        if have is None:
            Membership.objects.create(project=row.project, user=user, role=row.role)
    return user


def new_account(name: str, password: str) -> User:
    """An account with a good password.

    Raises
    ------
    Refused
        When the name is taken or the password will not do.
    """
    user = User(username=name.strip())
    try:
        user.clean_fields(exclude=["password"])
        validate_password(password, user)
    except ValidationError as error:
        where = "password" if not hasattr(error, "error_dict") else "name"
        raise Refused(" ".join(error.messages), where, "Choose another one.") from None
    if (other := taken_by(user.username)) is not None:
        raise Conflict(
            "This name is taken." if other == user.username else "This name looks like another one.",
            "name", "Choose another one.",
        )  # fmt: skip
    user.set_password(password)
    try:
        with transaction.atomic():
            user.save()
    except IntegrityError:
        raise Conflict("This name is taken.", "name", "Choose another one.") from None
    return user


@transaction.atomic
def set_role(project: Project, user_id: int, role: str | None) -> None:
    """Give a member another role, or none; the last owner stays. Whoever wants to leave may."""
    leaves = role is None and user_id == acting_user()
    require(project.pk, VIEWER if leaves else OWNER)
    rows = Membership.objects.select_for_update().filter(project=project)
    row = rows.filter(user=user_id).first()
    if row is None:
        raise Refused("This account is no member of the project.", project.name, "Invite it.")
    if row.role == OWNER and role != OWNER and rows.filter(role=OWNER).count() == 1:
        raise Refused(
            "A project has one owner at least.", project.name, "Make somebody else an owner first."
        )
    if role is None:
        row.delete()
    else:
        row.role = role
        row.save(update_fields=["role"])
    if role in (None, VIEWER):
        # What somebody began as an editor does not go on as if they were one.
        begun = Job.objects.filter(
            project=project, user=user_id, parent=None, state__in=(Job.QUEUED, Job.RUNNING)
        )
        for job in begun:
            cancel_job(job, keep=False)
