"""Newer versions of meshes: what is still there keeps its layout, whatever happened to the rest."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from quilt_cli.main import main
from quilt_core.formats import read_scene
from quilt_core.formats.load import folder_siblings
from quilt_core.scene.mesh import Mesh, UVChannel
from quilt_core.unwrap.again import FACE, NOTHING, SURFACE, TOPOLOGY, layout_again
from tests.core.high_poly import sheet

ASSIMP = Path("/usr/share/assimp/models")


def mesh_of(points: np.ndarray, uv: np.ndarray | None = None) -> Mesh:
    """A mesh of polygons (F, n, 3), no two of which share a vertex, with their UVs."""
    faces, n = points.shape[:2]
    corner = np.arange(faces * n)
    channels = () if uv is None else (UVChannel("UV 1", uv.reshape(-1, 2).copy(), corner),)
    return Mesh(
        points.reshape(-1, 3).copy(),
        np.arange(faces + 1) * n,
        corner,
        channels,
        np.zeros(faces, np.int64),
    )


def tube(columns: int, rows: int):
    """Triangles of a tube and their UVs, cut along a line."""
    return sheet(columns, rows, lambda s, t: (np.cos(2 * np.pi * s), np.sin(2 * np.pi * s), 2 * t))


def test_the_same_topology_keeps_its_uvs_however_it_moved():
    points, uv = tube(12, 4)
    old = mesh_of(points, uv)
    new = mesh_of(points * (1.0, 1.3, 0.8) + 0.01)
    done = layout_again(old, uv.reshape(-1, 2), new)
    np.testing.assert_array_equal(done.uv, uv.reshape(-1, 2))
    assert (done.how == TOPOLOGY).all() and done.new == done.gone == 0
    assert done.moved == pytest.approx(0.4 / 2, abs=0.05)


def test_faces_in_another_order_are_found_at_their_places():
    rng = np.random.default_rng(2)
    points, uv = tube(12, 4)
    order = rng.permutation(len(points))
    turn = rng.integers(0, 3, len(points))
    moved = np.stack([np.roll(points[f], t, axis=0) for f, t in zip(order, turn, strict=True)])
    wanted = np.stack([np.roll(uv[f], t, axis=0) for f, t in zip(order, turn, strict=True)])
    done = layout_again(mesh_of(points, uv), uv.reshape(-1, 2), mesh_of(moved))
    np.testing.assert_array_equal(done.uv, wanted.reshape(-1, 2))
    assert (done.how == FACE).all()


def test_what_is_new_and_what_is_gone_is_told_and_the_rest_stays():
    points, uv = tube(12, 4)
    more, _ = sheet(2, 2, lambda s, t: (5 + s, 0 * s, t))
    kept = np.delete(points, [3, 4, 5], axis=0)
    done = layout_again(
        mesh_of(points, uv), uv.reshape(-1, 2), mesh_of(np.concatenate([kept, more]))
    )
    assert (done.how[: len(kept)] == FACE).all() and (done.how[len(kept) :] == NOTHING).all()
    assert (done.new, done.gone) == (8, 3)
    np.testing.assert_array_equal(
        done.uv[: 3 * len(kept)], np.delete(uv, [3, 4, 5], axis=0).reshape(-1, 2)
    )
    assert np.isnan(done.uv[3 * len(kept) :]).all()


@pytest.mark.slow
def test_a_finer_version_takes_its_uvs_from_the_surface():
    coarse, uv = tube(16, 4)
    fine, wanted = tube(32, 8)
    done = layout_again(mesh_of(coarse, uv), uv.reshape(-1, 2), mesh_of(fine))
    assert np.mean(done.how == SURFACE) > 0.99
    known = np.isfinite(done.uv).all(axis=1)
    # Within a chord of the finer circle; and no face reaches across the cut.
    assert np.abs(done.uv - wanted.reshape(-1, 2))[known].max() < 0.02
    assert np.ptp(done.uv.reshape(-1, 3, 2), axis=1)[done.how == SURFACE].max() < 0.2


def test_other_sides_of_thin_sheets_are_not_taken():
    points, uv = sheet(4, 4, lambda s, t: (s, t, 0 * s))
    back = points[:, ::-1] + (0, 0, 0.002)
    done = layout_again(mesh_of(points, uv), uv.reshape(-1, 2), mesh_of(back + (0.03, 0.02, 0)))
    assert (done.how == NOTHING).all()


def test_nasty_versions_do_no_harm():
    points, uv = tube(6, 2)
    bad = points.copy()
    bad[0, 0] = np.nan
    bad[1] = bad[1, 0]
    bad = np.concatenate([bad, points[:3] + 1e-9])
    done = layout_again(mesh_of(points, uv), uv.reshape(-1, 2), mesh_of(bad))
    assert np.isfinite(done.uv).any() and done.how[0] == NOTHING
    bare = np.full((3 * len(points), 2), np.nan)
    assert layout_again(mesh_of(points, uv), bare, mesh_of(points[::-1])).new == len(points)
    empty = replace(mesh_of(points[:0]), positions=np.zeros((0, 3)))
    assert layout_again(empty, np.zeros((0, 2)), mesh_of(points)).new == len(points)


@pytest.mark.skipif(not ASSIMP.exists(), reason="Debian's assimp-testmodels are not installed")
@pytest.mark.slow
def test_a_real_file_that_was_edited_keeps_its_layout(tmp_path, capsys):
    """Debian's spider: packed, then brought in again with faces in another order, one object less and one more."""
    source = ASSIMP / "OBJ/spider.obj"
    packed = tmp_path / "packed"
    assert (
        main(["pack", str(source), "--out", str(packed), "--effort", "quick", "--size", "1024"])
        == 0
    )
    lines = source.read_text(errors="replace").splitlines()
    faces = [line for line in lines if line.startswith("f ")]
    dropped = set(faces[:40])
    text = [line for line in lines if line not in dropped]
    text += ["o crate", "v 900 0 0", "v 901 0 0", "v 901 1 0", "f -3 -2 -1"]
    newer = tmp_path / "newer" / "spider.obj"
    newer.parent.mkdir()
    newer.write_text("\n".join(text))
    capsys.readouterr()
    code = main(
        [
            "update",
            str(newer),
            "--layout",
            str(packed / "spider.obj"),
            "--out",
            str(tmp_path / "out"),
            "--json",
        ]
    )
    answer = json.loads(capsys.readouterr().out)
    assert (
        code == 1
        and answer["objects"][-1]["object"] == "crate"
        and answer["objects"][-1]["new"] == 1
    )
    assert sum(row["new"] for row in answer["objects"]) == 1

    def corners(path: Path) -> set[tuple[float, ...]]:
        scene = read_scene(path.name, path.read_bytes(), folder_siblings(path.parent))
        return {
            tuple(np.round([*p, *uv], 5))
            for obj in scene.objects
            for p, uv in zip(
                obj.mesh.positions[obj.mesh.corner_vertex],
                obj.mesh.channels[0].per_corner if obj.mesh.channels else [],
                strict=False,
            )
            if np.isfinite(uv).all()
        }

    before, after = corners(packed / "spider.obj"), corners(tmp_path / "out" / "spider.obj")
    assert len(after & before) / len(after) > 0.99
    assert (
        main(
            [
                "update",
                str(newer),
                "--layout",
                str(newer.parent / "none.obj"),
                "--out",
                str(tmp_path / "o2"),
            ]
        )
        == 2
    )


