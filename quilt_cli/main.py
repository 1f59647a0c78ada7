"""``untold-quilt``: inspect, pack and check mesh files.

Exit code 0: done. 1: done, with findings. 2: bad input. Progress goes to stderr, answers to stdout.
"""

from __future__ import annotations

import argparse
import json
import sys
from collections.abc import Sequence
from typing import Any

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
        print(f"untold-quilt: {error}", file=sys.stderr)
        if options.json:
            print(json.dumps({"error": {"what": error.what, "where": error.where, "cure": error.cure}}))
        return 2
    except OSError as error:
        print(f"untold-quilt: {error.filename}: {error.strerror}", file=sys.stderr)
        return 2
    except KeyboardInterrupt:
        print("untold-quilt: stopped", file=sys.stderr)
        return 2
    if options.json:
        print(json.dumps(answer["json"], indent=2, ensure_ascii=False, allow_nan=False))
    else:
        print(answer["text"])
    return code


def run(options: argparse.Namespace) -> tuple[dict[str, Any], int]:
    """Do what the options say; returns text and JSON answers and the exit code."""
    # Compiled code loads slowly, so only what is needed is imported.
    if options.command == "pack":
        from quilt_cli.pack import pack

        return pack(options)
    if options.command == "plan":
        from quilt_cli.plan import plan

        return plan(options)
    if options.command == "inspect":
        from quilt_cli.inspect import inspect

        return inspect(options)
    from quilt_cli.check import check

    return check(options)


if __name__ == "__main__":
    sys.exit(main())
