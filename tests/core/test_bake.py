"""Rehearsals against closed forms: open sky, spheres, waves, a mesh onto itself; tangents against MikkTSpace."""

from __future__ import annotations

import json
import shutil
import subprocess
from pathlib import Path

import numpy as np
import pytest

from quilt_core.bake.bake import MET, MISSED, OTHER, bake
from quilt_core.bake.case import BakeCase
from quilt_core.bake.occlusion import Spots, occlusion, thickness
from quilt_core.bake.rays import RayScene
from quilt_core.bake.report import levels_lost, map_figures
from quilt_core.bake.settings import MAPS, BakeSettings
from quilt_core.bake.surface import BakeSurface, surface_of, unit
from quilt_core.bake.write import as_image
from quilt_core.errors import LayoutError
from quilt_core.scene.mesh import Mesh
from quilt_core.scene.model import Instance, Scene, SceneObject
from quilt_core.scene.tiles import TileSize
from quilt_core.textures.decode import quantized
from quilt_core.textures.frames import corner_tangents
from tests.core.high_poly import each_apart, icosphere, pit, plane, sheet, surface
from tests.core.visibility_samples import box

WEB = Path(__file__).parents[2] / "web"


def baked(low: BakeSurface, high: BakeSurface, size: int = 128, **settings):
    """The case and its only tile."""
    case = BakeCase(low, high, BakeSettings(**settings))
    (one,) = bake(case, [TileSize(1001, size, size)])
    return case, one


def at_bottom(scene: RayScene, rays: int = 1024, far: float = np.inf) -> float:
    """How open the sky is at the origin, over 16 sets of directions."""
    count = 16
    up = np.tile([0.0, 0.0, 1.0], (count, 1))
    spots = Spots(1e-9 * up, up, up, 2 * np.arange(count), (1, 64))
    return float(occlusion(scene, spots, rays, far).mean())


@pytest.mark.parametrize(("radius", "depth"), [(1.0, 0.25), (1.0, 1.0), (0.5, 1.5), (2.0, 1.0)])
def test_occlusion_at_the_bottom_of_a_pit(radius, depth):
    # A disc of radius r at height h over a point: sin² of its half angle of the cosine-weighted sky,
    # r² / (r² + h²) (elementary integration; form factor of a disc above a parallel element).
    found = at_bottom(RayScene(pit(radius, depth)))
    assert found == pytest.approx(radius**2 / (radius**2 + depth**2), abs=0.01)


def test_occlusion_under_a_square_roof():
    # Form factor of an element to a parallel rectangle over its corner, four times (Howell, A Catalog of
    # Radiation Heat Transfer Configuration Factors, from memory): a = b = side / height.
    side, height = 1.0, 1.0
    corners = np.array(
        [(-side, -side, height), (side, -side, height), (side, side, height), (-side, side, height)]
    )
    roof = np.stack([corners[[0, 2, 1]], corners[[0, 3, 2]]])
    a = side / height
    one = 2 / (2 * np.pi) * (a / np.sqrt(1 + a * a) * np.arctan(a / np.sqrt(1 + a * a)))
    assert 1 - at_bottom(RayScene(roof)) == pytest.approx(4 * one, abs=0.01)


def test_what_is_farther_away_hides_nothing():
    assert at_bottom(RayScene(pit(1.0, 1.0)), 64, 0.5) == 1.0


def test_a_plane_sees_the_whole_sky():
    flat = plane(4)
    _, one = baked(flat, flat, maps=("occlusion", "normal"))
    has = one.texels.owner >= 0
    assert (one.maps["occlusion"][has] == 1.0).all()
    assert (one.rays[has] == MET).all()


def test_thickness_of_a_slab():
    # Rays into a slab of thickness h come h / cos far; what the cosine weighs them with cancels that: the mean of
    # min(h / cos, far) / far over the hemisphere is 2 h / far - (h / far)² (elementary integration).
    slab = np.concatenate(
        [
            plane(1).points * (40, 40, 1) - (20, 20, 0),
            plane(1).points[:, ::-1] * (40, 40, 1) - (20, 20, 1),
        ]
    )
    up = np.tile([0.0, 0.0, 1.0], (16, 1))
    spots = Spots(0 * up, up, up, 2 * np.arange(16), (1, 64))
    found = thickness(RayScene(slab), spots, 1024, 4.0).mean()
    assert found == pytest.approx(2 / 4 - 1 / 16, abs=0.01)


