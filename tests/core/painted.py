"""Painted test files made by code: GLBs and OBJs whose images are known functions."""

from __future__ import annotations

import cv2
import numpy as np

from tests.core.meshes import glb_of


def png(pixels: np.ndarray) -> bytes:
    """A PNG of (H, W, C) uint8 or uint16, red first."""
    order = {1: [0], 3: [2, 1, 0], 4: [2, 1, 0, 3]}[pixels.shape[2]]
    return cv2.imencode(".png", np.ascontiguousarray(pixels[..., order]))[1].tobytes()


def paint(
    size: int, seed: int, channels: int = 3, bits: int = 8, smooth: float = 6.0
) -> np.ndarray:
    """(size, size, channels) an image of soft blobs with some crisp lines."""
    rng = np.random.default_rng(seed)
    noise = rng.random((size, size, channels)).astype(np.float32)
    soft = cv2.GaussianBlur(noise, (0, 0), smooth).reshape(size, size, channels)
    low, high = soft.min(axis=(0, 1)), soft.max(axis=(0, 1))
    soft = (soft - low) / (high - low)
    soft[:: size // 8, :, 0] = 1.0
    soft[:, :: size // 8, -1] = 0.0
    full = 255 if bits == 8 else 65535
    return np.rint(soft * full).astype(np.uint8 if bits == 8 else np.uint16)


def normal_map(size: int, seed: int, bits: int = 8, height: float = 2.0) -> np.ndarray:
    """(size, size, 3) the normal map of soft bumps that repeat, green up."""
    rng = np.random.default_rng(seed)
    x = (np.arange(size) + 0.5) / size * 2 * np.pi
    u, v = np.meshgrid(x, -x)
    dx, dy = np.zeros((size, size)), np.zeros((size, size))
    for _ in range(4):
        kx, ky = rng.integers(-4, 5, 2)
        phase = rng.uniform(0, 2 * np.pi)
        wave = -np.sin(kx * u + ky * v + phase) * height / 10
        dx += kx * wave
        dy += ky * wave
    n = np.stack([-dx, -dy, np.ones_like(dx)], axis=2)
    n /= np.linalg.norm(n, axis=2, keepdims=True)
    full = 255 if bits == 8 else 65535
    return np.rint((n * 0.5 + 0.5) * full).astype(np.uint8 if bits == 8 else np.uint16)


def plates(count: int, size: float = 1.0, bent: float = 0.3):
    """Bent plates of 4 x 4 quads side by side, each with its own square of the UVs: points, normals, uv,
    triangles."""
    n = 4
    points, normals, uvs, faces = [], [], [], []
    columns = int(np.ceil(np.sqrt(count)))
    for k in range(count):
        base = len(points)
        cu, cv = (k % columns) / columns, (k // columns) / columns
        for j in range(n + 1):
            for i in range(n + 1):
                s, t = i / n, j / n
                points.append((1.5 * k + s * size, bent * np.sin(np.pi * s), t * size))
                slope = bent * np.pi * np.cos(np.pi * s)
                normal = np.array([-slope, 1.0, 0.0])
                normals.append(normal / np.linalg.norm(normal))
                uvs.append((cu + (0.06 + 0.88 * s) / columns, cv + (0.94 - 0.88 * t) / columns))
        for j in range(n):
            for i in range(n):
                a = base + j * (n + 1) + i
                faces += [(a, a + n + 1, a + 1), (a + 1, a + n + 1, a + n + 2)]
    return (
        np.array(points, np.float32), np.array(normals, np.float32), np.array(uvs, np.float32),
        np.array(faces, np.uint32),
    )  # fmt: skip


class GlbMaker:
    """Puts a GLB together: meshes with attributes, materials with images."""

    def __init__(self) -> None:
        self.body = b""
        self.doc: dict = {
            "asset": {"version": "2.0"}, "scene": 0, "scenes": [{"nodes": []}], "nodes": [],
            "meshes": [], "accessors": [], "bufferViews": [], "materials": [], "textures": [],
            "images": [], "samplers": [],
        }  # fmt: skip

    def view(self, data: bytes, target: int | None = None) -> int:
        self.body += b"\0" * (-len(self.body) % 4)
        view = {"buffer": 0, "byteOffset": len(self.body), "byteLength": len(data)}
        if target:
            view["target"] = target
        self.doc["bufferViews"].append(view)
        self.body += data
        return len(self.doc["bufferViews"]) - 1

    def accessor(self, rows: np.ndarray, target: int = 34962) -> int:
        kind = {1: "SCALAR", 2: "VEC2", 3: "VEC3", 4: "VEC4"}[rows.shape[1] if rows.ndim > 1 else 1]
        entry = {
            "bufferView": self.view(np.ascontiguousarray(rows).tobytes(), target),
            "componentType": 5126 if rows.dtype == np.float32 else 5125,
            "count": len(rows), "type": kind,
        }  # fmt: skip
        if kind == "VEC3":
            entry |= {"min": rows.min(axis=0).tolist(), "max": rows.max(axis=0).tolist()}
        self.doc["accessors"].append(entry)
        return len(self.doc["accessors"]) - 1

    def texture(self, pixels: np.ndarray, **sampler) -> int:
        image = {"bufferView": self.view(png(pixels)), "mimeType": "image/png"}
        self.doc["images"].append(image)
        self.doc["samplers"].append(sampler)
        self.doc["textures"].append(
            {"source": len(self.doc["images"]) - 1, "sampler": len(self.doc["samplers"]) - 1}
        )
        return len(self.doc["textures"]) - 1

    def material(self, **entry) -> int:
        self.doc["materials"].append(entry)
        return len(self.doc["materials"]) - 1

    def mesh(self, name: str, *primitives: dict, **node) -> None:
        """A node with a mesh of primitives: points, normals, uv (or several), faces, material and
        further attributes."""
        made = []
        for own in primitives:
            own = dict(own)
            attributes = {"POSITION": self.accessor(own.pop("points"))}
            index = self.accessor(own.pop("faces").reshape(-1).astype(np.uint32), 34963)
            material = own.pop("material", None)
            if "normals" in own:
                attributes["NORMAL"] = self.accessor(own.pop("normals"))
            for k, uv in enumerate(own.pop("uvs", [])):
                attributes[f"TEXCOORD_{k}"] = self.accessor(uv)
            attributes |= {key: self.accessor(rows) for key, rows in own.items()}
            made.append({"attributes": attributes, "indices": index})
            if material is not None:
                made[-1]["material"] = material
        self.doc["meshes"].append({"name": name, "primitives": made})
        self.doc["nodes"].append({"name": name, "mesh": len(self.doc["meshes"]) - 1, **node})
        self.doc["scenes"][0]["nodes"].append(len(self.doc["nodes"]) - 1)

    def glb(self) -> bytes:
        doc = {key: value for key, value in self.doc.items() if value != []}
        return glb_of(doc, self.body)


def plain_device(seed: int = 1, size: int = 256, plates_: int = 4) -> bytes:
    """One mesh, all roles of one size."""
    maker = GlbMaker()
    orm = paint(size, seed + 1)
    material = maker.material(
        name="Paint",
        pbrMetallicRoughness={
            "baseColorTexture": {"index": maker.texture(paint(size, seed))},
            "metallicRoughnessTexture": {"index": (shared := maker.texture(orm))},
        },
        occlusionTexture={"index": shared, "strength": 0.8},
        normalTexture={"index": maker.texture(normal_map(size, seed)), "scale": 0.7},
        emissiveTexture={"index": maker.texture(paint(size // 2, seed + 2))},
        emissiveFactor=[1.0, 0.5, 0.25],
    )
    points, normals, uv, faces = plates(plates_)
    maker.mesh(
        f"Device {seed}",
        {"points": points, "normals": normals, "uvs": [uv], "faces": faces, "material": material},
    )
    return maker.glb()


def hard_device() -> bytes:
    """Five states on one mesh, 16-bit normals with tangents, mirrored stacks, turned transforms, four
    wraps, two UV sets, factors only, vertex colours."""
    maker = GlbMaker()
    base, normal = maker.texture(paint(256, 11)), maker.texture(normal_map(256, 11, bits=16))
    turned = {
        "extensions": {
            "KHR_texture_transform": {"rotation": 0.5, "scale": [1.3, 0.8], "offset": [0.2, 0.1]}
        }
    }
    alpha = paint(256, 12, channels=4)
    mirror = maker.texture(paint(128, 13), wrapS=33648, wrapT=33648)
    clamp = maker.texture(paint(128, 14), wrapS=33071, wrapT=33071)
    nearest = maker.texture(paint(64, 15, smooth=1.0), magFilter=9728, minFilter=9728)
    kinds = [
        maker.material(name="Opaque", pbrMetallicRoughness={"baseColorTexture": {"index": base}}, normalTexture={"index": normal}),
        maker.material(name="Cut", alphaMode="MASK", alphaCutoff=0.4, pbrMetallicRoughness={"baseColorTexture": {"index": maker.texture(alpha)}}),
        maker.material(name="Glass", alphaMode="BLEND", doubleSided=True, pbrMetallicRoughness={"baseColorTexture": {"index": maker.texture(alpha)}, "baseColorFactor": [1, 0.8, 0.6, 0.5]}),
        maker.material(name="Turned", pbrMetallicRoughness={"baseColorTexture": {"index": base, **turned}, "roughnessFactor": 0.3}),
        maker.material(name="Mirrored", pbrMetallicRoughness={"baseColorTexture": {"index": mirror}}),
        maker.material(name="Clamped", doubleSided=True, pbrMetallicRoughness={"baseColorTexture": {"index": clamp}}),
        maker.material(name="Nearest", pbrMetallicRoughness={"baseColorTexture": {"index": nearest}}),
        maker.material(name="Lamp", emissiveFactor=[1, 1, 0.5], extensions={"KHR_materials_emissive_strength": {"emissiveStrength": 4.0}}, pbrMetallicRoughness={"baseColorFactor": [0.2, 0.3, 0.4, 1]}),
        maker.material(name="Red", pbrMetallicRoughness={"baseColorFactor": [0.9, 0.1, 0.05, 1], "metallicFactor": 0.2}),
        maker.material(name="Unlit", extensions={"KHR_materials_unlit": {}}, pbrMetallicRoughness={"baseColorTexture": {"index": base}}),
        maker.material(name="Two sets", pbrMetallicRoughness={"baseColorTexture": {"index": base}}, occlusionTexture={"index": maker.texture(paint(128, 16)), "texCoord": 1}),
    ]  # fmt: skip
    points, normals, uv, faces = plates(4)
    parts = []
    for number, material in enumerate(kinds):
        here = points + np.array([0, 0, 2.0 * number], np.float32)
        own = uv.copy()
        if number in (4, 5):
            own = (own * 2.2 - 0.4).astype(np.float32)
        part = {
            "points": here,
            "normals": normals,
            "uvs": [own, uv[:, ::-1].copy()],
            "faces": faces,
            "material": material,
        }
        if number == 0:
            from quilt_core.textures.frames import corner_tangents

            # Mirrored stacks: the second half of the plates has the UVs of the first, mirrored.
            half = len(own) // 2
            own[half:] = own[:half]
            own[half:, 0] = own[:half, 0].max() + own[:half, 0].min() - own[:half, 0]
            up = np.stack([own[:, 0], 1 - own[:, 1]], axis=1)
            t = corner_tangents(*(x[faces].astype(float) for x in (here, normals, up)))
            rows = np.zeros((len(own), 4), np.float32)
            rows[faces.ravel()] = t.reshape(-1, 4)
            part["TANGENT"] = rows
        parts.append(part)
    maker.mesh("Panel", *parts, rotation=[0, 0.7071068, 0, 0.7071068], scale=[2, 2, 2])
    maker.doc["extensionsUsed"] = [
        "KHR_texture_transform",
        "KHR_materials_emissive_strength",
        "KHR_materials_unlit",
    ]
    return maker.glb()
