"""Names that tell objects apart."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence


def unique_names(names: Sequence[str], files: Sequence[str]) -> list[str]:
    """Object names, with the file in front where a name is not unique, and a number behind where
    that is not either.

    Examples
    --------
    >>> unique_names(["lid", "pot", "lid", "lid"], ["a.obj", "a.obj", "b.obj", "b.obj"])
    ['a.obj/lid', 'pot', 'b.obj/lid', 'b.obj/lid (2)']
    """
    times = Counter(names)
    taken = {name for name, count in times.items() if count == 1}
    out = []
    for name, file in zip(names, files, strict=True):
        found = name
        if times[name] > 1:
            found, number = f"{file}/{name}", 1
            while found in taken:
                number += 1
                found = f"{file}/{name} ({number})"
            taken.add(found)
        out.append(found)
    return out
