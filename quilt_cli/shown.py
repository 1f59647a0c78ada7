"""Text for a terminal: what a file calls its objects neither moves the cursor nor turns the line round."""

from __future__ import annotations

import re

_UNSEEN = re.compile(
    "[\x00-\x08\x0b-\x1f\x7f-\x9f\u061c\u200b-\u200f\u202a-\u202e\u2060-\u2069\ufeff]"
)
"""Control signs but for tab and new line, marks of direction, and what has no width."""


def shown(text: str) -> str:
    """The text with such signs written out.

    Examples
    --------
    >>> shown("a\\u202eb")
    'a\\\\u202eb'
    """
    return _UNSEEN.sub(lambda sign: f"\\u{ord(sign[0]):04x}", text)
