"""What all tests share: work whose length is a matter of taste is short."""

from __future__ import annotations

import pytest
from hypothesis import settings

from quilt_core.bake import visibility
from quilt_core.pack import efforts, freedom
from quilt_core.run import on_files

# On a busy machine any example may take long; no test is about that.
settings.register_profile("busy machine", deadline=None)
settings.load_profile("busy machine")


@pytest.fixture(autouse=True)
def short_work(monkeypatch):
    """What is unwrapped or edited in files is packed quickly afterwards, and few points of a surface are looked at; quick packs make
    one search: how well each does is tested where it is done, with settings of its own."""
    monkeypatch.setattr(freedom, "MANY", 0)
    monkeypatch.setattr(on_files, "MANY", 0)
    monkeypatch.setattr(visibility, "TOTAL", 3000)


@pytest.fixture
def every_search(short_work, monkeypatch):
    """As users, and processes that a test starts, have it: a quick pack also tries what has less freedom."""
    monkeypatch.setattr(freedom, "MANY", efforts.MANY)
