"""Errors a user can act on: what is wrong, where, and what to do about it."""

from __future__ import annotations


class QuiltError(Exception):
    """A problem in the user's input, told in three parts.

    Parameters
    ----------
    what : str
        The fault, with the value that was wrong.
    where : str
        File and line, or file and object.
    fix : str
        What the user can do.
    """

    def __init__(self, what: str, where: str = "", fix: str = "") -> None:
        self.what = what
        self.where = where
        self.fix = fix
        super().__init__(what)

    def __str__(self) -> str:
        place = f"{self.where}: " if self.where else ""
        fix = f" {self.fix}" if self.fix else ""
        return f"{place}{self.what}{fix}"


class FileFormatError(QuiltError):
    """A file cannot be read as the mesh format that it claims to be."""


class LayoutError(QuiltError):
    """A layout cannot be made with the settings that were asked for."""
