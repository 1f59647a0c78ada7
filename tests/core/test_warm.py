"""Compiled code that names a module which is gone is thrown away; other compiled code stays."""

from __future__ import annotations

import pytest

from quilt_core import warm


@pytest.mark.parametrize(
    ("named", "stays"),
    [(b"quilt_core.place.gap_loops", True), (b"quilt_core.place.gone_loops", False), (b"quilt_core.place._grid", False)],
)  # fmt: skip
def test_compiled_code_of_a_module_that_is_gone_is_thrown_away(tmp_path, monkeypatch, named, stays):
    monkeypatch.setattr(warm, "ROOT", tmp_path)
    kept = tmp_path / "place" / "__pycache__"
    kept.mkdir(parents=True)
    (tmp_path / "place" / "gap_loops.py").write_text("")
    for name, data in (("a.nbi", b"index " + named + b"\x94"), ("a.1.nbc", b"code")):
        (kept / name).write_bytes(data)
    warm.clear_stale()
    assert [path.name for path in sorted(kept.iterdir())] == ["a.1.nbc", "a.nbi"] * stays
