"""``untold-quilt``: operations on mesh files and run sheets.

Exit code 0: done. 1: done, with findings. 2: bad input. 3: an unexpected failure of the program. 130: stopped with Ctrl+C.
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

from quilt_cli.parser import UsageError, build, flag_of
from quilt_cli.shown import shown
from quilt_core.errors import QuiltError

STOPPED = 130


def main(argv: Sequence[str] | None = None) -> int:
    """Run the command; returns the exit code."""
    words = list(sys.argv[1:] if argv is None else argv)
    as_json = "--json" in words
    try:
        options = build(words).parse_args(words)
        answer, code = run(options)
    except SystemExit as end:  # help and version
        return int(end.code or 0)
    except UsageError as error:
        return _failed(as_json, 2, str(error), "", error.help)
    except QuiltError as error:
        place, fix = error.where, error.fix
        if place.isidentifier():
            place = flag_of(words, place)
        return _failed(as_json, 2, error.what, place, fix)
    except BrokenPipeError:
        return _nobody_reads(0)
    except OSError as error:
        what = f"It cannot be read or written ({error.strerror or error})."
        return _failed(
            as_json, 2, what, str(error.filename or ""), "Check the path, and the room on the disk."
        )
    except KeyboardInterrupt:
        return _failed(as_json, STOPPED, "Stopped.", "", "")
    except MemoryError:
        return _failed(as_json, 3, "There is not enough memory.", "", "Give fewer files at once.")
    except Exception as error:
        return _unexpected(as_json, error)
    return _answered(answer, as_json, code)


def run(options: argparse.Namespace) -> tuple[dict[str, Any], int]:
    """Do what the options say; returns text and JSON answers and the exit code."""
    if options.command == "run":
        from quilt_cli.run_sheet import run_command

        return run_command(options)
    from quilt_cli.files import on_files

    return on_files(options)


def _answered(answer: dict[str, Any], as_json: bool, code: int) -> int:
    text = (
        json.dumps(answer["json"], indent=2, ensure_ascii=False, allow_nan=False)
        if as_json
        else shown("\n".join(answer["text"]))
    )
    try:
        print(text)
        sys.stdout.flush()
    except BrokenPipeError:
        return _nobody_reads(code)
    except UnicodeEncodeError:
        sys.stdout.buffer.write(text.encode("utf-8", "backslashreplace") + b"\n")
    except OSError as error:
        return _failed(False, 2, f"The answer cannot be written ({error.strerror}).", "", "")
    return code


def _unexpected(as_json: bool, error: Exception) -> int:
    place = error.__traceback__
    while place is not None and place.tb_next is not None:
        place = place.tb_next
    where = f"{Path(place.tb_frame.f_code.co_filename).name}:{place.tb_lineno}" if place else ""
    what = (
        f"Something went wrong that should not have ({type(error).__name__}: {str(error)[:200]})."
    )
    return _failed(as_json, 3, what, where, "Please report it.")


def _failed(as_json: bool, code: int, what: str, where: str, fix: str) -> int:
    try:
        print(shown(f"untold-quilt: {QuiltError(what, where, fix)}"), file=sys.stderr)
        if as_json:
            print(json.dumps({"error": {"what": what, "where": where, "fix": fix}}), flush=True)
    except BrokenPipeError:
        return _nobody_reads(code)
    except OSError:
        return code
    return code


def _nobody_reads(code: int) -> int:
    """The other end of the pipe is closed: nothing more can be said; the exit code still tells."""
    try:
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
    except (OSError, ValueError):
        return code
    return code


if __name__ == "__main__":
    sys.exit(main())
