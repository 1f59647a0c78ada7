"""Control over the packer from the command line."""

import json

import numpy as np
import pytest

from quilt_cli.main import main
from quilt_core.formats import read_scene
from quilt_core.formats.load import folder_siblings
from quilt_core.scene import TileSize, concatenate, home_tiles, island_set
from quilt_core.scene.placement import identity
from tests.core.meshes import TWO_PARTS

pytestmark = pytest.mark.slow


def plate(name: str, base: int, size: float, corner: float = 0.1) -> str:
    x, s = corner, size / 4
    uvs = [(x, x), (x + s, x), (x + s, x + s), (x, x + s)]
    spots = [(0, 0), (size, 0), (size, size), (0, size)]
    lines = [f"o {name}", *(f"v {a} {b} 0" for a, b in spots), *(f"vt {a} {b}" for a, b in uvs)]
    return "\n".join([*lines, "f " + " ".join(f"{base + k}/{base + k}" for k in range(1, 5))])


@pytest.fixture
def scene(tmp_path):
    """Four square plates of 1, 1, 0.5 and 0.5 m."""
    parts = [
        plate(name, 4 * k, size)
        for k, (name, size) in enumerate(
            [("deck", 1), ("hull", 1), ("post a", 0.5), ("post b", 0.5)]
        )
    ]
    path = tmp_path / "quay.obj"
    path.write_text("\n".join(parts) + "\n")
    return path


def pack(scene, tmp_path, capsys, *options):
    code = main(
        [
            "pack",
            str(scene),
            "--out",
            str(tmp_path / "out"),
            "--effort",
            "quick",
            "--json",
            *options,
        ]
    )
    told = capsys.readouterr()
    answer = json.loads(told.out)
    return code, answer["atlases"][0] if "atlases" in answer else answer, told.err


def islands_of(tmp_path):
    done = read_scene("quay.obj", (tmp_path / "out" / "quay.obj").read_bytes())
    return concatenate([island_set(o, 0, 1.0) for o in done.objects])


def test_tiles_of_two_resolutions_are_filled_and_islands_sent(scene, tmp_path, capsys):
    code, answer, _ = pack(
        scene,
        tmp_path,
        capsys,
        "--tiles",
        "1001:512",
        "1002:256",
        "--send",
        "post*=1002",
        "--sheet",
        str(tmp_path / "s.png"),
    )
    assert code == 0
    found = islands_of(tmp_path)
    home = home_tiles(found, identity(4), (TileSize(1001, 512, 512), TileSize(1002, 256, 256)))
    assert home.tolist() == [0, 0, 1, 1]
    assert [t["islands"] for t in answer["tiles"]] == [2, 2]
    assert answer["tiles"][0]["density"] == pytest.approx(answer["tiles"][1]["density"], rel=1e-5)
    assert (tmp_path / "s.1002.png").exists()
    assert (
        main(["check", str(tmp_path / "out" / "quay.obj"), "--tiles", "1001:512", "1002:256"]) == 0
    )


def test_a_density_takes_the_tiles_that_it_needs(scene, tmp_path, capsys):
    code, answer, _ = pack(
        scene,
        tmp_path,
        capsys,
        "--tiles",
        "1001:256",
        "--density",
        "200",
        "--more-tiles",
        "--padding",
        "4",
    )
    assert code == 0
    assert [t["number"] for t in answer["tiles"]] == [1001, 1002, 1003]
    assert answer["density"] == pytest.approx(200, rel=1e-5)
    code, answer, _ = pack(
        scene, tmp_path, capsys, "--tiles", "1001:256", "--density", "200", "--padding", "4"
    )
    assert code == 1
    assert len(answer["left_over"]) == 2 or len(answer["left_over"]) == 3


def test_locks_and_leaving_out(scene, tmp_path, capsys):
    code, _, _ = pack(
        scene,
        tmp_path,
        capsys,
        "--lock-place",
        "hull",
        "--leave-out",
        "post b:1",
        "--density",
        "keep",
        "--size",
        "512",
    )
    assert code == 0
    found = islands_of(tmp_path)
    box = found.bounds()
    assert box[1] == pytest.approx([0.1, 0.1, 0.35, 0.35])
    assert box[3, 2] < 0


