"""The example package, installed beside the program: its operation, format, check and profile are at every door."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from pathlib import Path

import pytest

from tests.core.meshes import QUAD_OBJ

pytestmark = pytest.mark.slow
ROOT = Path(__file__).parents[2]
DOORS = """
import json
import django; django.setup()
from django.test import Client
from django.urls import resolve
from drf_spectacular.generators import SchemaGenerator
from quilt_cli.reference import page
from quilt_core.check.findings import FINDING_KINDS
from quilt_core.textures.profile import BUILT_IN
from studio.jobs.kinds import work_of
schema = SchemaGenerator().get_schema(request=None, public=True)
listed = Client().get("/api/operations/").json()
print(json.dumps({
    "view": resolve("/api/atlases/1/tally/").func.cls.__name__, "work": work_of("tally")[1].__name__, "page": "## tally" in page(),
    "request": schema["components"]["schemas"]["TallyIn"]["properties"]["least"]["maximum"],
    "result": list(schema["components"]["schemas"]["TallyResult"]["properties"]),
    "listed": [one["options"][0]["name"] for one in listed if one["name"] == "tally"],
    "kind": FINDING_KINDS["narrow"].severity, "profile": [p.role for p in BUILT_IN["studio mask"].images],
}))
"""
BROKEN = """
from quilt_core.check.findings import AddedCheck
from quilt_core.formats.mesh_format import MeshFormat

def look(case):
    raise RuntimeError("no")

ANGRY = AddedCheck("angry", {}, look)
THIEF = MeshFormat("thief", (".obj",), look, look)
"""
TRIANGLES = (
    "0 0 0 0 0\n1 0 0 0.5 0\n0 1 0 0 0.5\n0 0 1 0.6 0.6\n1 0 1 0.9 0.6\n0 0.001 1 0.6 0.6002\n"
)


@pytest.fixture(scope="module")
def package(tmp_path_factory):
    """The example, and a package of things that are broken, as an installer leaves them."""
    folder = tmp_path_factory.mktemp("beside")
    source = folder / "source"
    subprocess.run(["cp", "-r", str(ROOT / "docs/example-plugin"), str(source)], check=True)
    subprocess.run(
        [sys.executable, "-m", "pip", "install", "--quiet", "--no-deps", "--no-index", "--no-build-isolation",
         "--target", str(folder), str(source)],
        check=True,
    )  # fmt: skip
    facts = folder / "broken-1.0.dist-info"
    facts.mkdir()
    (folder / "broken_things.py").write_text(BROKEN)
    (facts / "METADATA").write_text("Metadata-Version: 2.1\nName: broken\nVersion: 1.0\n")
    (facts / "entry_points.txt").write_text(
        "[untold_quilt.operations]\nlost = nowhere:NOTHING\n"
        "[untold_quilt.formats]\nodd = json:dumps\nthief = broken_things:THIEF\n"
        "[untold_quilt.checks]\nangry = broken_things:ANGRY\n"
    )
    return folder


def called(package, *words, **more):
    paths = os.pathsep.join([str(package), str(ROOT)])
    environment = {**os.environ, "PYTHONPATH": paths, "DJANGO_SETTINGS_MODULE": "tests.settings"}
    return subprocess.run(
        [sys.executable, *words], env=environment, capture_output=True, text=True, cwd=package, **more
    )  # fmt: skip


def command(package, *words):
    return called(package, "-m", "quilt_cli.main", *words)


def test_an_operation_is_on_the_command_line_and_in_a_run_sheet(package):
    (package / "props.obj").write_bytes(QUAD_OBJ)
    told = command(package, "tally", "props.obj", "--least", "1", "--json")
    assert told.returncode == 0, told.stderr
    assert json.loads(told.stdout)["objects"] == 2
    assert "“lost”, operations of the package broken, cannot be loaded" in told.stderr
    assert "--least N" in command(package, "tally", "--help").stdout
    (package / "s.toml").write_text(
        'version = 1\n[[line]]\nname = "a"\nfiles = ["props.obj"]\nsteps = [{ do = "tally", least = 1 }]\n'
    )
    ran = command(package, "run", "s.toml")
    assert ran.returncode == 0, ran.stderr


def test_everything_is_in_the_api_and_its_description(package):
    told = called(package, "-c", DOORS)
    assert told.returncode == 0, told.stderr[-2000:]
    assert json.loads(told.stdout.strip().splitlines()[-1]) == {
        "view": "TallyJob", "work": "_ask", "page": True, "request": 1_000_000, "result": ["objects"],
        "listed": ["least"], "kind": "warning", "profile": ["colour", "mask"],
    }  # fmt: skip


def test_a_format_is_packed_and_written_back(package):
    (package / "two.corners").write_text(TRIANGLES)
    told = command(
        package,
        "pack",
        "two.corners",
        "--out",
        "packed",
        "--size",
        "512",
        "--effort",
        "quick",
        "--json",
    )
    assert told.returncode == 0, told.stderr
    assert "“odd”, formats of the package broken, is no MeshFormat" in told.stderr
    assert "“thief”, formats of the package broken, is left out: there is “.obj”" in told.stderr
    rows = [line.split() for line in (package / "packed/two.corners").read_text().splitlines()]
    old = [line.split() for line in TRIANGLES.splitlines()]
    assert [row[:3] for row in rows] == [row[:3] for row in old]
    assert [row[3:] for row in rows] != [row[3:] for row in old]
    assert (
        command(package, "unwrap", "two.corners", "--which", "all", "--out", "unwrapped").returncode
        == 0
    )
    refused = command(package, "merge", "two.corners", "--out", "merged")
    assert refused.returncode != 0 and "Traceback" not in refused.stderr, refused.stderr
    (package / "notes.toml").write_text("version = 1\n")
    unknown = command(package, "inspect", "notes.toml")
    assert ".obj, .gltf, .glb or .corners" in unknown.stderr


def test_a_check_finds_and_one_that_fails_is_left_out(package):
    (package / "thin.corners").write_text(TRIANGLES)
    told = command(package, "check", "thin.corners", "--size", "1024", "--json")
    found = json.loads(told.stdout)
    assert [
        row["island"] for row in found["atlases"][0]["findings"] if row["kind"] == "narrow"
    ] == [2], found
    assert "The check “angry” failed and is left out" in told.stderr
    only = command(
        package, "check", "thin.corners", "--size", "1024", "--ignore", "narrow", "--json"
    )
    assert not any(
        row["kind"] == "narrow" for row in json.loads(only.stdout)["atlases"][0]["findings"]
    )