def test_a_mesh_onto_itself_is_flat():
    ball = icosphere(2)
    own = surface(ball, unit(ball), each_apart(ball))
    case, one = baked(own, own, 512, maps=("normal",))
    steps = quantized(as_image(case, one, "normal"), False, 8)[one.texels.owner >= 0].astype(int)
    assert np.abs(steps - (128, 128, 255)).max() <= 1


@pytest.mark.slow
def test_normals_of_a_sphere_on_a_coarse_one():
    fine, coarse = icosphere(6), icosphere(1)
    low = surface(coarse, unit(coarse), each_apart(coarse))
    case, one = baked(
        low,
        surface(fine, unit(fine)),
        512,
        maps=("normal", "objectNormal"),
        outward=0.2,
        inward=0.2,
    )
    has = one.texels.owner >= 0
    assert (one.rays[has] == MET).all()
    # Texels to the world by their triangle's frames, as a card does.
    y, x = np.nonzero(has)
    triangle = one.triangles[one.texels.owner[has]]
    uv = np.stack([(x + 0.5) / 512, 1 - (y + 0.5) / 512], axis=1)
    a, b, c = (low.uv[triangle, k] for k in range(3))
    inverse = np.linalg.inv(np.stack([b - a, c - a], axis=2))
    w = np.einsum("kij,kj->ki", inverse, uv - a)
    bary = np.stack([1 - w.sum(axis=1), w[:, 0], w[:, 1]], axis=1)
    place, normal, tangent = (
        np.einsum("kn,knc->kc", bary, values[triangle])
        for values in (low.points, low.normals, case.tangents)
    )
    other = np.cross(normal, tangent[:, :3]) * tangent[:, 3:]
    said = quantized(as_image(case, one, "normal"), False, 8)[has] / 255 * 2.0 - 1.0
    world = unit(said[:, :1] * tangent[:, :3] + said[:, 1:2] * other + said[:, 2:] * normal)
    # Rays go along the normals of a sphere: they meet it where it points the same way.
    wanted = unit(np.einsum("kn,knc->kc", bary, low.smooth[triangle]))
    start = place + 0.2 * wanted
    # Where such a ray meets the unit sphere.
    half = (start * wanted).sum(axis=1)
    way = half - np.sqrt(half**2 - (start**2).sum(axis=1) + 1)
    met = start - way[:, None] * wanted
    degrees = np.degrees(np.arccos(np.clip((world * met).sum(axis=1), -1, 1)))
    assert np.percentile(degrees, 95) < 1.0
    np.testing.assert_allclose(one.maps["objectNormal"][has], met, atol=0.02)


@pytest.mark.slow
def test_height_of_a_wave():
    def wave(x, y):
        return 0.03 * np.sin(4 * np.pi * x)

    fine = plane(200, wave)
    case, one = baked(plane(1), fine, 128, maps=("height", "position"), outward=0.05, inward=0.05)
    y, x = np.nonzero(one.texels.owner >= 0)
    s = ((x + 0.5) / 128 - 0.02) / 0.96
    np.testing.assert_allclose(one.maps["height"][y, x, 0], wave(s, 0), atol=2e-4)
    grey = as_image(case, one, "height")[y, x, 0]
    np.testing.assert_allclose(grey, 0.5 + wave(s, 0) / 0.1, atol=2e-3)
    np.testing.assert_allclose(one.maps["position"][y, x, 0], s, atol=1e-3)


def test_curvature_of_spheres():
    # A sphere of radius r bends by 1 / r everywhere, outside bulging and inside hollow.
    ball = icosphere(4, 0.5)
    own = surface(icosphere(1, 0.5), uv=each_apart(icosphere(1)))
    for fine, grey in ((ball, 0.75), (ball[:, ::-1], 0.25)):
        _, one = baked(
            own, surface(fine), 128, maps=("curvature",), outward=0.2, inward=0.2, curvature=0.25
        )
        found = one.maps["curvature"][one.texels.owner >= 0]
        assert np.percentile(np.abs(found - grey), 95) < 0.02


@pytest.mark.parametrize(
    ("radius", "said"),
    [(0.25, ""), (1.0, "curvature is 100 % white, whose levels are lost: give a smaller radius")],
)
def test_levels_that_are_crushed_are_told(radius, said):
    # A sphere of radius 0.5 bends by 2/m: half of the way to white at 1 / 0.25, beyond it at 1 / 1.
    case, one = baked(
        surface(icosphere(1, 0.5), uv=each_apart(icosphere(1))), surface(icosphere(4, 0.5)), 64,
        maps=("curvature",), outward=0.2, inward=0.2, curvature=radius,
    )  # fmt: skip
    found = levels_lost("curvature", map_figures(case, one, "curvature"))
    assert found.startswith(said) and bool(found) == bool(said)


