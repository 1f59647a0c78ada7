"""What tests of gltf are made of, for others too."""

from __future__ import annotations

import json
import shutil
import subprocess
from pathlib import Path

ROOT = Path(__file__).resolve().parents[2]


VALIDATOR = """
const validator = require('gltf-validator'); const fs = require('fs');
const beside = uri => fs.promises.readFile(require('path').join(require('path').dirname(process.argv[1]), uri)).then(b => new Uint8Array(b));
validator.validateBytes(new Uint8Array(fs.readFileSync(process.argv[1])), { externalResourceFunction: beside })
  .then(report => console.log(JSON.stringify(report.issues)));
"""


def validator_errors(glb: bytes, folder: Path) -> list[dict]:
    """Errors that the Khronos validator (npm gltf-validator) finds."""
    path = folder / "out.glb"
    path.write_bytes(glb)
    node = shutil.which("node")
    assert node, "node is needed to run the validator"
    answer = subprocess.run(
        [node, "-e", VALIDATOR, str(path)],
        cwd=ROOT / "web",
        capture_output=True,
        text=True,
        check=True,
    )
    issues = json.loads(answer.stdout)
    return [m for m in issues["messages"] if m["severity"] == 0]