def test_a_mesh_that_grew_says_by_how_much_and_what_that_does_to_its_texels(tmp_path, capsys):
    points, uv = tube(12, 4)

    def drum(factor):
        rows = (points * (1, 1, factor)).reshape(-1, 3)
        lines = [f"v {x:.6f} {y:.6f} {z:.6f}" for x, y, z in rows]
        lines += [f"vt {u:.6f} {v:.6f}" for u, v in uv.reshape(-1, 2)]
        lines += [f"f {a}/{a} {a + 1}/{a + 1} {a + 2}/{a + 2}" for a in range(1, len(rows), 3)]
        return "\n".join(["o Drum", *lines]).encode()

    (tmp_path / "old.obj").write_bytes(drum(1))
    (tmp_path / "new.obj").write_bytes(drum(1.36))
    files = [str(tmp_path / name) for name in ("new.obj", "old.obj")]
    args = ["update", files[0], "--layout", files[1], "--out", str(tmp_path / "out")]
    assert main([*args, "--json"]) == 0
    (row,) = json.loads(capsys.readouterr().out)["objects"]
    assert row["grown"] == pytest.approx([1, 1, 1.36], abs=1e-3)
    # The tube's area grows as its height does: the same texels on 1.36 times the surface.
    assert row["density"] == pytest.approx(1 / np.sqrt(1.36), rel=1e-3)
    assert row["changes"][:2] == ["1.36 × as deep (Z)", "texel density -14%"]
    assert row["stretch"] > row["older_stretch"] or row["older_stretch"] > 1
