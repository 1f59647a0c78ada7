"""Textures: what is drawn for each tile, and the layered file by the text of its specification."""

from __future__ import annotations

import io
import json
import xml.etree.ElementTree as ET
import zipfile

import numpy as np
import pytest
from PIL import Image

from quilt_cli.main import main
from quilt_core.errors import LayoutError
from quilt_core.operations.textures import Textures
from quilt_core.sheet.template import face_edges
from quilt_core.sheet.texture_sheets import id_colours

OBJ = """o one
v 0 0 0
v 1 0 0
v 1 1 0
v 0 1 0
vt 0.125 0.125
vt 0.375 0.125
vt 0.375 0.375
vt 0.125 0.375
vt 1.5 0.5
vt 1.75 0.5
vt 1.75 0.75
vt 1.5 0.75
f 1/1 2/2 3/3 4/4
o two
v 0 0 1
v 1 0 1
v 1 1 1
v 0 1 1
f 5/5 6/6 7/7 8/8
"""


def run(tmp_path, capsys, *options: str):
    (tmp_path / "two.obj").write_text(OBJ)
    out = tmp_path / "out"
    code = main(["textures", str(tmp_path / "two.obj"), "--out", str(out), "--json", *options])
    return code, json.loads(capsys.readouterr().out), out


def test_each_tile_has_a_picture_of_its_own_size(tmp_path, capsys):
    code, answer, out = run(
        tmp_path, capsys, "--kinds", "blank", "checker", "id", "--tiles", "1001:64", "1002:128x64",
        "--colour", "#ff8000", "--padding", "4",
    )  # fmt: skip
    assert code == 0
    assert {(r["kind"], r["tile"], r["width"], r["height"]) for r in answer["textures"]} == {
        (kind, *tile)
        for kind in ("blank", "checker", "id")
        for tile in ((1001, 64, 64), (1002, 128, 64))
    }
    blank = np.asarray(Image.open(out / "set_blank.1001.png"))
    assert (blank == (255, 128, 0)).all()
    ids = np.asarray(Image.open(out / "set_id.1002.png"))
    # A quarter of the tile's width and height from (0.5, 0.5), and two px around it, round corners.
    rows, columns = np.nonzero(ids[..., 3])
    assert (columns.min(), columns.max(), rows.min(), rows.max()) == (62, 97, 14, 33)
    assert len(np.unique(ids[ids[..., 3] > 0], axis=0)) == 1
    first = np.asarray(Image.open(out / "set_id.1001.png"))
    assert (first[48, 16] != ids[24, 80]).any(), "objects differ"


def test_a_blank_picture_has_the_channels_and_bits_that_were_asked_for(tmp_path, capsys):
    for channels, bits, mode in (("grey", 8, "L"), ("rgba", 8, "RGBA"), ("grey", 16, "I;16")):
        _, _, out = run(
            tmp_path, capsys, "--kinds", "blank", "--size", "32", "--colour", "#00ff0080",
            "--channels", channels, "--bits", str(bits), "--tiles", "1001:32",
        )  # fmt: skip
        image = Image.open(out / "set_blank.png")
        assert image.mode == mode
        # Green has 0.7152 of the luma (ITU-R BT.709).
        wanted = {"L": 182, "RGBA": (0, 255, 0, 128), "I;16": round(0.7152 * 65535)}[mode]
        assert image.getpixel((5, 5)) == wanted


def test_layers_are_an_openraster_file(tmp_path, capsys):
    Image.new("RGB", (32, 32), (1, 2, 3)).save(tmp_path / "old.1001.png")
    Image.new("RGB", (64, 64), (1, 2, 3)).save(tmp_path / "old.1002.png")
    code, _, out = run(
        tmp_path, capsys, "--kinds", "layers", "--size", "64",
        "--background", str(tmp_path / "old.{tile}.png"), "--naming", "{role}.{tile}",
    )  # fmt: skip
    assert code == 0
    with zipfile.ZipFile(out / "layers.1001.ora") as archive:
        entries = archive.infolist()
        assert entries[0].filename == "mimetype" and entries[0].compress_type == 0
        assert archive.read("mimetype") == b"image/openraster"
        root = ET.fromstring(archive.read("stack.xml"))
        assert (root.tag, root.get("w"), root.get("h")) == ("image", "64", "64")
        layers = root.findall("stack/layer")
        assert [layer.get("name") for layer in layers] == ["one", "carried image"]
        images = [Image.open(io.BytesIO(archive.read(layer.get("src")))) for layer in layers]
        merged = Image.new("RGBA", (64, 64))
        for layer, pixels in reversed(list(zip(layers, images, strict=True))):
            at = (int(layer.get("x")), int(layer.get("y")))
            merged.alpha_composite(pixels.convert("RGBA"), at)
        whole = Image.open(io.BytesIO(archive.read("mergedimage.png")))
        np.testing.assert_array_equal(np.asarray(merged), np.asarray(whole))
        assert whole.getpixel((0, 0)) == (1, 2, 3, 255)
        assert Image.open(io.BytesIO(archive.read("Thumbnails/thumbnail.png"))).size <= (256, 256)


