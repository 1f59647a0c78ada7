"""A repeating texture across seams: a texture that repeats reads the same on both sides (glTF 2.0, sampler wrap mode REPEAT: only
the fractional part of a UV counts)."""

import json
import math

import numpy as np
import pytest

from quilt_cli.main import main

SIZE = 1024
WIDTH, HEIGHT = 0.23, 0.4
RING = [(0, 0), (1, 0), (1, 1), (0, 1)]


def turned(corners, angle, at, size=1.0, mirror=1.0):
    cos, sin = math.cos(angle) * size, math.sin(angle) * size
    return [
        (cos * mirror * u - sin * v + at[0], sin * mirror * u + cos * v + at[1]) for u, v in corners
    ]


def pipe(tmp_path, sides, places):
    """Walls of a square pipe, each an island of its own, laid as `places` say."""
    lines = ["o pipe"]
    for x, z in RING:
        lines += [f"v {x} {y} {z}" for y in (0, HEIGHT / WIDTH)]
    box = [(0, 0), (WIDTH, 0), (WIDTH, HEIGHT), (0, HEIGHT)]
    for place in places:
        lines += [f"vt {u!r} {v!r}" for u, v in turned(box, *place)]
    for k in range(sides):
        a, b = 2 * k + 1, 2 * ((k + 1) % 4) + 1
        row = zip((a, b, b + 1, a + 1), range(4 * k + 1, 4 * k + 5), strict=True)
        lines.append("f " + " ".join(f"{v}/{vt}" for v, vt in row))
    file = tmp_path / "pipe.obj"
    file.write_text("\n".join(lines) + "\n")
    return file


def continued(capsys, tmp_path, file, *more):
    code = main(
        ["continue-across", str(file), "--islands", "pipe", "--size", str(SIZE), "--out", str(tmp_path / "out"), "--json", *more]
    )  # fmt: skip
    return code, json.loads(capsys.readouterr().out)


def walls(file):
    """UVs of each face, read in plain Python."""
    rows = [line.split() for line in file.read_text().splitlines()]
    uv = [tuple(map(float, r[1:3])) for r in rows if r and r[0] == "vt"]
    return [[uv[int(c.split("/")[1]) - 1] for c in r[1:]] for r in rows if r and r[0] == "f"]


def painted(u, v, repeats=(1, 1)):
    """A texture that repeats."""
    u, v = u * repeats[0] % 1.0, v * repeats[1] % 1.0
    return math.sin(2 * math.pi * u) + 0.7 * math.cos(2 * math.pi * v + 1) * math.sin(
        4 * math.pi * u
    )


ANYHOW = [(0.0, (0.3, 0.3)), (1.1, (0.6, 0.1), 0.7), (-2.0, (0.4, 0.8), 1.3, -1.0), (0.4, (0.7, 0.5), 0.9)]  # fmt: skip


def test_a_texture_reads_the_same_on_both_sides_of_each_seam(tmp_path, capsys):
    code, told = continued(capsys, tmp_path, pipe(tmp_path, 3, ANYHOW[:3]))
    assert code == 0 and (told["islands"], told["of"], told["seams"]) == (2, 2, 0)
    assert told["misfit_px"] < 0.01
    assert [row["flipped"] for row in told["rows"]].count(True) == 1
    faces = walls(tmp_path / "out/pipe.obj")
    for one, two in zip(faces, faces[1:], strict=False):
        for share in np.linspace(0, 1, 7):
            here, there = (
                [low + share * (high - low) for low, high in zip(face[a], face[b], strict=True)]
                for face, a, b in ((one, 1, 2), (two, 0, 3))
            )
            assert painted(*here) == pytest.approx(painted(*there), abs=1e-4)
    # They have come to one size, and lie within half a repeat of where they were.
    assert [math.dist(f[0], f[1]) for f in faces] == pytest.approx(
        [math.dist(faces[0][0], faces[0][1])] * 3, rel=1e-5
    )
    was = walls(tmp_path / "pipe.obj")
    ways = np.array([np.mean(a, axis=0) - np.mean(b, axis=0) for a, b in zip(faces, was, strict=True)])  # fmt: skip
    assert np.abs(ways).max() < 0.5 + 0.25


