"""Text of OBJ and MTL files: its encoding, its lines and words."""

from __future__ import annotations

import codecs
import re

from quilt_core.scene.types import IntArray

MARKS = (
    (codecs.BOM_UTF32_LE, "utf-32-le"), (codecs.BOM_UTF32_BE, "utf-32-be"), (codecs.BOM_UTF16_LE, "utf-16-le"),
    (codecs.BOM_UTF16_BE, "utf-16-be"),
)  # fmt: skip
"""Byte order marks and what follows them; that of UTF-32 begins as that of UTF-16 does."""


def as_utf8(data: bytes) -> bytes:
    """The text in UTF-8: files with the mark of UTF-16 or UTF-32 are converted, others stay as they
    are."""
    for mark, encoding in MARKS:
        if data.startswith(mark):
            return data[len(mark) :].decode(encoding, "replace").encode()
    return data


def split_logical(data: bytes) -> list[bytes]:
    """Lines with their ends; a line ending in a backslash is joined with the next one."""
    lines = data.splitlines(keepends=True)
    if lines and lines[0].startswith(codecs.BOM_UTF8):
        lines[:1] = [codecs.BOM_UTF8, lines[0][3:]]
    if b"\\\n" not in data and b"\\\r" not in data:
        return lines
    joined: list[bytes] = []
    carry = b""
    for line in lines:
        carry += line
        if not line.rstrip(b"\r\n").endswith(b"\\"):
            joined.append(carry)
            carry = b""
    return joined + [carry] if carry else joined


LIBRARY = b"mtllib"
LINE = re.compile(rb"(?:\\\r?\n|[^\r\n])*")
"""A line to its end, with those that it goes on in."""


def library_names(text: bytes) -> list[str]:
    """Material files that an OBJ names."""
    names = []
    text = text.removeprefix(codecs.BOM_UTF8)
    at = text.find(LIBRARY)
    while at >= 0:
        start = at
        while start and text[start - 1] in b" \t":
            start -= 1
        found = LINE.match(text, at)
        if found and (not start or text[start - 1] in b"\r\n") and (name := rest_of(found[0])):
            names.append(name)
        at = text.find(LIBRARY, at + 1)
    return names


def rest_of(line: bytes) -> str:
    """What follows the word of a line."""
    parts = line.decode("utf-8", "replace").strip().split(None, 1)
    return parts[1] if len(parts) > 1 else ""


def line_number(lines: list[bytes], logical: int) -> int:
    """Line in the file, from 1, at which a logical line starts."""
    return 1 + sum(line.count(b"\\\n") + line.count(b"\\\r") + 1 for line in lines[:logical])


def words(line: bytes) -> list[bytes]:
    """The words of a logical line without its keyword."""
    if b"\\" in line:
        line = re.sub(rb"\\\r?\n", b" ", line)
    if b"#" in line:
        line = line.partition(b"#")[0]
    return line.split()[1:]


def all_words(lines: list[bytes], where: IntArray) -> list[list[bytes]]:
    """The words of many logical lines; the plain way where no line needs care."""
    chosen = [lines[i] for i in where.tolist()]
    joined = b"".join(chosen)
    if b"\\" in joined or b"#" in joined:
        return [words(line) for line in chosen]
    return [line.split()[1:] for line in chosen]


def encoded_as(before: bytes, text: bytes) -> bytes:
    """Text in UTF-8 with the mark and in the encoding of other data."""
    for mark, encoding in MARKS:
        if before.startswith(mark):
            return mark + text.decode("utf-8", "replace").encode(encoding)
    return text