@pytest.mark.slow
def test_ids_never_meet():
    assert len(np.unique(id_colours(20_000), axis=0)) == 20_000


@pytest.mark.parametrize(
    "bad",
    [{"kinds": ("x",)}, {"colour": "nonsense"}, {"bits": 9}, {"by": "x"}, {"channels": "cmyk"}],
)
def test_what_cannot_be_drawn_says_why(bad):
    with pytest.raises(LayoutError):
        Textures(**bad)


def test_without_a_background_the_path_is_told(tmp_path, capsys):
    code, answer, _ = run(tmp_path, capsys, "--kinds", "layers", "--background", "nowhere.png")
    assert code == 2 and answer["error"]["where"] == "nowhere.png"


def test_a_template_has_edges_of_faces_on_a_clear_ground(tmp_path, capsys):
    code, _, out = run(
        tmp_path, capsys, "--kinds", "template", "--tiles", "1001:256", "--line", "2",
    )  # fmt: skip
    assert code == 0
    drawn = np.asarray(Image.open(out / "set_template.png"))
    assert drawn.shape == (256, 256, 4)
    alpha = drawn[..., 3]
    # The square of UVs 1/8 to 3/8 has its sides at 32 and 96 px, from the lower left.
    left, right, low, high = 32, 96, 256 - 32, 256 - 96
    assert alpha[high + 20, left] == 255
    assert alpha[low, left + 20] > 128
    middle = alpha[high + 8 : low - 8, left + 8 : right - 8]
    assert not middle.any(), "neither ground nor the diagonal of a face is drawn"
    assert not alpha[:140].any()


def test_a_template_as_vectors_has_a_group_for_each_object(tmp_path, capsys):
    code, _, out = run(
        tmp_path, capsys, "--kinds", "vectors", "--tiles", "1001:256", "1002:512", "--labels",
    )  # fmt: skip
    assert code == 0
    space = "{http://www.w3.org/2000/svg}"
    found = {}
    for tile, name in ((1001, "one"), (1002, "two")):
        root = ET.parse(out / f"set_vectors.{tile}.svg").getroot()
        (group,) = root.iter(f"{space}g")
        assert group.findtext(f"{space}title") == name
        assert group.findtext(f"{space}text") == name
        found[name] = {p.get("class"): p for p in group.iter(f"{space}path")}
        assert {kind: p.get("d").count("M") for kind, p in found[name].items()} == {
            "faces": 4,
            "borders": 4,
        }
    assert found["one"]["faces"].get("stroke") != found["two"]["faces"].get("stroke")
    wide = [float(found["one"][kind].get("stroke-width")) for kind in ("faces", "borders")]
    assert wide == [1, 2]
    assert "M32.000 224.000L96.000 224.000" in found["one"]["borders"].get("d")


def test_inner_edges_of_a_template_are_drawn_once():
    # Two quads beside one another: seven edges, of which one is between them.
    quads = np.array([[[0, 0], [1, 0], [1, 1], [0, 1]], [[1, 0], [2, 0], [2, 1], [1, 1]]], float)
    triangles = np.concatenate([[q[[0, 1, 2]], q[[0, 2, 3]]] for q in quads])
    assert len(face_edges(triangles, np.array([0, 0, 1, 1]))[0]) == 7
    assert len(face_edges(triangles, np.arange(4))[0]) == 9


def test_a_grid_of_tiles_is_asked_for_at_once(tmp_path, capsys):
    # UDIM: 1001 + column + 10 x row, so ten columns and two rows end at 1020.
    code, answer, _ = run(
        tmp_path, capsys, "--kinds", "blank", "--grid", "10x2", "--size", "32", "--tiles", "1003:64",
    )  # fmt: skip
    assert code == 0
    sizes = {row["tile"]: (row["width"], row["height"]) for row in answer["textures"]}
    assert sizes == {n: (64, 64) if n == 1003 else (32, 32) for n in range(1001, 1021)}


@pytest.mark.parametrize("grid", ["0x2", "11x1", "2x", "ten"])
def test_a_grid_that_there_is_not_is_refused(tmp_path, capsys, grid):
    code, answer, out = run(tmp_path, capsys, "--grid", grid)
    assert code == 2
    assert "columns" in answer["error"]["fix"]
    assert not out.exists()
