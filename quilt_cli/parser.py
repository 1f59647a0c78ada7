"""The parser of the command line, made from the registry of operations."""

from __future__ import annotations

import argparse
import os
from collections.abc import Sequence
from importlib.metadata import PackageNotFoundError, version
from pathlib import Path
from typing import TYPE_CHECKING, Any, NoReturn

from quilt_core.operations.operation import Operation
from quilt_core.operations.registry import OPERATIONS

if TYPE_CHECKING:
    from quilt_core.options import Option

PROGRAM = "untold-quilt"
SINGLE = ("island", "object")
"""What options name that take one name at a time: files may follow them."""


class UsageError(Exception):
    """Words that are none of the command's."""

    def __init__(self, what: str, help: str = "") -> None:
        self.help = help
        super().__init__(what)


class Parser(argparse.ArgumentParser):
    """Takes no abbreviations, and leaves telling of errors to the caller."""

    def __init__(self, **given: Any) -> None:
        super().__init__(**{**given, "allow_abbrev": False})

    def error(self, message: str) -> NoReturn:
        """Raise `UsageError`."""
        what = message[0].upper() + message[1:]
        raise UsageError(f"{what}.", f"See {self.prog} --help.")


def flag(name: str) -> str:
    """An option as the command line writes it."""
    return "--" + name.replace("_", "-")


def flag_of(words: Sequence[str], name: str) -> str:
    """A setting's option, where the command has it."""
    from quilt_core.run.on_files import file_options

    operation = OPERATIONS.get(words[0]) if words else None
    if operation is None or (name not in file_options(operation) and name not in WRITING):
        return name
    return flag(name)


PROJECT_OUT = "the project file, a name that ends in .quilt"
WRITING = ("out", "in_place", "force")


def build(words: Sequence[str] = ()) -> Parser:
    """The parser of all commands; only the one that is used has its options."""
    parser = Parser(
        prog=PROGRAM,
        description="Even texel density, tight and bake-safe UV layouts, shared textures.",
        epilog=f"{PROGRAM} COMMAND --help tells the options of a command.",
    )
    parser.add_argument("--version", action="version", version=f"{PROGRAM} {_version()}")
    commands = parser.add_subparsers(
        dest="command", required=True, metavar="COMMAND", parser_class=Parser
    )
    wanted = next((word for word in words if not word.startswith("-")), "")
    for operation in OPERATIONS.values():
        own = commands.add_parser(
            operation.name,
            help=operation.help,
            description=operation.help,
            epilog=f"Example: {PROGRAM} {operation.name} {operation.example}",
        )
        if operation.name == wanted or not words:
            add_operation(own, operation)
    add_run(
        commands.add_parser(
            "run", help="Bring a run sheet up to date: what is current is not done again."
        )
    )
    return parser


def _version() -> str:
    try:
        return version(PROGRAM)
    except PackageNotFoundError:
        return "0"


def add_operation(parser: argparse.ArgumentParser, operation: Operation) -> None:
    """Options of an operation on files."""
    from quilt_core.run.on_files import file_options  # loads slowly

    parser.add_argument(
        "files",
        nargs="+",
        type=Path,
        metavar="FILE",
        help=".obj, .gltf or .glb; - for one from stdin; or one project file (.quilt)",
    )
    parser.add_argument("--json", action="store_true", help="the answer as JSON on stdout")
    if operation.files.writes:
        add_writing(parser, operation)
    for one in file_options(operation).values():
        add_option(parser, one)


def add_writing(parser: argparse.ArgumentParser, operation: Operation) -> None:
    """Options about where files go."""
    optional = operation.files.lists
    files = operation.files.writes
    one = ", or a file when there is one input" if files in ("meshes", "both") else ""
    parser.add_argument(
        "--out", type=Path, default=None, metavar="PATH",
        help=PROJECT_OUT if files == "project" else f"a folder{one}{'' if optional else '; needed unless in place'}",
    )  # fmt: skip
    if files in ("meshes", "both"):
        parser.add_argument(
            "--in-place", action="store_true", help="write onto the files that were read"
        )
    parser.add_argument(
        "--force", action="store_true",
        help="overwrite files that this program did not write, or that were changed since",
    )  # fmt: skip


