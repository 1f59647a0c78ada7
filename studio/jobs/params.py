"""What a job is asked for: decoded once, when it begins."""

from __future__ import annotations

from typing import Any

import msgspec


class Params(msgspec.Struct, frozen=True, kw_only=True):
    """Of every job on an atlas.

    Parameters
    ----------
    revision : int
        The layout that it begins from.
    revisions : list of int
        Those of all atlases of the project then.
    change : int, optional
        The step that the user saw.
    """

    revision: int = 0
    revisions: list[int] = []
    change: int | None = None


class OperationParams(Params, frozen=True, kw_only=True):
    """Of an operation.

    Parameters
    ----------
    settings : dict
        As JSON has them; the operation decodes them.
    draft : bool
        Whether the layout is kept beside the present one.
    whole : bool
        Whether all atlases of the project are meant.
    """

    settings: dict[str, Any] = {}
    draft: bool = False
    whole: bool = False


class FilesParams(Params, frozen=True, kw_only=True):
    """Of bringing files in.

    Parameters
    ----------
    files : list of (name, key)
        Names, and where their bytes are stored.
    metres_per_unit : float, optional
    """

    files: list[tuple[str, str]] = []
    metres_per_unit: float | None = None


class UpdateParams(FilesParams, frozen=True, kw_only=True):
    """Of bringing a newer version of a file in.

    Parameters
    ----------
    source : int
        Id of the older file.
    folder : str
        Of this machine, in which the newer one lies; "" where it was sent.
    """

    source: int
    folder: str = ""


class BakePartParams(OperationParams, frozen=True, kw_only=True):
    """Of baking some tiles; `tiles` are their numbers."""

    tiles: list[int]


class LineParams(Params, frozen=True, kw_only=True):
    """Of a line of the run sheet; `line` is its id."""

    line: int


class SheetParams(msgspec.Struct, frozen=True, kw_only=True):
    """Of lines of the run sheet; `lines` are their ids."""

    lines: list[int]


class CoverageParams(Params, frozen=True, kw_only=True):
    """Of packing groups of objects for a look.

    Parameters
    ----------
    groups : list of list of int
        Ids of objects.
    padding : float
        px.
    """

    groups: list[list[int]]
    padding: float
