"""Packages whose names are imported when they are asked for: the web process needs some, without
the compiled loops."""

from __future__ import annotations

from collections.abc import Callable
from importlib import import_module
from typing import Any


def lazily(package: str, homes: dict[str, str]) -> Callable[[str], Any]:
    """A module's ``__getattr__`` (PEP 562) that finds each name in the submodule it lives in.

    Parameters
    ----------
    package : str
        The module's ``__name__``.
    homes : dict
        Name to submodule.
    """

    def find(name: str) -> Any:
        if name not in homes:
            raise AttributeError(f"module {package!r} has no attribute {name!r}")
        return getattr(import_module(f"{package}.{homes[name]}"), name)

    return find