@pytest.mark.parametrize(
    ("repeats", "off"),
    # Round the pipe go 4 x 0.23 = 0.92 of a tile: what lacks to whole repeats is off at the last seam.
    [((1, 1), 0.08), ((25, 1), 0.0), ((12.5, 1), 0.04), ((10, 10), 0.02)],
)
def test_what_does_not_come_out_round_a_ring_is_told(tmp_path, capsys, repeats, off):
    file = pipe(tmp_path, 4, [(0.0, (0.1, 0.1)), *[(0.0, (0.5, 0.1 * k)) for k in range(1, 4)]])
    code, told = continued(capsys, tmp_path, file, f"--repeats={repeats[0]},{repeats[1]}")
    assert told["islands"] == 3
    assert told["misfit_px"] == pytest.approx(off * SIZE, abs=0.01)
    assert told["seams"] == (off > 0) == code


def test_turns_and_sizes_that_are_not_allowed_leave_a_misfit(tmp_path, capsys):
    file = pipe(tmp_path, 2, [(0.0, (0.1, 0.1)), (math.pi / 2 + 0.1, (0.6, 0.1), 0.5)])
    _, told = continued(capsys, tmp_path, file, "--rotate", "quarter")
    # Best along the same middle: a side of length h·s, turned by 0.1, against one of length h; s = cos(0.1) is best.
    assert told["misfit_px"] == pytest.approx(SIZE * HEIGHT / 2 * math.sin(0.1), rel=1e-3)
    _, told = continued(capsys, tmp_path, file, "--no-scale")
    assert told["misfit_px"] == pytest.approx(SIZE * HEIGHT / 4, rel=1e-3)


def test_islands_that_are_named_stay(tmp_path, capsys):
    file = pipe(tmp_path, 3, ANYHOW[:3])
    names = sorted({row["against"] for row in continued(capsys, tmp_path, file)[1]["rows"]})
    assert all(name.startswith("pipe") for name in names)
    code, told = continued(capsys, tmp_path, file, "--against", "pipe:3")
    assert code == 0 and told["islands"] == 2
    was, now = walls(file), walls(tmp_path / "out/pipe.obj")
    assert np.allclose(now[2], was[2], atol=1e-6)


def test_what_stays_on_both_sides_of_a_seam_is_not_told(tmp_path, capsys):
    file = pipe(tmp_path, 3, [(0.0, (0.1, 0.1)), (0.0, (0.5, 0.1)), (0.3, (0.2, 0.6))])
    command = ["continue-across", str(file), "--size", "1024", "--out", str(tmp_path / "out"), "--json", "--islands", "pipe:1"]  # fmt: skip
    assert main([*command, "--against", "pipe:2", "--against", "pipe:3"]) == 0
    assert json.loads(capsys.readouterr().out)["misfit_px"] == pytest.approx(0, abs=0.01)


def test_one_alone_is_laid_against_its_neighbour_and_none_without_one(tmp_path, capsys):
    file = pipe(tmp_path, 2, ANYHOW[:2])
    out = str(tmp_path / "out")
    base = ["continue-across", str(file), "--size", "1024", "--out", out]
    assert main([*base, "--islands", "pipe:1"]) == 0
    assert "1 island laid against neighbours" in capsys.readouterr().out
    single = pipe(tmp_path, 1, ANYHOW[:1])
    assert main(["continue-across", str(single), "--islands", "pipe", "--out", out]) == 2
    assert "none can be laid against a neighbour" in capsys.readouterr().err
    assert main([*base, "--islands", "pipe", "--repeats", "0,1"]) == 2