def test_both_ends_of_a_map_are_told_in_one_line():
    assert levels_lost("height", {"black": 0.3, "white": 0.02}).startswith(
        "height is 30 % black and 2 % white"
    )
    # The occlusion of what is open is white, and a normal has no levels.
    assert levels_lost("occlusion", {"black": 0.0, "white": 1.0}) == ""
    assert levels_lost("normal", {}) == ""


def test_samples_are_averaged_and_ids_are_not():
    low = plane(1)
    points, _ = sheet(2, 1, lambda s, t: (s, t, 0.01))
    high = surface(
        points, obj=(points[:, :, 0].mean(axis=1) > 0.5).astype(int), names=("left", "right")
    )
    settings = {"pairs": "every", "ids": "object", "maps": ("id", "occlusion")}
    images = [baked(low, high, 64, samples=n, **settings)[1] for n in (1, 16)]
    colours = [np.unique(p.maps["id"].reshape(-1, 3), axis=0) for p in images]
    assert len(colours[0]) == len(colours[1]) == 2
    np.testing.assert_array_equal(images[0].texels.owner >= 0, images[1].texels.owner >= 0)


def test_pairs_are_kept_apart_unless_they_are_to_see_one_another():
    points, uv = sheet(1, 1, lambda s, t: (s, t, 0.0))
    low = surface(
        np.concatenate([points, points + (0, 0, 1)]),
        uv=np.concatenate([uv * 0.5, uv * 0.5 + 0.5]),
        obj=[0, 0, 1, 1],
        names=("a_low", "b_low"),
    )
    # The fine one of b hangs over a, nearer to the start of its rays than a's own.
    high = surface(
        np.concatenate([points + (0, 0, 0.01), points + (0, 0, 0.04)]),
        obj=[0, 0, 1, 1],
        names=("a_high", "b_high"),
    )
    _, apart = baked(low, high, 64, maps=("height",), outward=0.1, inward=0.1)
    of_a = np.isin(apart.triangles[apart.texels.owner], (0, 1)) & (apart.texels.owner >= 0)
    np.testing.assert_allclose(apart.maps["height"][of_a], 0.01, atol=1e-5)
    _, together = baked(low, high, 64, maps=("height",), outward=0.1, inward=0.1, together=True)
    assert (together.rays[of_a] == OTHER).all()
    np.testing.assert_allclose(together.maps["height"][of_a], 0.04, atol=1e-5)


def test_rays_along_faces_and_from_a_cage():
    # A ridge: smooth normals lean over, those of its faces do not.
    ridge = lambda x, y: 0.3 - np.abs(x - 0.5) * 0.6
    points, uv = sheet(2, 1, lambda s, t: (s, t, ridge(s, t)))
    low = surface(points, uv=uv)
    high = surface(points + (0, 0, 0.02))
    _, smooth = baked(low, high, 64, outward=0.1, inward=0.1)
    _, faces = baked(low, high, 64, outward=0.1, inward=0.1, along="faces")
    has = faces.texels.owner >= 0
    assert faces.skew[has].min() > 0.999 > smooth.skew[has].min()
    case = BakeCase(
        low, high, BakeSettings(maps=("height",), along="cage"), cage=points + (0, 0, 0.05)
    )
    (one,) = bake(case, [TileSize(1001, 64, 64)])
    np.testing.assert_allclose(one.maps["height"][has], 0.02, atol=1e-3)


def test_rays_that_meet_nothing_leave_a_flat_normal():
    low, high = plane(1), surface(plane(1).points + (0, 0, 5))
    _, one = baked(low, high, 32, maps=("normal", "height"))
    has = one.texels.owner >= 0
    assert (one.rays[has] == MISSED).all()
    np.testing.assert_allclose(
        one.maps["normal"][has], np.tile([0, 0, 1], (has.sum(), 1)), atol=1e-6
    )


def test_nothing_is_lost_far_from_the_origin():
    low, high = plane(1), plane(40, lambda x, y: 0.01 * np.sin(9 * x))
    _, near = baked(low, high, 64, maps=("height",))
    far = np.array((4e5, -2e5, 1e5))
    _, away = baked(
        surface(low.points + far, uv=low.uv), surface(high.points + far), 64, maps=("height",)
    )
    np.testing.assert_allclose(away.maps["height"], near.maps["height"], atol=1e-5)


