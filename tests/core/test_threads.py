"""Several threads that come first at one time, each time in a process of its own."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

import pytest

ROOT = Path(__file__).resolve().parents[2]
TOGETHER = """
import sys, threading
sys.setswitchinterval(1e-6)
{imports}
gate, wrong = threading.Barrier(12), []
def first():
    gate.wait()
    try:
        {call}
    except Exception as error:
        wrong.append(error)
threads = [threading.Thread(target=first) for _ in range(12)]
for thread in threads: thread.start()
for thread in threads: thread.join()
sys.exit(repr(wrong[0]) if wrong else 0)
"""
CASES = {
    "a glTF": (
        "from quilt_core.formats._gltf_types import decode",
        """decode("a.gltf", b'{"asset": {"version": "2.0"}, "nodes": [{"mesh": 0}], "meshes": [{"primitives": [{"attributes": {}}]}]}')""",
    ),
    "settings of a project file": (
        "from quilt_core.document.project.file import settings_as",
        """settings_as({"name": "Yard", "house_density": 128.0, "tolerance": 0.05, "uv_tolerance": 0.0, "rules": {}}, "yard.quilt")""",
    ),
}


@pytest.mark.parametrize("what", CASES)
def test_the_first_threads_to_read(what):
    imports, call = CASES[what]
    script = TOGETHER.format(imports=imports, call=call)
    done = subprocess.run(
        [sys.executable, "-c", script], cwd=ROOT, capture_output=True, text=True, check=False
    )
    assert done.returncode == 0, done.stderr[-300:]
