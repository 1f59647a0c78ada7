"""Put a backup into an empty installation."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser

from quilt_core.errors import QuiltError
from studio.backup import restore, verify


class Command(BaseCommand):
    """`manage.py restore FILE`."""

    help = "Put a backup into an empty installation (after migrate), whole or not at all."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("file", type=Path)
        parser.add_argument(
            "--only-look", action="store_true", help="read it through, change nothing"
        )

    def handle(self, *args: Any, **options: Any) -> None:
        try:
            with options["file"].open("rb") as file:
                (verify if options["only_look"] else restore)(file, self.stdout.write)
        except OSError as error:
            raise CommandError(f"{options['file']}: {error.strerror}.") from None
        except QuiltError as error:
            raise CommandError(str(error)) from None
