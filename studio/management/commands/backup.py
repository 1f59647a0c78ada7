"""Write a backup of the whole installation."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser

from quilt_core.errors import QuiltError
from studio.backup import back_up, verify, write_to


class Command(BaseCommand):
    """`manage.py backup FILE`: people go on working meanwhile."""

    help = "Write a backup of database and stored files into one ZIP, and read it through."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("file", type=Path)

    def handle(self, *args: Any, **options: Any) -> None:
        try:
            made = write_to(options["file"], lambda out: back_up(out, self.stdout.write))
            with options["file"].open("rb") as file:
                verify(file, self.stdout.write)
        except QuiltError as error:
            raise CommandError(str(error)) from None
        if made["missing"]:
            self.stderr.write(f"{len(made['missing'])} stored files were missing already.")
