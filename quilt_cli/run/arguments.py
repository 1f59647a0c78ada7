"""Options of ``run``."""

from __future__ import annotations

import argparse
import os
from pathlib import Path


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
        help="do this line even when it is current",
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
