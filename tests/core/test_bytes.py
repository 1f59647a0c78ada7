"""What a file is made of besides UVs comes back as it was: line ends, encoding, indentation, chunks; or it is told."""

from __future__ import annotations

import base64
import codecs
import json
import struct

import numpy as np
import pytest

from quilt_core.errors import FileFormatError
from quilt_core.formats import read_scene, write_scene
from tests.core.painted import plain_device
from tests.core.run_samples import quad


def halved(name: str, data: bytes) -> bytes:
    """The file with UVs of half the size."""
    scene = read_scene(name, data)
    uvs = [0.5 * np.asarray(obj.mesh.channels[0].per_corner) for obj in scene.objects]
    written = write_scene(scene, 0, uvs)
    again = read_scene(name, written[name])
    for obj, uv in zip(again.objects, uvs, strict=True):
        np.testing.assert_allclose(obj.mesh.channels[0].per_corner, uv, atol=1e-6)
    return written[name]


@pytest.mark.parametrize("end", [b"\n", b"\r\n", b"\r"])
def test_line_ends_of_an_obj_come_back(end):
    text = quad().encode()
    out = halved("a.obj", text.replace(b"\n", end))
    assert out.replace(end, b"\n") == halved("a.obj", text)


@pytest.mark.parametrize(
    ("mark", "encoding"),
    [(codecs.BOM_UTF8, "utf-8"), (codecs.BOM_UTF16_LE, "utf-16-le"), (codecs.BOM_UTF16_BE, "utf-16-be"), (codecs.BOM_UTF32_LE, "utf-32-le")],
)  # fmt: skip
def test_the_encoding_of_an_obj_comes_back(mark, encoding):
    text = quad(name="Laterne für Ærø")
    out = halved("a.obj", mark + text.encode(encoding))
    assert out.startswith(mark)
    assert out[len(mark) :].decode(encoding) == halved("a.obj", text.encode()).decode()


def parts(glb: bytes) -> tuple[dict, bytes]:
    length = struct.unpack_from("<I", glb, 12)[0]
    return json.loads(glb[20 : 20 + length]), glb[28 + length :]


def glb_of(doc: dict, body: bytes, more: bytes = b"") -> bytes:
    text = json.dumps(doc).encode()
    text += b" " * (-len(text) % 4)
    chunks = (
        struct.pack("<II", len(text), 0x4E4F534A)
        + text
        + struct.pack("<II", len(body), 0x004E4942)
        + body
        + more
    )
    return b"glTF" + struct.pack("<II", 2, 12 + len(chunks)) + chunks


def test_chunks_that_nobody_knows_come_back():
    doc, body = parts(plain_device(1, 64, 4))
    odd = struct.pack("<II", 8, 0x21444441) + b"whatever"
    out = halved("a.glb", glb_of(doc, body, odd))
    assert out.endswith(odd) and struct.unpack_from("<I", out, 8)[0] == len(out)


@pytest.mark.parametrize(
    "style", [{"indent": "\t"}, {"indent": 4}, {"indent": 2}, {"separators": (",", ":")}, {}]
)
@pytest.mark.parametrize("tail", ["", "\n"])
def test_a_gltf_is_indented_as_it_was(style, tail):
    doc, body = parts(plain_device(1, 64, 4))
    doc["buffers"][0]["uri"] = (
        "data:application/octet-stream;base64," + base64.b64encode(body).decode()
    )
    text = json.dumps(doc, **style) + tail
    out = halved("a.gltf", text.encode()).decode()
    assert out == json.dumps(json.loads(out), **style) + tail
    windows = halved("a.gltf", text.replace("\n", "\r\n").encode()).decode()
    assert windows.replace("\r\n", "\n") == out


def test_what_an_unknown_extension_means_is_not_guessed():
    doc, body = parts(plain_device(1, 64, 4))
    used = {**doc, "extensionsUsed": ["ACME_bent_space"]}
    assert halved("a.glb", glb_of(used, body))
    with pytest.raises(FileFormatError, match="ACME_bent_space") as told:
        read_scene("a.glb", glb_of({**used, "extensionsRequired": ["ACME_bent_space"]}, body))
    assert told.value.fix
    known = {
        **doc,
        "extensionsUsed": ["KHR_materials_unlit"],
        "extensionsRequired": ["KHR_materials_unlit"],
    }
    assert read_scene("a.glb", glb_of(known, body)).objects
