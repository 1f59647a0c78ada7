"""Mutated files: whatever is done to them, the answer is a layout or an error of ours, soon and in
little memory.

QUILT_FUZZ=10000 tries ten thousand files; without it there are three hundred.
"""

from __future__ import annotations

import copy
import json
import os
import resource
import struct
import time

import numpy as np
import pytest

from quilt_core.check import check_layout
from quilt_core.errors import QuiltError
from quilt_core.formats import read_scene, write_scene
from quilt_core.measure import equalize
from quilt_core.pack import PackSettings, pack_islands
from quilt_core.scene import TileSize, concatenate, join_surfaces, read_surface
from quilt_core.scene.placement import identity
from tests.core.corners import object_corner_uvs
from tests.core.meshes import QUAD_OBJ, json_of, plain_glb
from tests.core.nasty import MESHES

pytestmark = pytest.mark.slow

FILES = int(os.environ.get("QUILT_FUZZ", "300"))
BATCH = 50
PACKED = 4
"""One file of so many is packed and written too."""
VALUES = [
    None,
    True,
    -1,
    0,
    1,
    2,
    3.5,
    1e308,
    -1e308,
    2**31,
    2**63,
    2**70,
    99,
    "",
    "x",
    "VEC2",
    "MAT4",
    [],
    [[]],
    {},
    [1, 2],
    "\ud800",
    {"a": 1},
    9999999,
    [None],
    [1e200] * 16,
    5120,
    5126,
]


def glb_from(doc: dict, body: bytes) -> bytes:
    text = json.dumps(doc).encode("utf-8", "surrogatepass")
    text += b" " * (-len(text) % 4)
    head = struct.pack("<4sII", b"glTF", 2, 28 + len(text) + len(body))
    return (
        head
        + struct.pack("<II", len(text), 0x4E4F534A)
        + text
        + struct.pack("<II", len(body), 0x4E4942)
        + body
    )


def spots(value, path=()):
    """Every (holder, key) of a JSON value."""
    pairs = (
        value.items()
        if isinstance(value, dict)
        else enumerate(value)
        if isinstance(value, list)
        else ()
    )
    for key, inner in pairs:
        yield value, key
        yield from spots(inner)


def mutated_json(rng: np.random.Generator) -> bytes:
    source = plain_glb(
        materials=[
            {
                "name": "brass",
                "pbrMetallicRoughness": {
                    "baseColorFactor": [1, 1, 1, 1],
                    "baseColorTexture": {"index": 0},
                },
            }
        ],
        textures=[{"source": 0}],
        images=[{"uri": "a.png"}],
    )
    doc = json_of(source)
    body = source[28 + struct.unpack_from("<I", source, 12)[0] :]
    for _ in range(rng.integers(1, 4)):
        places = list(spots(doc))
        holder, key = places[rng.integers(len(places))]
        choice = rng.random()
        if choice < 0.15:
            del holder[key]
        elif choice < 0.25 and isinstance(holder, dict):
            holder[f"{key}_{rng.integers(10**7)}" if rng.random() < 0.5 else "TEXCOORD_9999999"] = (
                holder[key]
            )
        elif (
            choice < 0.35
            and isinstance(holder[key], (int, float))
            and not isinstance(holder[key], bool)
        ):
            holder[key] = holder[key] * [-1, 10, 1000, 2**20][rng.integers(4)]
        else:
            # A copy, as it may be changed in the next round.
            holder[key] = copy.deepcopy(VALUES[rng.integers(len(VALUES))])
        if isinstance(holder, list) and rng.random() < 0.1:
            holder *= 50
    return glb_from(doc, body)


def mutated_bytes(rng: np.random.Generator, data: bytes) -> bytes:
    out = bytearray(data)
    for _ in range(rng.integers(1, 12)):
        choice, at = rng.random(), int(rng.integers(len(out)))
        if choice < 0.5:
            out[at] = int(rng.integers(256))
        elif choice < 0.7:
            out[at:at] = rng.choice(
                [b"-", b"/", b"\n", b"e9", b"\\\n", b" 99999999999999999999 ", b"\r", b"\xff\xfe"]
            )
        elif choice < 0.85:
            del out[at : at + int(rng.integers(1, 30))]
        else:
            out[at:at] = out[at : at + int(rng.integers(1, 200))]
    return bytes(out)


def make(seed: int) -> tuple[str, bytes]:
    rng = np.random.default_rng(seed)
    kind = seed % 4
    if kind < 2:
        return "a.glb", mutated_json(rng)
    if kind == 2:
        names = sorted(MESHES)
        text = QUAD_OBJ if rng.random() < 0.4 else MESHES[names[rng.integers(len(names))]].text
        return "a.obj", mutated_bytes(rng, text)
    return "a.glb", mutated_bytes(rng, plain_glb())


def through(name: str, data: bytes, pack: bool) -> None:
    """Read, inspect, check; pack, write and read back."""
    scene = read_scene(name, data)
    pairs = [read_surface(obj, 0, scene.metres_per_unit, scene.materials) for obj in scene.objects]
    islands = concatenate([pair[0] for pair in pairs])
    surface = join_surfaces([pair[1] for pair in pairs], [pair[0].count for pair in pairs])
    names = [obj.name for obj in scene.objects]
    checked = check_layout(
        islands, surface, identity(islands.count), [TileSize(1001, 512, 512)], names
    )
    json.dumps([finding.text for finding in checked.findings], allow_nan=False)
    if not pack or not islands.count:
        return
    even = equalize(islands, identity(islands.count), 512, 512)
    assert np.isfinite(even).all()
    *_, (_, found, _) = pack_islands(
        islands, even, PackSettings(512, 512, effort="quick", seconds=2)
    )
    ends = np.cumsum([0] + [pair[0].count for pair in pairs])
    uvs = [
        object_corner_uvs(obj, 0, found[a:b]) if b > a else None
        for obj, a, b in zip(scene.objects, ends[:-1], ends[1:], strict=True)
    ]
    out = write_scene(scene, 0, uvs)[name]
    again = read_scene(name, out)
    assert [obj.name for obj in again.objects] == names


@pytest.mark.filterwarnings("ignore::RuntimeWarning")
@pytest.mark.parametrize("first", range(0, FILES, BATCH))
def test_mutated_files_give_a_layout_or_a_word(first):
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    for seed in range(first, min(first + BATCH, FILES)):
        name, data = make(seed)
        started = time.process_time()
        try:
            through(name, data, seed % PACKED == 0 or seed % PACKED == 2)
        except QuiltError as error:
            assert error.what
            assert error.fix or "not foreseen" not in error.what
            assert "not foreseen" not in error.what, (
                f"seed {seed}: {error} from {error.__cause__!r}"
            )
        except Exception as error:
            raise AssertionError(f"seed {seed} of {name}: {error!r}") from error
        assert time.process_time() - started < 20, f"seed {seed} took too long"
    grown = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before
    assert grown < 1024**2, f"memory grew by {grown / 1024**2:.1f} GB"
