"""Remove what nothing refers to."""

from __future__ import annotations

from typing import Any

from django.core.management.base import BaseCommand

from studio.actions.project.clean_projects import KEPT, clear


class Command(BaseCommand):
    """`manage.py clear_files`."""

    help = f"Forget projects deleted more than {KEPT.days} days ago, and remove stored files that nothing refers to."

    def handle(self, *args: Any, **options: Any) -> None:
        projects, files = clear()
        self.stdout.write(f"{projects} projects and {files} files removed.")
