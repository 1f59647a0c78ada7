"""Staves of a barrel in their order, upright; checked on the UVs that are written, in plain Python."""

import json
import math

import numpy as np
import pytest

from quilt_cli.main import main

STAVES = 7
AXES = {"x": (1, 2, 0), "y": (2, 0, 1), "z": (0, 1, 2)}


def barrel(tmp_path, axis, order, angles=None, mirror=(), left=0.2, step=0.09):
    """Staves round an axis as islands of their own, anyhow on the tile: turned, in another order.

    Two cyclic axes (a, b) span the ring so that a, b and the axis are right-handed; the stave's foot is at 0.
    """
    a, b, up = AXES[axis]
    lines = ["o barrel"]
    for k in range(STAVES):
        at = math.radians(40 * k)  # a gap between the last and the first
        for turn, height in ((-0.2, 0), (0.2, 0), (0.2, 1), (-0.2, 1)):
            point = [0.0, 0.0, 0.0]
            point[a], point[b], point[up] = math.cos(at + turn), math.sin(at + turn), height
            lines.append("v " + " ".join(f"{x:.9f}" for x in point))
    box = [(0, 0), (0.04, 0), (0.04, 0.12), (0, 0.12)]
    for k in range(STAVES):
        place = order.index(k)
        turn = (0.9 * k) if angles is None else angles[k]
        cos, sin = math.cos(turn), math.sin(turn)
        side = -1 if k in mirror else 1
        for u, v in box:
            u *= side
            x, y = cos * u - sin * v, sin * u + cos * v
            lines.append(f"vt {left + step * place + x:.9f} {0.5 + y:.9f}")
    for k in range(STAVES):
        lines.append("f " + " ".join(f"{4 * k + c}/{4 * k + c}" for c in range(1, 5)))
    file = tmp_path / "barrel.obj"
    file.write_text("\n".join(lines) + "\n")
    return file


def laid(tmp_path, capsys, file, *more):
    code = main(
        ["in-order", str(file), "--islands", "barrel", "--size", "1000", "--padding", "10", "--margin", "5",
         "--out", str(tmp_path / "out"), "--json", *more]
    )  # fmt: skip
    told = json.loads(capsys.readouterr().out)
    rows = [line.split() for line in (tmp_path / "out/barrel.obj").read_text().splitlines()]
    uv = [tuple(map(float, r[1:3])) for r in rows if r and r[0] == "vt"]
    return code, told, np.array([[uv[int(c.split("/")[1]) - 1] for c in r[1:]] for r in rows if r and r[0] == "f"])  # fmt: skip


@pytest.mark.parametrize("axis", AXES)
@pytest.mark.parametrize("asked", ["best", "same"])
def test_staves_stand_upright_in_their_order_from_the_left(tmp_path, capsys, axis, asked):
    file = barrel(tmp_path, axis, [4, 0, 6, 2, 5, 1, 3], mirror=(2,))
    code, told, faces = laid(tmp_path, capsys, file, "--axis", axis if asked == "same" else "best")
    assert code == 0 and told["islands"] == STAVES
    assert np.abs(told["axis"]).argmax() == AXES[axis][2]
    # Feet down, heads up: the foot's middle straight below the head's.
    foot, head = faces[:, :2].mean(axis=1), faces[:, 2:].mean(axis=1)
    assert np.allclose(head - foot, [0, 0.12], atol=1e-6)
    # Against the clock seen from above is to the right seen from outside.
    assert np.argsort(faces[:, :, 0].min(axis=1)).tolist() == list(range(STAVES))
    left, right = faces[:, :, 0].min(axis=1), faces[:, :, 0].max(axis=1)
    assert np.allclose(left[1:] - right[:-1], 0.010, atol=1e-6)
    assert np.allclose(faces[:, :, 1].max(axis=1), faces[:, :, 1].max(), atol=1e-6)


def test_rows_that_are_full_go_on_below(tmp_path, capsys):
    file = barrel(tmp_path, "y", [0, 1, 2, 3, 4, 5, 6], [0.0] * STAVES, left=0.8, step=0.01)
    _, _, faces = laid(tmp_path, capsys, file, "--axis", "y")
    assert faces.reshape(-1, 2)[:, 0].max() <= 0.995 + 1e-9
    tops = np.round(faces[:, :, 1].max(axis=1), 6)
    rows = np.unique(tops)[::-1]
    assert len(rows) > 1 and tops.tolist() == sorted(tops, reverse=True)
    assert rows[0] - rows[1] == pytest.approx(0.12 + 0.010, abs=1e-6)


def test_turns_stay_where_they_are_asked_to(tmp_path, capsys):
    file = barrel(tmp_path, "y", [0, 1, 2, 3, 4, 5, 6])
    _, _, faces = laid(tmp_path, capsys, file, "--no-upright")
    way = faces[:, 3] - faces[:, 0]
    assert np.allclose(np.arctan2(-way[:, 0], way[:, 1]) % (2 * np.pi), (0.9 * np.arange(STAVES)) % (2 * np.pi), atol=1e-5)  # fmt: skip
    assert (
        main(["in-order", str(file), "--islands", "barrel:1", "--out", str(tmp_path / "no")]) == 2
    )
    assert "alone has no order" in capsys.readouterr().err
