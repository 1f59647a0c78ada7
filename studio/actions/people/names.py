"""Names of accounts that could be taken for one another.

Two names look alike when their skeletons are the same (Unicode Technical Standard 39, section 4), or when only the case
differs; the table of look-alike characters is that of the package `confusable-homoglyphs`.
"""

from __future__ import annotations

import unicodedata
from functools import cache

from django.contrib.auth.models import User


def taken_by(name: str) -> str | None:
    """The account whose name is this one, or could be taken for it."""
    case, look = _case(name), skeleton(name)
    for other in User.objects.values_list("username", flat=True).iterator():
        if _case(other) == case or skeleton(other) == look:
            return str(other)
    return None


def _case(name: str) -> str:
    return unicodedata.normalize("NFKC", name).casefold()


def skeleton(name: str) -> str:
    """What is left of a name when all characters that look alike are one, and those that are not seen are gone.

    Examples
    --------
    >>> skeleton("\\u0430lice") == skeleton("aIice") == skeleton("a\\u200blice")
    True
    >>> skeleton("alice") == skeleton("bob")
    False
    """
    table = _table()
    shown = (c for c in unicodedata.normalize("NFD", name) if unicodedata.category(c) != "Cf")
    once = "".join(table.get(c, c) for c in shown)
    return "".join(table.get(c, c) for c in once)


@cache
def _table() -> dict[str, str]:
    """What stands for each character: of a class the longest text, and of those the first."""
    from confusable_homoglyphs.confusables import confusables_data

    parent: dict[str, str] = {}

    def root(text: str) -> str:
        while parent.setdefault(text, text) != text:
            parent[text] = parent[parent[text]]
            text = parent[text]
        return text

    for one, others in confusables_data.items():
        for other in others:
            a, b = root(one), root(other["c"])
            parent[max(a, b, key=_rank)] = min(a, b, key=_rank)
    return {text: root(text) for text in list(parent) if len(text) == 1}


def _rank(text: str) -> tuple[int, str]:
    return -len(text), text
