"""Images that materials are given: names that tell their place, roles, and what is carried over then."""

from __future__ import annotations

import io

import numpy as np
import pytest
from PIL import Image

from quilt_core.formats import read_scene
from quilt_core.formats.file_materials import facts_of, material_book
from quilt_core.formats.merge_files import MergeSettings, carry_files
from quilt_core.formats.texture_changes import Known, Place, TextureChange, changed_book, places_for
from quilt_core.pack import PackSettings
from quilt_core.textures.decode import decode
from quilt_core.textures.roles import guess_role
from tests.core.painted import GlbMaker, paint, plates, png


@pytest.mark.parametrize(
    ("name", "role", "stem"),
    [
        ("Crate_BaseColor.png", "baseColor", "Crate"),
        ("crate-base-colour.tga", "baseColor", "crate"),
        ("crate_n.png", "normal", "crate"),
        ("a b_AO.1002.jpg", "occlusion", "a_b"),
        ("folder\\door.metallic.webp", "metal", "door"),
        ("doorAmbientOcclusion.png", "occlusion", "door"),
        ("door_id.png", "id", "door"),
        ("normal.png", "", "normal"),
        ("door.png", "", "door"),
    ],
)
def test_endings_tell_roles(name, role, stem):
    assert guess_role(name) == (role, stem)


def test_names_tell_where_pictures_belong():
    one = Known({2: "tex/Wood Planks.png"}, ["Oil drum", "Rope", ""], [("Coil", [1, 2])])
    two = Known({}, ["oil_drum", "Lamp"])
    assert places_for("wood planks.png", [one, two]) == [Place(0, number=2)]
    # Both files have such a material.
    assert places_for("OilDrum_Normal.png", [one, two]) == [
        Place(0, material=0, role="normal"), Place(1, material=0, role="normal"),
    ]  # fmt: skip
    # By the name of an object: all its materials.
    assert places_for("coil_rough.png", [one]) == [
        Place(0, material=1, role="roughness"), Place(0, material=2, role="roughness"),
    ]  # fmt: skip
    assert places_for("mast_rough.png", [one, two]) == []
    assert places_for("anything_rough.png", [Known({}, ["only"])]) == [
        Place(0, material=0, role="roughness")
    ]


def card(**material) -> bytes:
    maker = GlbMaker()
    number = maker.material(name="Card", pbrMetallicRoughness=material)
    points, normals, uv, faces = plates(1)
    maker.mesh("Card", {"points": points, "normals": normals, "uvs": [uv], "faces": faces, "material": number})  # fmt: skip
    return maker.glb()


def carried(data: bytes, changes: list[TextureChange]):
    """The card's images, which stay where they are."""
    scene = read_scene("card.glb", data)
    uv = scene.objects[0].mesh.channels[0].per_corner
    settings = MergeSettings(pack=PackSettings(width=32, height=32))
    done = carry_files([scene], [None], [[uv]], settings, changes=[changes])
    return {
        row["role"]: np.asarray(Image.open(io.BytesIO(done.images[row["name"]])))
        for row in done.report["textures"]
    }


INNER = slice(4, 28)


def inner(pixels: np.ndarray) -> np.ndarray:
    return pixels[INNER, INNER]


def test_a_bare_material_gets_pictures_and_its_factors_give_way():
    colour, rough, light = (paint(32, k) for k in range(3))
    grey = rough[..., :1]
    found = carried(
        card(baseColorFactor=[0.5, 0.5, 0.5, 1], roughnessFactor=0.3),
        [
            TextureChange("a", png(colour), 0, "baseColor"),
            TextureChange("b", png(grey), 0, "roughness"),
            TextureChange("c", png(light), 0, "emissive"),
        ],
    )
    np.testing.assert_array_equal(inner(found["baseColor"]), inner(colour))
    np.testing.assert_array_equal(inner(found["emissive"]), inner(light))
    np.testing.assert_array_equal(inner(found["metallicRoughness"])[..., 1], inner(grey)[..., 0])
    assert (found["metallicRoughness"][..., 2] == 255).all()


def test_free_roles_are_carried_by_their_rules():
    height = paint(32, 5, 1, bits=16)
    ids = np.random.default_rng(1).integers(0, 2, (64, 64, 1)) * np.array([200, 10, 90])
    found = carried(
        card(),
        [
            TextureChange("h", png(height), 0, "height"),
            TextureChange("i", png(ids.astype(np.uint8)), 0, "id"),
        ],
    )
    assert found["height"].dtype == np.uint16 or found["height"].dtype == np.int32
    # Shrunk to half: ids are picked, never mixed.
    colours = np.unique(found["id"].reshape(-1, 3), axis=0).tolist()
    assert colours == [[0, 0, 0], [200, 10, 90]]


