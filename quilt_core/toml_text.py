"""TOML from anybody, read within bounds."""

from __future__ import annotations

import re
import tomllib
from typing import Any

MOST_BYTES = 1 << 20
MOST_PARTS = 16
"""Of a key with dots: the reader takes time with the square of their number."""
_LONG_KEY = re.compile(rf"^[ \t\[]*(?:[\w\"'-]+[ \t]*\.[ \t]*){{{MOST_PARTS}}}", re.MULTILINE)


def read_toml(data: bytes) -> dict[str, Any]:
    """What a TOML file says.

    Raises
    ------
    ValueError
        In words, where it is none, or beyond the bounds.
    """
    if len(data) > MOST_BYTES:
        raise ValueError(f"It has {len(data) / 1e6:,.1f} MB, more than {MOST_BYTES / 1e6:,.1f} MB.")
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError:
        raise ValueError("It is not UTF-8.") from None
    if _LONG_KEY.search(text):
        raise ValueError(f"A key in it has more than {MOST_PARTS} parts.")
    try:
        return tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        raise ValueError(f"It is no TOML: {error}.") from None
    except RecursionError:
        raise ValueError("It is nested too deeply.") from None
