"""The planner's arithmetic, by hand."""

import json

import numpy as np
import pytest
from PIL import Image

from quilt_cli.main import main
from quilt_core.pack.plan import USUAL_COVERAGE, expected_coverage, full_coverage, plan_tiles


def test_coverage_without_padding_is_the_usual_one():
    for size in (512, 4096):
        assert expected_coverage(50, 0, size, 1) == pytest.approx(USUAL_COVERAGE)
    assert expected_coverage(50, 0, 512, 1, full=0.9) == pytest.approx(0.9)


def test_padding_takes_a_border_around_each_island():
    # 64 islands on 1024 px with 0.64 full: cells of 1024 sqrt(0.64 / 64) = 102.4 px, of which 22.4
    # are padding.
    assert expected_coverage(64, 22.4, 1024, 1, full=0.64) == pytest.approx(64 * 80**2 / 1024**2)
    # Four tiles hold cells of twice the edge.
    assert expected_coverage(64, 22.4, 1024, 4, full=0.64) == pytest.approx(
        64 * 182.4**2 / (4 * 1024**2)
    )
    assert expected_coverage(64, 102.4, 1024, 1, full=0.64) == pytest.approx(0.0)
    assert expected_coverage(64, 500.0, 1024, 1, full=0.64) == 0.0
    assert expected_coverage(0, 10.0, 1024, 1) > 0, "no island counts as one"


def test_density_and_memory_of_each_choice():
    rows = plan_tiles(2.0, 10, 0.0, 512.0, reached=0.5, sizes=(1024, 2048), counts=(1, 4))
    assert [(r.size, r.count) for r in rows] == [(1024, 1), (1024, 4), (2048, 1), (2048, 4)]
    # sqrt(0.5 x 1024^2 / 2 m2) = 512 px/m exactly, which reaches 512.
    assert [r.density for r in rows] == pytest.approx([512, 1024, 1024, 2048])
    assert [r.reaches for r in rows] == [True] * 4
    assert not plan_tiles(2.0, 10, 0.0, 512.01, reached=0.5, sizes=(1024,), counts=(1,))[0].reaches
    first = rows[0]
    # 1024^2 texels, a third more for the mips; 4, 0.5 and 1 bytes a texel (Khronos Data Format
    # Specification for BC1, BC7).
    assert (first.raw, first.bc1, first.bc7) == pytest.approx(
        (5592405.333, 699050.667, 1398101.333)
    )
    assert rows[3].raw == pytest.approx(16 * first.raw)


def test_nothing_to_cover_has_no_density():
    (row,) = plan_tiles(0.0, 0, 4.0, 512.0, sizes=(512,), counts=(1,))
    assert row.density == 0.0
    assert not row.reaches
    assert np.isfinite(row.coverage)


def test_the_usual_choices():
    rows = plan_tiles(1.0, 10, 4.0, 512.0)
    assert {r.size for r in rows} == {512, 1024, 2048, 4096, 8192}
    assert {r.count for r in rows} == {1, 2, 4}
    assert rows[0].coverage == expected_coverage(10, 4.0, 512, 1)


def test_packs_tell_what_other_sizes_will_fill():
    # A pack that filled 64 % at 2048 px with 8 px around 100 islands.
    full = full_coverage(100, 8.0, 2048, 1, 0.64)
    assert expected_coverage(100, 8.0, 2048, 1, full) == pytest.approx(0.64)
    # By hand: sides of 163.84 px and 8 px more; half of that on a sheet half as large.
    assert full == pytest.approx((163.84 + 8) ** 2 * 100 / 2048**2)
    rows = plan_tiles(1.0, 100, 8.0, 512.0, sizes=(2048,), counts=(1, 2), full={1: full})
    assert rows[0].coverage == pytest.approx(0.64)
    assert rows[1].coverage == pytest.approx(expected_coverage(100, 8.0, 2048, 2, full))


SQUARE = b"o slab\nv 0 0 0\nv 2 0 0\nv 2 2 0\nv 0 2 0\nvt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\nf 1/1 2/2 3/3 4/4\n"


def budget(capsys, path, *words):
    code = main(["plan", str(path), "--json", *words])
    return code, json.loads(capsys.readouterr().out)


def test_a_budget_gives_proposals_from_the_cheapest_to_the_densest(tmp_path, capsys):
    (tmp_path / "slab.obj").write_bytes(SQUARE)
    words = (
        "--budget",
        "8MiB",
        "--format",
        "bc7",
        "--maps",
        "2",
        "--coverage",
        "1",
        "--padding",
        "0",
    )
    _, told = budget(capsys, tmp_path / "slab.obj", *words)
    found = told["proposals"]
    assert len(found) >= 5
    # All texels on 4 square metres; blocks of 16 bytes for 4 x 4 texels, down to 1 x 1 (Khronos
    # Data Format Specification): 1024 px have 87,383 of them with all mip levels.
    for row in found:
        assert row["density"] == pytest.approx(row["size"] * row["count"] ** 0.5 / 2, abs=1e-3)
        assert row["memory"] <= 8 * 2**20
    one = [row for row in found if (row["size"], row["count"]) == (1024, 1)]
    assert all(row["memory"] == 2 * 16 * 87_383 for row in one)
    assert [row["memory"] for row in found] == sorted(row["memory"] for row in found)
    assert [row["density"] for row in found] == sorted(row["density"] for row in found)
    # Of all sizes and counts within the budget none is denser than 2 x 1024: a third tile would
    # take 160 bytes more than there are.
    assert found[-1]["density"] == pytest.approx(1024 * 2**0.5 / 2, abs=1e-3)
    assert all(row["lost"] is None for row in found)


def test_texels_that_are_painted_and_lost_are_told(tmp_path, capsys):
    (tmp_path / "slab.obj").write_bytes(b"mtllib slab.mtl\nusemtl paint\n" + SQUARE)
    (tmp_path / "slab.mtl").write_text("newmtl paint\nmap_Kd slab.png\n")
    Image.new("RGB", (1024, 1024)).save(tmp_path / "slab.png")
    words = ("--budget", "64MB", "--format", "raw", "--coverage", "1", "--padding", "0")
    _, told = budget(capsys, tmp_path / "slab.obj", *words)
    lost = {(row["size"], row["count"]): row["lost"] for row in told["proposals"]}
    for (size, count), part in lost.items():
        assert part == pytest.approx(max(0, 1 - count * size**2 / 1024**2), abs=1e-4)
    assert max(lost.values()) > 0.9 and min(lost.values()) == 0


def test_a_budget_that_holds_nothing_is_refused(tmp_path, capsys):
    (tmp_path / "slab.obj").write_bytes(SQUARE)
    code, told = budget(capsys, tmp_path / "slab.obj", "--budget", "1KB")
    assert code == 2 and told["error"]["where"] == "--budget"
    code, told = budget(capsys, tmp_path / "slab.obj", "--budget", "much")
    assert code == 2 and "64MB" in told["error"]["fix"]
