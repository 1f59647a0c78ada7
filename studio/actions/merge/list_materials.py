"""The material shelf of an atlas, and what merging its textures would change."""

from __future__ import annotations

import hashlib
import io
import json
from operator import itemgetter
from typing import Any

from PIL import Image

from quilt_core.errors import QuiltError
from quilt_core.formats.file_materials import facts_of, materials_from
from quilt_core.formats.load import siblings_in
from quilt_core.formats.numbered import ALONE
from quilt_core.formats.plan_files import image_facts
from quilt_core.formats.texture_changes import TextureChange
from quilt_core.scene.model import Siblings
from quilt_core.textures.materials import TexturedMaterial
from quilt_core.textures.pictures import opened
from quilt_core.textures.planner import ImageFacts, plan_merge
from studio import storage
from studio.actions.merge.suggest import BETTER, kept_densities, misfits, suggestions
from studio.actions.scenes import scene_of
from studio.arrays import Member, load_layout
from studio.geometry import cached, keep_cached
from studio.models import Revision, Source

FORMAT = 5


def siblings_of(source: Source) -> Siblings:
    """Reader of the files that came with a source."""
    beside = {
        s.name: s.sha256
        for s in Source.objects.filter(folder=source.folder, project=source.project_id)
    }
    return siblings_in(beside, source.name, lambda name: storage.get(beside[name]))


def changes_of(source: Source) -> list[TextureChange]:
    """Textures that its materials were given, in order."""
    return [
        TextureChange(
            row.name, storage.get(row.sha256) if row.sha256 else None, row.material, row.role,
            row.channel, row.number, tuple(row.tiles) or ALONE,
        )
        for row in source.given.all()
    ]  # fmt: skip


def given_digest(source: Source) -> str:
    """Another one whenever a source's materials were given other textures."""
    rows = [
        (row.pk, row.sha256, row.material, row.role, row.channel, row.number, row.tiles)
        for row in source.given.all()
    ]
    return hashlib.sha256(repr(rows).encode()).hexdigest()[:12] if rows else "own"


def material_facts(source: Source) -> dict[str, Any]:
    """Facts of a source's materials; read once, and kept."""
    name = f"materials-{FORMAT}-{source.pk}-{source.sha256[:16]}-{given_digest(source)}"
    known = cached(name)
    if known is None:
        known = json.dumps(
            facts_of(scene_of(source), siblings_of(source), changes_of(source))
        ).encode()
        keep_cached(name, known)
    facts: dict[str, Any] = json.loads(known)
    return facts


THUMB = 96
"""px of the small textures on the shelf."""


def small_image(source: Source, number: int, size: int = THUMB) -> bytes | None:
    """A texture of a source's materials as a small PNG, kept once it is made; None where it cannot be
    read."""
    name = f"thumb-{FORMAT}-{size}-{source.pk}-{source.sha256[:16]}-{given_digest(source)}-{number}"
    known = cached(name)
    if known is None:
        data = image_at(source, number)
        known = smaller(data, size) if data else b""
        keep_cached(name, known)
    return known or None


def image_at(source: Source, number: int) -> bytes | None:
    """The bytes of a texture of a source's materials."""
    from quilt_core.formats.file_materials import material_book

    book = material_book(scene_of(source), siblings_of(source), changes_of(source))
    return book.images.get(number)


def smaller(data: bytes, size: int) -> bytes:
    """A texture as PNG, its longer side no more than a size in px; nothing where it cannot be read."""
    from quilt_core.textures.decode import as_shown, decode, encode_png
    from quilt_core.textures.high_range import kind_of

    try:
        if kind_of(data):
            data = encode_png((as_shown(decode("", data)) >> 8).astype("uint8"))
        with opened("", data) as picture:
            image: Image.Image = picture
            if image.mode.startswith("I"):
                image = image.point(lambda value: value / 256).convert("L")
            elif image.mode not in ("L", "RGB", "RGBA"):
                image = image.convert("RGBA")
            image.thumbnail((size, size), Image.Resampling.BOX)
            out = io.BytesIO()
            image.save(out, "PNG", compress_level=3)
    except QuiltError:  # whatever is wrong with a texture, the shelf goes on
        return b""
    return out.getvalue()


