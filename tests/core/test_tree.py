"""What is kept in the repository: text, and the screenshots of the docs."""

from __future__ import annotations

import subprocess
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[2]
SCREENSHOTS = "docs/screenshots/"
MOST_BYTES = 500_000
MOST_SCREENSHOTS = 20


def kept() -> list[str]:
    told = subprocess.run(["git", "ls-files", "-z"], cwd=ROOT, capture_output=True, text=True)
    if told.returncode:
        pytest.skip("this is no checkout")
    return [name for name in told.stdout.split("\0") if name and (ROOT / name).is_file()]


def test_no_binary_strayed_in():
    stray = [
        name
        for name in kept()
        if not (name.startswith(SCREENSHOTS) and name.endswith(".png"))
        and b"\0" in (ROOT / name).read_bytes()
    ]
    assert not stray, f"{stray} are binary: make them from text, or leave them out"


def test_files_are_of_a_size_that_can_be_read():
    large = {name: size for name in kept() if (size := (ROOT / name).stat().st_size) > MOST_BYTES}
    assert not large


def test_each_screenshot_is_linked_from_the_readme():
    shots = [name for name in kept() if name.startswith(SCREENSHOTS)]
    readme = (ROOT / "README.md").read_text()
    assert len(shots) < MOST_SCREENSHOTS
    assert not [name for name in shots if name not in readme]
