"""``untold-quilt``: inspect, pack, check and renumber the UVs of mesh files.

Exit code 0: done. 1: done, with findings. 2: bad input. 3: an unexpected failure of the program.
Progress goes to stderr, answers to stdout.
"""

from __future__ import annotations

import argparse
import json
import os
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import msgspec

from quilt_cli import arguments
from quilt_core.errors import QuiltError


def main(argv: Sequence[str] | None = None) -> int:
    """Run the command; returns the exit code."""
    parser = arguments.build()
    try:
        options = parser.parse_args(argv)
    except SystemExit as end:
        return int(end.code or 0)
    try:
        answer, code = run(options)
    except QuiltError as error:
        return _failed(options, 2, error.what, error.where, error.cure)
    except BrokenPipeError:
        return _nobody_reads(0)
    except OSError as error:
        what = error.strerror or str(error)
        return _failed(
            options,
            2,
            f"It cannot be read or written ({what}).",
            str(error.filename or ""),
            "Check the path.",
        )
    except KeyboardInterrupt:
        return _failed(options, 2, "Stopped.", "", "")
    except MemoryError:
        return _failed(options, 3, "There is not enough memory.", "", "Give fewer files at once.")
    except Exception as error:
        place = error.__traceback__
        while place is not None and place.tb_next is not None:
            place = place.tb_next
        where = f"{Path(place.tb_frame.f_code.co_filename).name}:{place.tb_lineno}" if place else ""
        what = f"Something went wrong that should not have ({type(error).__name__}: {str(error)[:200]})."
        return _failed(options, 3, what, where, "Please report it.")
    try:
        if options.json:
            print(msgspec.json.format(msgspec.json.encode(answer["json"]), indent=2).decode())
        else:
            print(answer["text"])
        sys.stdout.flush()
    except BrokenPipeError:
        return _nobody_reads(code)
    except UnicodeEncodeError:
        text = json.dumps(answer["json"], indent=2) if options.json else str(answer["text"])
        sys.stdout.buffer.write(text.encode("utf-8", "backslashreplace") + b"\n")
    return code


def _failed(options: argparse.Namespace, code: int, what: str, where: str, cure: str) -> int:
    print(f"untold-quilt: {QuiltError(what, where, cure)}", file=sys.stderr)
    if options.json:
        try:
            print(json.dumps({"error": {"what": what, "where": where, "cure": cure}}), flush=True)
        except BrokenPipeError:
            return _nobody_reads(code)
    return code


def _nobody_reads(code: int) -> int:
    """The other end of the pipe is closed: nothing more can be said; the exit code still tells."""
    os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
    return code


def run(options: argparse.Namespace) -> tuple[dict[str, Any], int]:
    """Do what the options say; returns text and JSON answers and the exit code."""
    # Compiled code loads slowly, so only what is needed is imported.
    if options.command == "pack":
        from quilt_cli.pack import pack

        return pack(options)
    if options.command == "channels":
        from quilt_cli.channels import channels

        return channels(options)
    if options.command == "plan":
        from quilt_cli.plan import plan

        return plan(options)
    if options.command == "flatten":
        from quilt_cli.flatten import flatten

        return flatten(options)
    if options.command == "merge":
        from quilt_cli.merge import merge

        return merge(options)
    if options.command == "pictures":
        from quilt_cli.pictures import pictures

        return pictures(options)
    if options.command == "bake":
        from quilt_cli.bake import bake_command

        return bake_command(options)
    if options.command == "again":
        from quilt_cli.again import again

        return again(options)
    if options.command == "run":
        from quilt_cli.run.command import run_command

        return run_command(options)
    if options.command == "seen":
        from quilt_cli.seen import seen_command

        return seen_command(options)
    if options.command == "copy-layout":
        from quilt_cli.copy_layout import copy_layout

        return copy_layout(options)
    if options.command == "inspect":
        from quilt_cli.inspect import inspect

        return inspect(options)
    from quilt_cli.check import check

    return check(options)


if __name__ == "__main__":
    sys.exit(main())