def test_nasty_meshes_are_baked_or_refused():
    low = plane(2)
    bad = plane(2).points.copy()
    bad[0, 0] = np.nan
    bad[1, 1] = bad[1, 2]
    _, one = baked(low, surface(bad), 32, maps=tuple(MAPS))
    assert all(np.isfinite(image).all() for image in one.maps.values())
    with pytest.raises(LayoutError, match="no high poly face"):
        baked(low, surface(np.zeros((0, 3, 3))))
    _, one = baked(
        low, surface(np.tile(plane(1).points[:1, :1], (2, 3, 1))), 32
    )  # faces that are points
    assert (one.rays[one.texels.owner >= 0] == MISSED).all()
    with pytest.raises(LayoutError, match="Nothing lies"):
        baked(surface(low.points), low)
    with pytest.raises(LayoutError, match="sky"):
        BakeSettings(maps=("sky",))
    with pytest.raises(LayoutError, match="cage"):
        BakeCase(low, low, BakeSettings(along="cage"))


def test_a_stopped_rehearsal_keeps_what_there_is():
    low = plane(1)
    case = BakeCase(low, low, BakeSettings())
    (one,) = bake(case, [TileSize(1001, 512, 512)], lambda done, what: done < 0.3)
    assert not one.whole
    assert 0 < (one.rays == MET).mean() < 0.9


@pytest.mark.skipif(shutil.which("node") is None, reason="node is needed for the outside check")
@pytest.mark.slow
def test_tangents_are_those_of_mikktspace():
    """The npm package `mikktspace` (WebAssembly of the reference code): a sphere by angles, its lower half mirrored, with
    seams and fans that only touch."""
    turn = np.linalg.qr(np.random.default_rng(5).standard_normal((3, 3)))[0]
    ball = (icosphere(3) @ turn).astype(np.float32).astype(np.float64)
    angle = np.arctan2(ball[..., 1], ball[..., 0])
    angle -= 2 * np.pi * np.rint((angle - angle[:, :1]) / (2 * np.pi))
    half = np.where(ball[:, :1, 2] < 0, -1.0, 1.0)
    uv = (
        np.stack([angle * half, np.arccos(ball[..., 2])], axis=2)
        .astype(np.float32)
        .astype(np.float64)
    )
    script = (
        "const m=require('mikktspace');const d=JSON.parse(require('fs').readFileSync(0));"
        "const f=a=>new Float32Array(a);"
        "console.log(JSON.stringify(Array.from(m.generateTangents(f(d.p),f(d.n),f(d.t)))))"
    )
    given = {"p": ball.ravel().tolist(), "n": unit(ball).ravel().tolist(), "t": uv.ravel().tolist()}
    answer = subprocess.run(
        ["node", "-e", script],
        cwd=WEB,
        input=json.dumps(given),
        capture_output=True,
        text=True,
        check=True,
    )
    theirs = np.array(json.loads(answer.stdout)).reshape(-1, 3, 4)
    ours = corner_tangents(ball, unit(ball), uv)
    degrees = np.degrees(np.arccos(np.clip((ours[..., :3] * theirs[..., :3]).sum(axis=2), -1, 1)))
    assert degrees.max() < 0.1
    np.testing.assert_array_equal(ours[..., 3], theirs[..., 3])


@pytest.mark.slow
def test_fine_meshes_without_normals_are_smooth_over_blunt_edges_only():
    # A sphere as a file without normals: smooth within its coarseness; a cube stays hard at its edges.
    def scene(triangles):
        mesh = Mesh(
            triangles.reshape(-1, 3).copy(), 3 * np.arange(len(triangles) + 1),
            np.arange(3 * len(triangles)), (), np.zeros(len(triangles), np.int64),
        )  # fmt: skip
        obj = SceneObject("thing", mesh, (Instance("thing", "", np.eye(4)),))
        return Scene("thing.obj", (obj,), (), 1.0, None)

    ball = surface_of([scene(icosphere(4))], smooth=45.0)
    assert np.abs(ball.normals - unit(ball.points)).max() < 0.01
    flat = surface_of([scene(icosphere(4))])
    np.testing.assert_allclose(flat.normals, np.repeat(flat.faces()[:, None], 3, 1), atol=1e-12)
    cube = surface_of([scene(box()[0])], smooth=45.0)
    np.testing.assert_allclose(cube.normals, np.repeat(cube.faces()[:, None], 3, 1), atol=1e-12)