def test_equal_islands_are_stacked(scene, tmp_path, capsys):
    code, answer, _ = pack(scene, tmp_path, capsys, "--stack", "--size", "512")
    assert code == 0
    assert answer["stacks"] == 2
    box = islands_of(tmp_path).bounds()
    assert np.allclose(box[0], box[1], atol=1e-6)
    assert np.allclose(box[2], box[3], atol=1e-6)


def test_bundles_tidiness_and_turns_are_taken(scene, tmp_path, capsys):
    code, answer, _ = pack(
        scene,
        tmp_path,
        capsys,
        "--bundle",
        "post a,post b",
        "--tidy",
        "1",
        "--upright",
        "--mirror",
        "--rotate",
        "free",
        "--free-steps",
        "8",
        "--size",
        "512",
    )
    assert code == 0
    assert answer["gap_px"] >= 4 and answer["padding"] == 4, "as is usual for a tile of 512 px"
    assert 0 <= answer["tidy_cost"] < 0.5


@pytest.mark.parametrize(
    ("options", "said"),
    [
        (["--lock-rotation", "mast"], "“mast” names no island"),
        (["--lock-rotation", "deck:7"], "“deck:7” names no island"),
        (["--send", "deck"], "Give NAME=TILE"),
        (["--send", "deck=1007"], "1007"),
        (["--frozen", "1001"], "Every tile is frozen"),
        (["--tidy", "3"], "3 cannot be used for tidy"),
        (["--free-steps", "0"], "0 cannot be used for free steps"),
        (["--tiles", "1001:64", "1001:64"], "same number"),
        (["--padding", "2000"], "at most 1024 px"),
    ],
)
def test_what_cannot_be_is_told_and_nothing_is_written(scene, tmp_path, capsys, options, said):
    code, answer, err = pack(scene, tmp_path, capsys, *options)
    assert code == 2
    assert said in err
    assert answer["error"]["what"]
    assert not (tmp_path / "out").exists()


def test_the_plan_says_which_tiles_reach_a_density(scene, capsys):
    assert main(["plan", str(scene), "--density", "500", "--json", "--padding", "0"]) == 0
    rows = json.loads(capsys.readouterr().out)["rows"]
    by_size = {(r["size"], r["count"]): r for r in rows}
    # By what quick packs fill, the same at each size without padding; islands have 2.5 m².
    filled = by_size[512, 1]["coverage"]
    assert 0.5 < filled < 1.0 and by_size[4096, 1]["coverage"] == pytest.approx(filled)
    assert by_size[512, 1]["density"] == pytest.approx(512 * np.sqrt(filled / 2.5), rel=1e-4)
    assert main(["plan", str(scene), "--density", "500", "--json", "--coverage", "0.74"]) == 0
    told = json.loads(capsys.readouterr().out)["rows"]
    assert told[0]["density"] == pytest.approx(512 * np.sqrt(0.74 / 2.5), rel=1e-4)
    assert not by_size[512, 1]["reaches"]
    assert by_size[1024, 2]["reaches"]
    assert main(["plan", str(scene), "--density", "1e6"]) == 1


def test_one_bundle_per_object_or_material(tmp_path, capsys):
    parts = [
        plate(f"plank {k}", 4 * k, 0.6).replace(
            "\nf ", f"\nusemtl {'oak' if k % 2 else 'iron'}\nf "
        )
        for k in range(6)
    ]
    path = tmp_path / "quay.obj"
    path.write_text("\n".join(parts) + "\n")
    code, _, _ = pack(path, tmp_path, capsys, "--bundle-by", "material", "--size", "512")
    assert code == 0
    middles = islands_of(tmp_path).bounds().reshape(6, 2, 2).mean(axis=1)
    for oak in (0, 1):
        mine, others = middles[oak::2], middles[1 - oak :: 2]
        low, high = mine.min(axis=0), mine.max(axis=0)
        assert not ((others > low) & (others < high)).all(axis=1).any(), (
            "no plank of the other wood lies among them"
        )
    assert (
        main(
            [
                "pack",
                str(path),
                "--out",
                str(tmp_path / "b"),
                "--effort",
                "quick",
                "--bundle-by",
                "object",
            ]
        )
        == 0
    )


