"""Rooms and arrows: what import-linter does not look at (its contracts are in pyproject.toml)."""

from __future__ import annotations

import re
from pathlib import Path

import grimp
import numpy as np
import pytest
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

ROOT = Path(__file__).resolve().parents[2]


@pytest.fixture(scope="module")
def arrows():
    """Pairs of a module and one that it imports when it runs."""
    graph = grimp.build_graph(
        "quilt_core",
        "quilt_cli",
        "studio",
        "quilt_site",
        "demo",
        exclude_type_checking_imports=True,
    )
    return [(a, b) for a in graph.modules for b in graph.find_modules_directly_imported_by(a)]


def circles(arrows):
    """Groups of modules that import each other, directly or by way of others."""
    names = sorted({name for pair in arrows for name in pair})
    at = {name: k for k, name in enumerate(names)}
    rows, columns = np.array([[at[a], at[b]] for a, b in arrows]).T
    links = coo_array((np.ones(len(rows)), (rows, columns)), shape=(len(names), len(names)))
    count, label = connected_components(links, directed=True, connection="strong")
    groups = [[names[k] for k in np.flatnonzero(label == one)] for one in range(count)]
    return [group for group in groups if len(group) > 1]


def test_no_module_imports_itself_by_way_of_others(arrows):
    assert circles(arrows) == []
    assert circles([("a", "b"), ("b", "c"), ("c", "a"), ("c", "d")]) == [["a", "b", "c"]]


def test_private_modules_are_imported_in_their_own_room_alone(arrows):
    def room(module):
        return module.split(".")[:2] if module.startswith("quilt_core") else module.split(".")[:1]

    private = [(a, b) for a, b in arrows if b.rpartition(".")[2].startswith("_")]
    assert private, "there are some"
    assert [(a, b) for a, b in private if room(a) != room(b)] == []


def test_nobody_below_the_api_knows_http():
    knows = re.compile(r"^\s*from (django\.http|django\.shortcuts|rest_framework)\b", re.M)
    below = [*(ROOT / "studio/actions").rglob("*.py"), *(ROOT / "studio/jobs").rglob("*.py")]
    below += [ROOT / "studio" / f"{name}.py" for name in ("models", "work", "state", "arrays")]
    assert [path.name for path in below if knows.search(path.read_text())] == []
