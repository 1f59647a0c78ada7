"""Give textures to materials: those that were missing, and those of objects that came bare."""

from __future__ import annotations

from typing import Any

from django.db import transaction

from quilt_core.errors import QuiltError
from quilt_core.formats.numbered import ALONE, grouped
from quilt_core.formats.texture_changes import Known, Place, places_for
from quilt_core.textures.roles import ROLES
from studio import storage
from studio.actions.errors import Refused
from studio.actions.merge.list_materials import image_at, material_facts
from studio.arrays import members_with_rows
from studio.models import GivenTexture, Revision, Source
from studio.state import read_state


def give_textures(revision: Revision, files: dict[str, bytes]) -> dict[str, Any]:
    """Put dropped textures where their names say: which went where, and which belong nowhere."""
    sources = _sources(revision)
    known = [_known(source) for source in sources]
    given: list[dict[str, Any]] = []
    lost: list[str] = []
    rows: list[GivenTexture] = []
    for name, data in files.items():
        _check(name, data)
    for name, data, tiles in _grouped(files):
        places = places_for(name, known)
        if not places:
            lost.append(name)
        for place in places:
            rows.append(_row(sources[place.file], name, data, place, tiles=tiles))
            material = known[place.file].materials[place.material] if place.material >= 0 else ""
            given.append({"name": name, "material": material, "role": place.role})
    if not rows:
        raise Refused(
            f"{', '.join(lost[:3])}: no material has such a name.",
            "textures",
            "Call textures after their material with the role at the end (crate_normal.png), or drop"
            " them on a material.",
        )
    with transaction.atomic():
        for row in rows:
            row.save()
    return {"given": given, "lost": lost}


def give_texture(
    source: Source, material: int, role: str, channel: int, name: str, data: bytes
) -> None:
    """Give a material a texture in a role."""
    _check(name, data)
    check_role(role)
    facts = material_facts(source)
    if not 0 <= material < len(facts["materials"]):
        raise Refused("There is no such material.", source.name, "Read the shelf again.")
    _row(source, name, data, Place(0, material=material, role=role), channel).save()


def change_role(source: Source, material: int, role: str, to: str) -> None:
    """Let a texture show something else; without a new role it is taken away."""
    facts = material_facts(source)
    own_materials = facts["materials"]
    if not 0 <= material < len(own_materials) or role not in own_materials[material]["bindings"]:
        raise Refused("That material has no such texture.", source.name, "Read the shelf again.")
    number, channel = own_materials[material]["bindings"][role][:2]
    if to == role:
        return
    # The old role goes first: the new one may be kept in the same slot (green turned up, one of two
    # channels).
    rows = [GivenTexture(source=source, name="", material=material, role=role)]
    if to:
        check_role(to)
        data = image_at(source, number)
        if data is None:
            raise Refused("That texture is not there.", source.name, "Drop it on the shelf first.")
        name = facts["names"].get(str(number), f"texture {number}")
        earlier = source.given.filter(material=material, role=role).last()
        tiles = tuple(earlier.tiles) if earlier and earlier.tiles else ALONE
        place = Place(0, material=material, role=to)
        rows.append(_row(source, name, data, place, channel, tiles))
    with transaction.atomic():
        for row in rows:
            row.save()


def as_they_came(revision: Revision) -> int:
    """Take back what was given to the materials of an atlas's objects; how many textures that were."""
    rows = GivenTexture.objects.filter(source__in=_sources(revision))
    count = rows.count()
    rows.delete()
    return count


def check_role(role: str) -> None:
    """Refuse what is no role."""
    if role not in ROLES and "." not in role:
        raise Refused(f"“{role}” is no role.", "role", f"Give {', '.join(ROLES)}.")


def _sources(revision: Revision) -> list[Source]:
    members = members_with_rows(read_state(revision).members)
    found = {member.object.source_id: member.object.source for member in members}
    return list(found.values())


def _known(source: Source) -> Known:
    facts = material_facts(source)
    used = {
        binding[0] for textured in facts["materials"] for binding in textured["bindings"].values()
    }
    missing = {
        k: facts["names"].get(str(k), "") for k in used if facts["textures"].get(str(k)) is None
    }
    names = {obj.number: obj.name for obj in source.mesh_objects.all()}
    objects = [
        (names[number], row["materials"])
        for number, row in enumerate(facts["objects"])
        if number in names
    ]
    return Known(missing, [textured["name"] for textured in facts["materials"]], objects)


def _grouped(files: dict[str, bytes]) -> list[Any]:
    """The textures one by one, numbered sets as one each."""
    try:
        return grouped(files)
    except QuiltError as error:
        raise Refused(error.what, error.where, error.fix) from None


def _row(
    source: Source,
    name: str,
    data: bytes,
    place: Place,
    channel: int = 0,
    tiles: tuple[int, int, int, int] = ALONE,
) -> GivenTexture:
    return GivenTexture(
        source=source, name=name[:255], sha256=storage.put(data), material=place.material,
        role=place.role, channel=channel, number=place.number,
        tiles=[] if tiles == ALONE else list(tiles),
    )  # fmt: skip


def _check(name: str, data: bytes) -> None:
    """Refuse what is no texture."""
    from quilt_core.textures.decode import decode

    try:
        decode(name, data)
    except QuiltError as error:
        raise Refused(error.what, name, error.fix) from None
