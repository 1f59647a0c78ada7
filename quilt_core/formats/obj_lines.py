"""Lines of an OBJ as arrays: what each begins with, and the numbers of many lines at once."""

from __future__ import annotations

import numpy as np

from quilt_core.formats._plain_numbers import decimals, integers, is_space, word_begins
from quilt_core.scene.types import BoolArray, Bytes, FloatArray, IntArray

BLANK = ord(" ")
SLASH = ord("/")
BACKSLASH, HASH = ord("\\"), ord("#")
"""Lines with these are read word by word: they go on in the next one, or end in a remark."""
LONGEST = 8
"""Letters and a space that are looked for at the beginning of a line at most."""


class ObjLines:
    """The logical lines of an OBJ.

    Parameters
    ----------
    lines : list of bytes
        With their ends, as `split_logical` returns them.
    """

    def __init__(self, lines: list[bytes]) -> None:
        self.lines = lines
        self._bytes = np.frombuffer(b"".join([*lines, b"\n" * LONGEST]), np.uint8)
        self._sizes = np.fromiter(map(len, lines), np.int64, len(lines))
        starts = np.cumsum(self._sizes) - self._sizes
        self._indent = np.zeros(len(lines), np.int64)
        for i in np.flatnonzero(is_space(self._bytes[starts])).tolist():
            # A blank line begins with nothing, not with what the next one begins with.
            text = lines[i].lstrip()
            self._indent[i] = len(lines[i]) - len(text) if text else 0
        self._heads = starts + self._indent
        self._asked: tuple[IntArray | None, tuple[Bytes, IntArray] | None] = None, None

    def beginning(self, word: bytes, ends: bytes = b"") -> IntArray:
        """Lines that begin with a word of up to seven letters, with one of `ends` behind it where there are any."""
        there: BoolArray = np.ones(len(self.lines), bool)
        for k, letter in enumerate(word):
            there &= self._bytes[self._heads + k] == letter
        if ends:
            there &= np.isin(self._bytes[self._heads + len(word)], list(ends))
        return np.flatnonzero(there)

    def words(self, which: IntArray, keyword: int) -> tuple[Bytes, IntArray] | None:
        """Text of lines without their keyword of so many letters, and how many words each has; None where a line needs care."""
        if not len(which):
            return np.empty(0, np.uint8), np.empty(0, np.int64)
        if which is self._asked[0]:
            return self._asked[1]
        own, found = self._text(which, keyword), None
        if not ((own == BACKSLASH) | (own == HASH)).any():
            begins = np.flatnonzero(word_begins(own))
            ends = np.cumsum(self._sizes[which])
            found = own, np.diff(np.searchsorted(begins, ends), prepend=0)
        self._asked = which, found
        return found

    def numbers(self, which: IntArray, keyword: int, want: int) -> FloatArray | None:
        """(N, want) first numbers of lines that all have as many; None where they are not so plain."""
        found = self.words(which, keyword)
        if found is None:
            return None
        text, counts = found
        if not len(which):
            return np.empty((0, want))
        each = int(counts[0])
        if each < want or (counts != each).any():
            return None
        flat = decimals(text)
        if flat is None:
            try:
                words = text.tobytes().split()
                flat = np.fromiter(map(float, words), np.float64, each * len(which))
            except ValueError:
                return None
        return flat.reshape(-1, each)[:, :want].copy()

    def corners(self, which: IntArray) -> tuple[IntArray, IntArray, bool] | None:
        """Words of each face line, and the (C, 1 to 3) numbers of all corners, with whether the second of two is that of a
        normal; None where they are written in different ways."""
        found = self.words(which, 1)
        if found is None:
            return None
        text, counts = found
        slash = text == SLASH
        slashes = np.diff(
            np.searchsorted(
                np.flatnonzero(slash), np.append(np.flatnonzero(word_begins(text)), len(text))
            )
        )
        each = int(slashes[0]) if len(slashes) else 0
        double = int((slash[1:] & slash[:-1]).sum())
        if each > 2 or (slashes != each).any() or double not in (0, len(slashes)):
            return None
        width = 2 if double else each + 1
        flat = integers(np.where(slash, np.uint8(BLANK), text))
        if flat is None or len(flat) != width * len(slashes):
            return None
        return counts, flat.reshape(-1, width), bool(double)

    def _text(self, which: IntArray, keyword: int) -> Bytes:
        """Bytes of some lines, with blanks for their keyword."""
        chosen = np.zeros(len(self.lines), bool)
        chosen[which] = True
        own = self._bytes[:-LONGEST][np.repeat(chosen, self._sizes)]
        sizes = self._sizes[which]
        heads = np.cumsum(sizes) - sizes + self._indent[which]
        for k in range(keyword):
            own[heads + k] = BLANK
        return np.asarray(own)
