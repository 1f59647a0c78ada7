"""Layout sheets and the checker."""

import io
import xml.etree.ElementTree as ET

import numpy as np
import shapely
from PIL import Image

from quilt_core.sheet import checker, layout_png, layout_svg, object_colours
from quilt_core.sheet.colours import oklch_to_hex
from tests.core.shapes import island_set_of

SVG = "{http://www.w3.org/2000/svg}"


def test_the_png_has_the_size_of_the_texture_and_islands_lie_the_right_way_up():
    image = Image.open(
        io.BytesIO(
            layout_png(island_set_of([shapely.box(0, 0, 0.25, 0.25)]), ["#123456"], 256, 128)
        )
    )
    assert image.size == (256, 128)
    pixels = np.array(image)
    assert pixels[110, 20, 3] == 255
    assert pixels[10, 20, 3] == 0
    assert "#{:02x}{:02x}{:02x}".format(*pixels[110, 20, :3]) == "#123456"


def test_the_svg_has_one_named_group_per_object():
    islands = island_set_of(
        [
            shapely.box(0, 0, 0.2, 0.2),
            shapely.Point(0.5, 0.5).buffer(0.2).difference(shapely.Point(0.5, 0.5).buffer(0.1)),
        ]
    )
    object.__setattr__(islands, "object_index", np.array([0, 1]))
    root = ET.fromstring(
        layout_svg(islands, ["Crate & lid", "Ring"], ["#123456", "#654321"], 512, 512)
    )
    groups = root.findall(f"{SVG}g")
    assert [g.get("id") for g in groups] == ["Crate & lid", "Ring"]
    assert groups[1].find(f"{SVG}path").get("d").count("Z") == 2


def test_the_checker_is_square_and_its_squares_differ():
    image = np.array(Image.open(io.BytesIO(checker(256, 4))).convert("RGB"))
    squares = {
        image[r * 64 : (r + 1) * 64, c * 64 : (c + 1) * 64].tobytes()
        for r in range(4)
        for c in range(4)
    }
    assert len(squares) == 16


def test_colours_of_neighbours_are_far_apart():
    assert len(set(object_colours(range(40)))) == 40
    assert oklch_to_hex(1.0, 0.0, 0.0) == "#ffffff"
    assert oklch_to_hex(0.0, 0.0, 0.0) == "#000000"