def list_materials(revision: Revision, size: tuple[int, int]) -> dict[str, Any]:
    """Materials of the objects in an atlas, today against a plan with textures of a size, and what
    does not belong together."""
    layout = load_layout(revision)
    members = layout.members
    materials: list[TexturedMaterial] = []
    first: dict[int, int] = {}
    images: dict[tuple[int, int], ImageFacts] = {}
    rows: list[dict[str, Any]] = []
    warnings: list[dict[str, Any]] = []
    used: list[list[int]] = []
    areas: list[float] = []
    for member in members:
        source = member.object.source
        facts = material_facts(source)
        if source.pk not in first:
            first[source.pk] = len(materials)
            for number, textured in enumerate(materials_from(facts)):
                rows.append(_row(source, number, textured, facts))
                images |= {
                    (len(materials), binding.image): image_facts(facts, binding.image)
                    for binding in textured.bindings.values()
                }
                materials.append(textured)
        own = facts["objects"][member.object.number]
        areas.append(own["px_area"] if member.row.part is None else 0.0)
        used.append([first[source.pk] + k for k in own["materials"]])
        for k in used[-1]:
            rows[k]["objects"].append(member.object.name)
        if own["repeats"]:
            warnings.append(_repeats(member, own["times"]))
    rows = [row for row in rows if row["objects"]]
    missing = sorted({p["name"] for row in rows for p in row["textures"] if p["missing"]})
    if missing:
        warnings.append({
            "kind": "missing",
            "what": f"{len(missing)} {'image is' if len(missing) == 1 else 'images are'} not there: {', '.join(missing[:4])}.",
            "fix": "Drop them on the material shelf; without them plain colours stand in.",
        })  # fmt: skip
    plan = plan_merge(materials, used, images, size, tiles=len(layout.tiles))
    warnings += misfits(used, materials)
    if len(plan["groups"]) > 1:
        names = "; ".join(", ".join(group["of"][:3]) for group in plan["groups"][:4])
        warnings.append({
            "kind": "states",
            "what": f"They stay {len(plan['groups'])} materials that share the textures: {names}.",
            "fix": "Opaque and see-through, one-sided and two-sided, and those of different formats cannot be one.",
        })  # fmt: skip
    kept = kept_densities(layout, areas, size[0])
    less = (
        (part, m.object.name)
        for m, part in zip(members, kept, strict=True)
        if part is not None and part < BETTER
    )
    shrunk = [{"object": name, "kept": part} for part, name in sorted(less, key=itemgetter(0))]
    objects = [(m.object.pk, m.object.name) for m in members]
    return {
        "materials": rows,
        "plan": plan,
        "warnings": warnings,
        "shrunk": shrunk,
        "suggestions": suggestions(objects, used, materials),
    }


def _row(
    source: Source, number: int, textured: TexturedMaterial, facts: dict[str, Any]
) -> dict[str, Any]:
    told = facts["materials"][number]
    return {
        "name": textured.name,
        "file": source.name,
        "source": source.pk,
        "number": number,
        "digest": given_digest(source),
        "alpha": textured.alpha,
        "colour": list(textured.factors["baseColor"][:3]),
        "objects": [],
        "textures": [
            _binding(
                role, binding[0], facts["textures"].get(str(binding[0])), binding[1], facts["names"]
            )
            for role, binding in told["bindings"].items()
        ],
    }


def _binding(
    role: str, number: int, facts: dict[str, Any] | None, channel: int, names: dict[str, str]
) -> dict[str, Any]:
    known = facts or {}
    return {
        "role": role,
        "number": number,
        "name": names.get(str(number), f"texture {number}"),
        "width": known.get("width", 0),
        "height": known.get("height", 0),
        "bits": known.get("bits", 0),
        "bytes": known.get("bytes", 0),
        "channel": channel,
        "missing": facts is None,
    }


def _repeats(member: Member, times: float) -> dict[str, Any]:
    cost = f", {times:.1f} times over" if times >= 1 else ""
    return {
        "kind": "repeats",
        "what": f"“{member.object.name}” repeats its textures{cost}.",
        "fix": "What its islands cover is laid out at their size now: give them room, or leave the object out.",
    }
