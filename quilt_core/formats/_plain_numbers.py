"""Numbers in plain text, many at once: as exact as Python reads them one by one."""

from __future__ import annotations

import numpy as np

from quilt_core.scene.types import BoolArray, Bytes, FloatArray, IntArray

MINUS, POINT = ord("-"), ord(".")
MOST_DIGITS = 15
"""Whole numbers with so many digits are float64 without rounding; so are powers of ten up to 10**22, so that one division
rounds right (Clinger, How to read floating point numbers accurately, 1990)."""
POWERS = 10.0 ** np.arange(MOST_DIGITS + 1)
FEW_LONG = 0.1
"""More words than this part with more digits, and all are read one by one."""


def is_space(text: Bytes) -> BoolArray:
    """Where a byte parts words, as Python's split takes them."""
    return np.asarray((text - np.uint8(9) < 5) | (text == 32))


def _is_digit(text: Bytes) -> BoolArray:
    return np.asarray(text - np.uint8(ord("0")) < 10)


def word_begins(text: Bytes) -> BoolArray:
    """Where a word begins."""
    space = is_space(text)
    begins = ~space
    begins[1:] &= space[:-1]
    return begins


def integers(text: Bytes) -> IntArray | None:
    """All whole numbers of a text; None where a word is none, or one has more than 15 digits."""
    start, end = _words(text)
    if (
        not _is_digit(text[end - 1]).all()
        or (end - start - (text[start] == MINUS) > MOST_DIGITS).any()
    ):
        return None
    plain = is_space(text) | _is_digit(text) | (text == MINUS)
    if not plain.all() or not _leading(text, start):
        return None
    return _parsed(text, len(start))


def decimals(text: Bytes) -> FloatArray | None:
    """All numbers of a text, without exponents; None where a word is another one, or many have more than 15 digits."""
    start, end = _words(text)
    negative = text[start] == MINUS
    signs, points = text == MINUS, text == POINT
    if not (is_space(text) | _is_digit(text) | signs | points).all() or not _leading(text, start):
        return None
    point = np.flatnonzero(points)
    of = np.searchsorted(start, point, side="right") - 1
    behind = np.zeros(len(start), np.int64)
    behind[of] = end[of] - point - 1
    digits = end - start - negative
    digits[of] -= 1
    long = np.flatnonzero(digits > MOST_DIGITS)
    if (np.diff(of) == 0).any() or (digits < 1).any() or len(long) > FEW_LONG * len(start):
        return None
    words = [text[start[k] : end[k]].tobytes() for k in long.tolist()]
    text = text.copy() if words else text
    for k in long.tolist():
        # In its place goes what can be read as a whole number.
        text[start[k] : end[k]] = ord("0")
        points[start[k] : end[k]] = False
    whole = _parsed(text[~points], len(start))
    if whole is None:
        return None
    behind[long] = 0
    out = whole / POWERS[np.minimum(behind, MOST_DIGITS)]
    out[negative & (whole == 0)] = -0.0
    out[long] = [float(word) for word in words]
    return np.asarray(out)


def _words(text: Bytes) -> tuple[IntArray, IntArray]:
    """Where each word begins and ends."""
    space = is_space(text)
    begins, ends = ~space, ~space
    begins[1:] &= space[:-1]
    ends[:-1] &= space[1:]
    return np.flatnonzero(begins), np.flatnonzero(ends) + 1


def _leading(text: Bytes, start: IntArray) -> bool:
    """Whether a minus stands before a number only."""
    return int((text == MINUS).sum()) == int((text[start] == MINUS).sum())


def _parsed(text: Bytes, count: int) -> IntArray | None:
    if not count:
        return np.empty(0, np.int64)
    found = np.fromstring(text.tobytes(), np.int64, sep=" ")
    return found if len(found) == count else None