def test_roles_are_put_together_taken_away_and_replaced():
    scene = read_scene("card.glb", card())
    book = material_book(scene, None)
    rough, metal = (np.full((n, n, 1), v, np.uint8) for n, v in ((8, 40), (16, 200)))
    changed = changed_book(
        book, [TextureChange("r", png(rough), 0, "roughness"), TextureChange("m", png(metal), 0, "metal")]
    )  # fmt: skip
    (binding,) = changed.materials[0].bindings.values()
    pixels = decode("both", changed.images[binding.image] or b"").pixels
    assert pixels.shape == (16, 16, 4)
    assert np.unique(pixels[..., 1]) == [40] and np.unique(pixels[..., 2]) == [200]
    taken = changed_book(
        book,
        [TextureChange("r", png(rough), 0, "occlusionRoughnessMetallic"),
         TextureChange("", None, 0, "occlusion"), TextureChange("x", png(rough), 9, "normal"),
         TextureChange("x", png(rough), number=7)],
    )  # fmt: skip
    assert set(taken.materials[0].bindings) == {"metallicRoughness"}
    # Facts tell what is missing by its name.
    obj = b"mtllib a.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 0 1\nusemtl w\nf 1/1 2/2 3/3\n"
    mtl = {"a.mtl": b"newmtl w\nmap_Kd tex/wood.png\n"}
    scene = read_scene("a.obj", obj, mtl.get)
    facts = facts_of(scene, mtl.get)
    assert facts["textures"] == {"0": None} and facts["names"] == {"0": "tex/wood.png"}
    given = facts_of(scene, mtl.get, [TextureChange("wood.png", png(rough), number=0)])
    assert given["textures"]["0"]["width"] == 8


def test_green_that_points_down_is_turned_up():
    book = material_book(read_scene("card.glb", card()), None)
    normal = np.array([[(128, 128, 255), (200, 40, 220), (100, 255, 130)]], np.uint8)
    changed = changed_book(book, [TextureChange("n", png(normal), 0, "normalGreenDown")])
    binding = changed.materials[0].bindings["normal"]
    pixels = decode("n", changed.images[binding.image] or b"").pixels[0, :, :3]
    assert pixels.tolist() == [[128, 128, 255], [200, 215, 220], [100, 0, 130]]


TILED = b"""mtllib t.mtl
v 0 0 0
v 1 0 0
v 1 1 0
v 0 1 0
vt 0.25 0.25
vt 0.75 0.25
vt 0.75 0.75
vt 0.25 0.75
vt 1.25 1.25
vt 1.75 1.25
vt 1.75 1.75
vt 1.25 1.75
usemtl wall
f 1/1 2/2 3/3 4/4
f 1/5 2/6 3/7 4/8
"""


@pytest.mark.parametrize("named", ["wall_<UDIM>.png", "wall_1001.png"])
def test_a_numbered_set_is_one_picture(named):
    one, two = paint(32, 1), paint(32, 2)
    files = {
        "t.mtl": f"newmtl wall\nmap_Kd {named}\n".encode(),
        "wall_1001.png": png(one), "wall_1012.png": png(two),
    }  # fmt: skip
    scene = read_scene("t.obj", TILED, files.get)
    book = material_book(scene, files.get)
    assert book.names == {0: "wall_<UDIM>.png"}
    assert decode("set", book.images[0] or b"").size == (64, 64)
    # Both faces side by side on one sheet of 64 px, by whole texels.
    uv = scene.objects[0].mesh.channels[0].per_corner.copy()
    uv[:4] = (uv[:4] - 0.25) * 0.5
    uv[4:] = (uv[4:] - 1.25) * 0.5 + 0.5
    settings = MergeSettings(pack=PackSettings(width=64, height=64))
    done = carry_files([scene], [files.get], [[uv]], settings)
    found = np.asarray(Image.open(io.BytesIO(done.images["atlas_baseColor.png"])))
    np.testing.assert_array_equal(found[49:63, 1:15], one[9:23, 9:23])
    np.testing.assert_array_equal(found[17:31, 33:47], two[9:23, 9:23])
    # A number in the name of a single image says nothing.
    alone = {"t.mtl": b"newmtl wall\nmap_Kd wall_1001.png\n", "wall_1001.png": png(one)}
    assert material_book(scene, alone.get).names == {0: "wall_1001.png"}
