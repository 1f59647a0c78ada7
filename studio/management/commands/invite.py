"""Print a link by which someone makes an account, or joins a project."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand, CommandError, CommandParser

from studio.actions.people.invite import invite
from studio.models import Membership, Project


class Command(BaseCommand):
    """`manage.py invite`: the way in for the first people of an installation."""

    help = "Print a link that opens an account once; with --project it also gives a role there."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--project", type=int, default=None, help="its number")
        parser.add_argument("--role", choices=[r for r, _ in Membership.ROLES], default="owner")
        parser.add_argument(
            "--days", type=float, default=7.0, help="until it expires (7, at most 30)"
        )
        parser.add_argument(
            "--address", default="http://127.0.0.1:8000", help="of the installation"
        )

    def handle(self, *args: Any, **options: Any) -> None:
        if not settings.ACCOUNTS:
            raise CommandError("Accounts are not kept here: set QUILT_ACCOUNTS=1.")
        project = None
        if options["project"] is not None:
            project = Project.objects.filter(pk=options["project"]).first()
            if project is None:
                raise CommandError(f"There is no project {options['project']}.")
        _, word = invite(project, options["role"], "by command", options["days"])
        self.stdout.write(f"{options['address'].rstrip('/')}/join/{word}")