def add_run(parser: argparse.ArgumentParser) -> None:
    """Options of ``run``."""
    parser.add_argument("sheet", type=Path, metavar="SHEET", help="a run sheet, TOML")
    parser.add_argument(
        "--only",
        action="append",
        default=[],
        metavar="NAME",
        help="this line, and what it takes from",
    )
    parser.add_argument(
        "--force",
        action="append",
        default=[],
        metavar="NAME",
        help="do this line even when it is current, and overwrite what was changed by hand",
    )
    parser.add_argument(
        "--undo",
        default=None,
        metavar="NAME",
        help="put the line's result before the last one back",
    )
    parser.add_argument(
        "--dry-run", action="store_true", help="say what is out of date, and why; do nothing"
    )
    parser.add_argument(
        "--jobs", type=int, choices=range(1, 65), default=max(1, min(4, (os.cpu_count() or 2) // 2)), metavar="N",
        help="lines at the same time (half of the cores)",
    )  # fmt: skip
    parser.add_argument(
        "--watch", action="store_true", help="stay, and run again when a file changes"
    )
    parser.add_argument("--json", action="store_true", help="answer as JSON on stdout")


def add_option(parser: argparse.ArgumentParser, one: Option) -> None:
    """An option as an argument. Values stay words: the core reads and checks them."""
    said = help_of(one).replace("%", "%%")
    common: dict[str, Any] = {
        "dest": f"option {one.name}",
        "default": argparse.SUPPRESS,
        "help": said,
    }
    if one.kind == "flag" and not one.many:
        # What is done unless one says otherwise has a word for that, too.
        kind = argparse.BooleanOptionalAction if one.default is True else "store_true"
        parser.add_argument(flag(one.name), action=kind, **common)
        return
    common["metavar"] = metavar(one)
    if one.keyed or (one.many and (one.names in SINGLE or "=" in one.shape or "," in one.shape)):
        parser.add_argument(flag(one.name), action="append", **common)
    elif one.many:
        parser.add_argument(flag(one.name), nargs="+", action="extend", **common)
    elif one.bare is not None:
        parser.add_argument(flag(one.name), nargs="?", const=f"{one.bare:g}", **common)
    else:
        parser.add_argument(flag(one.name), **common)


def metavar(one: Option) -> str:
    """What stands for a value in help."""
    if one.choices and len(one.choices) <= 6 and not one.many:
        return "|".join(map(str, one.choices))
    if one.shape:
        return one.shape
    return {"whole": "N", "number": "X", "choice": "WORD"}.get(one.kind, "TEXT")


def help_of(one: Option) -> str:
    """What an option does, with its values, unit and default."""
    facts = []
    if one.choices and (len(one.choices) > 6 or one.many):
        facts.append(f"of {', '.join(map(str, one.choices))}")
    if one.unit:
        facts.append(one.unit)
    usual = default_words(one)
    if usual:
        facts.append(f"default {usual}")
    return f"{one.help} ({'; '.join(facts)})" if facts else one.help


def default_words(one: Option) -> str:
    """The default as it would be written; "" for none."""
    if one.needed or one.default in (None, False, (), "") or one.default == {}:
        return ""
    if one.default is True:
        return "on"
    value = one.plain(one.default)
    rows = value if isinstance(value, list) else [value]
    return " ".join(f"{row:g}" if isinstance(row, float) else str(row) for row in rows)


def given_options(options: argparse.Namespace) -> dict[str, Any]:
    """Values of options that were given, by their names."""
    prefix = "option "
    return {
        name.removeprefix(prefix): value
        for name, value in vars(options).items()
        if name.startswith(prefix)
    }
