"""The page “from files to a nightly run” does what it says: its sheet is written, its commands are run."""

from __future__ import annotations

import json
import re
import shlex
from pathlib import Path

import pytest

from quilt_cli.main import main
from tests.core.nightly_run_samples import tube
from tests.core.run_samples import quad

PAGE = Path(__file__).parents[2] / "docs" / "nightly-run.md"


@pytest.mark.slow
def test_the_page_does_what_it_says(tmp_path, capsys, monkeypatch):
    text = PAGE.read_text(encoding="utf-8")
    (sheet,) = re.findall(r"```toml\n(.*?)```", text, re.DOTALL)
    commands = re.findall(r"^\$ untold-quilt (.*)$", text, re.MULTILINE)
    assert len(commands) == 3
    assets = tmp_path / "assets"
    assets.mkdir()
    (tmp_path / "harbour.toml").write_text(sheet)
    (assets / "yard.obj").write_text(quad(name="Crate"))
    (assets / "lamp_low.obj").write_text(tube(8, 1.0, "lamp_low"))
    (assets / "lamp_high.obj").write_text(tube(64, 1.02, "lamp_high"))
    monkeypatch.chdir(tmp_path)

    def run(words: str):
        code = main(shlex.split(words))
        return code, capsys.readouterr().out

    code, out = run(commands[0])
    assert code == 0 and "yard: out of date: it has not run yet" in out
    assert not (tmp_path / "build").exists()
    code, out = run(commands[1])
    assert code == 0, out
    for file in ("yard/report.html", "lamp/bake_normal.png", "harbour/yard.obj"):
        assert (tmp_path / "build" / file).is_file(), file
    code, out = run(commands[2])
    answer = json.loads(out)
    assert code == 0 and {line["state"] for line in answer["lines"]} == {"current"}
    (assets / "yard.obj").write_text(quad(name="Crate", uv=0.3))
    code, out = run(commands[0])
    assert "yard: out of date: Crate's UVs have changed" in out and "lamp: current" in out
    assert "harbour: out of date: “yard” is out of date" in out
