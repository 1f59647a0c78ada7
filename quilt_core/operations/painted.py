"""Which objects are painted for another layout than the one that is written: their textures do not fit the new UVs."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from typing import Any

import numpy as np

from quilt_core.document.document import Document
from quilt_core.document.layout import Layout
from quilt_core.document.state import spans
from quilt_core.scene.placement import IDENTITY
from quilt_core.scene.types import BoolArray, FloatArray
from quilt_core.textures.materials import REPEAT

Facts = Mapping[str, Any]
SAME = 1e-6
"""Tiles within which an island lies where it was painted: a fiftieth of a texel of a tile of 16384."""


def painted_elsewhere(
    layout: Layout, facts: Callable[[int], Facts], to_channel: int | None = None
) -> list[str]:
    """Objects of a layout whose textures are read at UVs that are not where they were painted.

    Parameters
    ----------
    layout : Layout
    facts : callable
        What is known of a source's materials by its key, see `quilt_core.formats.file_materials.facts_of`.
    to_channel : int, optional
        UV channel that is written to, from 1; without it that of each object.

    Returns
    -------
    list of str
        Their names, each once.
    """
    out: list[str] = []
    for member, span in zip(layout.members, spans(layout.state.members), strict=True):
        target = member.row.target if to_channel is None else to_channel - 1
        rows = layout.placements[slice(*span)]
        # New UVs that nothing moved are those of the file, unless they come from another channel.
        elsewhere = member.made or target != member.channel
        if member.name in out or not (elsewhere or _moved(rows).any()):
            continue
        known = facts(member.source)
        bindings = list(_bindings(known, member.number, target))
        whole = not elsewhere and all(tuple(wrap) == (REPEAT, REPEAT) for wrap in bindings)
        if bindings and not (whole and not _moved(_within(rows)).any()):
            out.append(member.name)
    return out


def misfit_notes(document: Document, to_channel: int | None = None) -> list[str]:
    """The same of files that are written, in words: nothing where all textures fit."""
    from quilt_core.formats.file_materials import facts_of

    known: dict[int, Facts] = {}

    def facts(key: int) -> Facts:
        if key not in known:
            source = document.sources[key]
            known[key] = facts_of(source.scene(), source.siblings(), source.changes)
        return known[key]

    found = [
        name for layout in document.layouts for name in painted_elsewhere(layout, facts, to_channel)
    ]
    return [f"{in_words(found)} {MERGE}"] if found else []


MOST_NAMES = 4
MERGE = "“merge” writes textures that fit."


def in_words(names: list[str]) -> str:
    """That these objects are painted for another layout."""
    shown = ", ".join(names[:MOST_NAMES])
    more = f" and {len(names) - MOST_NAMES} more" if len(names) > MOST_NAMES else ""
    verb = "is" if len(names) == 1 else "are"
    return f"{shown}{more} {verb} painted for the UVs as they were: the textures do not fit these."


def _bindings(facts: Facts, number: int, channel: int) -> Iterable[tuple[int, int]]:
    """How textures of an object that are read at a channel go on beyond their edge; none where its file has no such UVs."""
    if channel >= facts["channels"][number]:
        return
    for material in facts["objects"][number]["materials"]:
        for _, read_at, _, wrap, _ in facts["materials"][material]["bindings"].values():
            if read_at == channel:
                yield wrap[0], wrap[1]


def _moved(placements: FloatArray) -> BoolArray:
    return np.asarray(np.abs(placements - IDENTITY).max(axis=(1, 2), initial=0.0) > SAME)


def _within(placements: FloatArray) -> FloatArray:
    """Placements without whole tiles: a texture that repeats is the same there."""
    out = placements.copy()
    out[:, :, 2] -= np.round(out[:, :, 2])
    return out