def test_check_takes_rules_and_writes_the_report(scene, tmp_path, capsys):
    rules = tmp_path / "house.json"
    rules.write_text('{"padding": 4, "severity": {"overlap": "warning"}}')
    report = tmp_path / "out" / "report.html"
    assert (
        main(["check", str(scene), "--size", "512", "--rules", str(rules), "--report", str(report)])
        == 0
    )
    text = capsys.readouterr().out
    assert "warning overlap" in text
    assert "ready to bake" in text
    page = report.read_text()
    assert "Ready to bake" in page
    assert "deck" in page
    assert (
        main(
            [
                "check",
                str(scene),
                "--size",
                "512",
                "--rules",
                str(rules),
                "--report",
                str(tmp_path / "p.json"),
                "--house-density",
                "99",
            ]
        )
        == 0
    )
    values = json.loads((tmp_path / "p.json").read_text())
    assert values["rules"]["padding"] == 4
    assert values["totals"]["over-detailed"] == 4
    assert main(["check", str(scene), "--size", "512"]) == 1


@pytest.mark.parametrize(
    ("options", "said"),
    [(["--rules", "none.json"], "no such file"), (["--report", "report.pdf"], "no report"), (["--rules", "quay.obj"], "not JSON")],
)  # fmt: skip
def test_check_refuses_what_it_cannot_use(scene, tmp_path, capsys, monkeypatch, options, said):
    monkeypatch.chdir(tmp_path)
    assert main(["check", str(scene), *options]) == 2
    assert said in capsys.readouterr().err


def test_several_atlases_are_packed_apart_and_written_with_a_material_each(tmp_path, capsys):
    mesh = tmp_path / "board.obj"
    mesh.write_bytes(TWO_PARTS)
    out = tmp_path / "out" / "board.obj"
    sheet = tmp_path / "out" / "sheet.png"
    code = main(
        ["pack", str(mesh), "--out", str(out), "--atlas", "trim=board:2", "--effort", "quick"]
        + ["--sheet", str(sheet), "--json", "--size", "512"]
    )
    answer = json.loads(capsys.readouterr().out)
    assert code == 0
    assert [(row["atlas"], row["islands"]) for row in answer["atlases"]] == [
        ("main", 2),
        ("trim", 1),
    ]
    assert all(row["margin_px"] >= 2 - 1e-3 for row in answer["atlases"])
    assert {p.name for p in out.parent.iterdir()} >= {"sheet.main.png", "sheet.trim.png"}
    scene = read_scene("board.obj", out.read_bytes(), folder_siblings(out.parent))
    mesh = scene.objects[0].mesh
    names = [scene.materials[m].name for m in mesh.face_material]
    assert names == ["wood", "wood_trim", "wood"]
    # The part alone fills a tile of its own as far as it can.
    side = np.ptp(mesh.channels[0].per_corner[4:8], axis=0).max()
    assert side == pytest.approx((512 - 2 * 4) / 512, abs=0.01)


@pytest.mark.parametrize(
    ("given", "said"),
    [
        ("trim", "is not NAME=OBJECT"),
        ("trim=nothing", "names no island"),
        ("=board", "is not NAME"),
    ],
)
def test_an_atlas_that_cannot_be_is_refused(tmp_path, capsys, given, said):
    mesh = tmp_path / "board.obj"
    mesh.write_bytes(TWO_PARTS)
    assert main(["pack", str(mesh), "--out", str(tmp_path / "o.obj"), "--atlas", given]) == 2
    assert said in capsys.readouterr().err
    twice = ["--atlas", "a=board:1", "--atlas", "b=board"]
    assert main(["pack", str(mesh), "--out", str(tmp_path / "o.obj"), *twice]) == 2
