"""Which low poly objects meet which fine ones."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from quilt_core.bake.settings import BakeSettings
from quilt_core.scene.types import IntArray

SEPARATORS = " ,._-"


def base_name(name: str, ending: str) -> str:
    """What a name is without its ending, for comparing.

    Examples
    --------
    >>> base_name("Lamp_High", "_high"), base_name("lamp_high.001", "_high"), base_name("post", "_low")
    ('lamp', 'lamp', 'post')
    >>> base_name("Storm lamp, high", "_high"), base_name("thigh", "_high")
    ('storm lamp', 'thigh')
    """
    plain = name.strip().lower()
    head, dot, tail = plain.rpartition(".")
    if dot and tail.isdigit():
        plain = head
    word = ending.lower().strip(SEPARATORS)
    rest = plain.removesuffix(word)
    # Between the ending and what comes before it there is something that parts them.
    parted = rest != plain and (rest == "" or rest[-1] in SEPARATORS or word == ending.lower())
    return (rest if parted else plain).strip(SEPARATORS)


def pairs_of(
    low: Sequence[str], high: Sequence[str], settings: BakeSettings
) -> tuple[IntArray, IntArray, list[str]]:
    """Number the pairs.

    Returns
    -------
    (low,) and (high,) int64
        The pair that each object is in. Where names tell nothing everything is one pair.
    list of str
        What the user should know: objects without a partner.
    """
    if not settings.by_name:
        return np.zeros(len(low), np.int64), np.zeros(len(high), np.int64), []
    names = [base_name(name, settings.low_ending) for name in low]
    partners = [base_name(name, settings.high_ending) for name in high]
    if not set(names) & set(partners):
        notes = []
        if len(low) > 1 or len(high) > 1:
            notes.append(
                f"No two names agree but for “{settings.low_ending}” and “{settings.high_ending}”: everything meets everything."
            )
        return np.zeros(len(low), np.int64), np.zeros(len(high), np.int64), notes
    number = {name: k for k, name in enumerate(dict.fromkeys([*names, *partners]))}
    notes = [
        f"“{name}” has no low poly object of its name."
        for name, base in zip(high, partners, strict=True)
        if base not in names
    ]
    return (
        np.array([number[name] for name in names], np.int64),
        np.array([number[name] for name in partners], np.int64),
        notes,
    )
