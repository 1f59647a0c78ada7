"""An operation of another package: installed beside the program it is at every door."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from pathlib import Path

import pytest

from tests.core.meshes import QUAD_OBJ

ROOT = Path(__file__).parents[2]
OPERATION = '''
"""Counts objects."""

from dataclasses import dataclass

from quilt_core.operations.operation import FileUse, Operation, figure
from quilt_core.options import option


@dataclass(frozen=True)
class Count:
    least: int = option(1, "faces that an object has at least", low=0, high=1000)


@dataclass(frozen=True)
class Counted:
    objects: int = figure("how many there are")
    ok: bool = True


def run(document, settings, progress):
    faces = [len(member.base_layout().face_island) for member in document.layout.members]
    return Counted(sum(count >= settings.least for count in faces))


def tell(result):
    return [f"{result.objects} objects"]


OWN = Operation(
    name="count", help="Count objects.", home="counting", settings_name="Count", result_name="Counted",
    example="a.obj", files=FileUse(),
)
'''
DOORS = """
import json
import django; django.setup()
from django.test import Client
from django.urls import resolve
from drf_spectacular.generators import SchemaGenerator
from quilt_cli.reference import page
from studio.jobs.kinds import work_of
schema = SchemaGenerator().get_schema(request=None, public=True)
listed = Client().get("/api/operations/").json()
print(json.dumps({
    "view": resolve("/api/atlases/1/count/").func.cls.__name__, "work": work_of("count")[1].__name__, "page": "## count" in page(),
    "request": schema["components"]["schemas"]["CountIn"]["properties"]["least"]["maximum"],
    "result": list(schema["components"]["schemas"]["CountResult"]["properties"]),
    "listed": [one["options"][0]["name"] for one in listed if one["name"] == "count"],
}))
"""


@pytest.fixture
def package(tmp_path):
    """A package with an entry point, as an installer leaves it."""
    (tmp_path / "counting.py").write_text(OPERATION)
    facts = tmp_path / "counting-1.0.dist-info"
    facts.mkdir()
    (facts / "METADATA").write_text("Metadata-Version: 2.1\nName: counting\nVersion: 1.0\n")
    (facts / "entry_points.txt").write_text(
        "[untold_quilt.operations]\ncount = counting:OWN\nbroken = nowhere:NOTHING\n"
    )
    return tmp_path


def called(package, *words, **more):
    paths = os.pathsep.join([str(package), str(ROOT)])
    environment = {**os.environ, "PYTHONPATH": paths, "DJANGO_SETTINGS_MODULE": "tests.settings"}
    return subprocess.run(
        [sys.executable, *words], env=environment, capture_output=True, text=True, cwd=package, **more
    )  # fmt: skip


def test_it_is_on_the_command_line_and_in_a_run_sheet(package):
    (package / "props.obj").write_bytes(QUAD_OBJ)
    told = called(package, "-m", "quilt_cli.main", "count", "props.obj", "--least", "1", "--json")
    assert told.returncode == 0, told.stderr
    assert json.loads(told.stdout)["objects"] == 2
    assert "broken" in told.stderr, "what cannot be loaded is told, and nothing else is lost"
    assert "--least N" in called(package, "-m", "quilt_cli.main", "count", "--help").stdout
    (package / "s.toml").write_text(
        'version = 1\n[[line]]\nname = "a"\nfiles = ["props.obj"]\nsteps = [{ do = "count", least = 1 }]\n'
    )
    ran = called(package, "-m", "quilt_cli.main", "run", "s.toml")
    assert ran.returncode == 0, ran.stderr


def test_it_is_in_the_api_its_description_and_among_the_jobs(package):
    told = called(package, "-c", DOORS)
    assert told.returncode == 0, told.stderr[-2000:]
    assert json.loads(told.stdout.strip().splitlines()[-1]) == {
        "view": "CountJob", "work": "_ask", "page": True, "request": 1000, "result": ["objects"], "listed": ["least"],
    }  # fmt: skip
