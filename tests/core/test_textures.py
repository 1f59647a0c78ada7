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
