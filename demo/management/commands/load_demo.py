"""Load the demo project, unless it is there already."""

from __future__ import annotations

from typing import Any

from django.core.management.base import BaseCommand, CommandParser

from demo.diorama import files
from studio.actions.check.measure_layout import measure_revision
from studio.actions.gather.gather_files import gather_files
from studio.actions.project.create_project import create_project
from studio.models import Project
from studio.state import members_of

NAME = "Harbour light · prop set"


class Command(BaseCommand):
    """`manage.py load_demo`."""

    help = "Load the demo project: a harbour lighthouse diorama with faults on purpose."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument(
            "--again", action="store_true", help="load another copy even if one is there"
        )

    def handle(self, *args: Any, **options: Any) -> None:
        if (
            any(p.name == NAME for p in Project.objects.select_related("head"))
            and not options["again"]
        ):
            self.stdout.write("The demo project is there.")
            return
        project = create_project(NAME, house_density=128.0)
        revision = gather_files(project.pk, files())
        measure_revision(revision)
        self.stdout.write(f"Demo project loaded: {len(members_of(revision))} objects.")
