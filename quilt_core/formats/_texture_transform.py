"""KHR_texture_transform: the layout that is seen is the stored one moved, turned and scaled.

Reference: Khronos extension text KHR_texture_transform: uv' = T R S uv with the origin at the top
left. Inside the core the origin is at the bottom left, so the matrix is conjugated with the flip.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from quilt_core.scene.types import FloatArray

_FLIP = np.array([[1.0, 0.0, 0.0], [0.0, -1.0, 1.0], [0.0, 0.0, 1.0]])


def seen_transforms(doc: dict[str, Any]) -> dict[tuple[int, int], FloatArray]:
    """(3, 3) matrices from stored to seen UVs, by material and UV set, where one is not identity.

    The base colour texture decides; without one the first texture of the material that has a
    transform. A transform that flattens everything (scale 0) is ignored.
    """
    out: dict[tuple[int, int], FloatArray] = {}
    for index, material in enumerate(doc.get("materials", [])):
        for info in _texture_infos(material):
            transform = info.get("extensions", {}).get("KHR_texture_transform")
            channel = int((transform or {}).get("texCoord", info.get("texCoord", 0)))
            if (index, channel) in out:
                continue
            matrix = _FLIP @ _matrix(transform or {}) @ _FLIP
            if abs(np.linalg.det(matrix)) > 1e-12:
                out[(index, channel)] = matrix
    return {
        key: matrix
        for key, matrix in out.items()
        if not np.allclose(matrix, np.eye(3), atol=0, rtol=0)
    }


def _texture_infos(material: dict[str, Any]) -> list[dict[str, Any]]:
    pbr = material.get("pbrMetallicRoughness", {})
    places = [
        pbr.get("baseColorTexture"),
        material.get("normalTexture"),
        pbr.get("metallicRoughnessTexture"),
        material.get("occlusionTexture"),
        material.get("emissiveTexture"),
    ]
    return [info for info in places if isinstance(info, dict)]


def _matrix(transform: dict[str, Any]) -> FloatArray:
    ox, oy = transform.get("offset", (0.0, 0.0))
    sx, sy = transform.get("scale", (1.0, 1.0))
    angle = float(transform.get("rotation", 0.0))
    c, s = np.cos(angle), np.sin(angle)
    translate = np.array([[1, 0, ox], [0, 1, oy], [0, 0, 1]], np.float64)
    rotate = np.array([[c, s, 0], [-s, c, 0], [0, 0, 1]], np.float64)
    return np.asarray(translate @ rotate @ np.diag([sx, sy, 1.0]))


def to_seen(uv: FloatArray, matrix: FloatArray | None) -> FloatArray:
    """Stored UVs (N, 2) to seen ones."""
    return uv if matrix is None else np.asarray(uv @ matrix[:2, :2].T + matrix[:2, 2])


def to_stored(uv: FloatArray, matrix: FloatArray | None) -> FloatArray:
    """Seen UVs (N, 2) to stored ones."""
    return uv if matrix is None else to_seen(uv, np.asarray(np.linalg.inv(matrix)))
