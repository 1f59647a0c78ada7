"""Plan which objects share an atlas: what each choice costs and keeps, before anything is changed."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from quilt_core.formats.file_materials import materials_from
from quilt_core.formats.plan_files import image_facts
from quilt_core.operations.plan import quick_coverage
from quilt_core.textures.materials import TexturedMaterial
from quilt_core.textures.planner import ImageFacts, plan_merge
from studio.actions.errors import Refused
from studio.actions.merge.list_materials import material_facts
from studio.actions.merge.suggest import misfits
from studio.arrays import islands_of
from studio.models import BaseLayout, MeshObject, Project, Revision
from studio.state import read_state

ALPHA_WORDS = {"OPAQUE": "opaque", "MASK": "cut out", "BLEND": "see-through"}


def plan_objects(project: Project) -> list[dict[str, Any]]:
    """Objects that may be shared out anew: those that lie whole in one atlas, or in none, with what tells them
    apart."""
    home: dict[int, int] = {}
    parted: set[int] = set()
    for pk, revision in project.head.atlases if project.head else []:
        for row in read_state(Revision.objects.select_related("keyframe").get(pk=revision)).members:
            if row.part is not None or row.object in home:
                parted.add(row.object)
            home[row.object] = pk
    objects = MeshObject.objects.filter(pk__in=home).select_related("source").order_by("pk")
    out = []
    for obj in objects:
        facts = material_facts(obj.source)
        own = facts["objects"][obj.number]
        materials = [facts["materials"][k] for k in own["materials"]]
        out.append(
            {
                "id": obj.pk,
                "name": obj.name,
                "atlas": home[obj.pk],
                "parted": obj.pk in parted,
                "painted": own["px_area"],
                "repeats": own["repeats"],
                "materials": [material["name"] for material in materials],
                "kinds": sorted(
                    {_kind(material["alpha"], material["state"]) for material in materials}
                ),
            }
        )
    return out


def _kind(alpha: str, state: str) -> str:
    """What a material's state is called."""
    kind = ALPHA_WORDS.get(alpha, "opaque")
    if '"doubleSided": true' in state:
        kind = "two-sided" if kind == "opaque" else f"{kind}, two-sided"
    if "KHR_materials_unlit" in state:
        kind += ", unlit"
    return f"{kind} in OBJ" if state.startswith("obj") else kind


def plan_group(objects: Sequence[MeshObject], size: int) -> dict[str, Any]:
    """What objects become that share textures of a size: figures of before and after, painted texels, and what does not
    belong together."""
    materials: list[TexturedMaterial] = []
    first: dict[int, int] = {}
    images: dict[tuple[int, int], ImageFacts] = {}
    used: list[list[int]] = []
    painted = 0.0
    for obj in objects:
        facts = material_facts(obj.source)
        if obj.source_id not in first:
            first[obj.source_id] = len(materials)
            for material in materials_from(facts):
                images |= {
                    (len(materials), binding.image): image_facts(facts, binding.image)
                    for binding in material.bindings.values()
                }
                materials.append(material)
        own = facts["objects"][obj.number]
        painted += own["px_area"]
        used.append([first[obj.source_id] + k for k in own["materials"]])
    plan = plan_merge(materials, used, images, (size, size))
    warnings = [row["what"] for row in misfits(used, materials)]
    if len(plan["groups"]) > 1:
        kinds = sorted({_kind(materials[k].alpha, materials[k].state) for own in used for k in own})
        warnings.insert(0, f"They stay {len(plan['groups'])} materials: {'; '.join(kinds)}.")
    return {"plan": plan, "painted": painted, "warnings": warnings}


def objects_of(project_id: int, numbers: Sequence[int]) -> list[MeshObject]:
    """Objects of a project by their ids, in that order.

    Raises
    ------
    Refused
        When one is not in the project.
    """
    found = {
        obj.pk: obj
        for obj in MeshObject.objects.filter(project=project_id, pk__in=numbers).select_related(
            "source"
        )
    }
    missing = [pk for pk in numbers if pk not in found]
    if missing:
        raise Refused(f"There is no object {missing[0]} here.", "objects", "Read the plan again.")
    return [found[pk] for pk in dict.fromkeys(numbers)]


def packed_coverage(
    project_id: int,
    groups: Sequence[Sequence[int]],
    padding: float,
    report: Callable[[float, str], None],
    stop: Callable[[], str],
) -> list[float | None]:
    """What quick packs of objects fill of one sheet of 2048 px, evened out; None where nothing can be laid out."""
    out: list[float | None] = []
    for k, numbers in enumerate(groups):
        report(k / len(groups), f"packing group {k + 1} of {len(groups)} for a look")
        known = objects_of(project_id, numbers)
        bases = BaseLayout.objects.filter(object__in=known, channel=0, parent=None)
        islands = islands_of([base.geometry for base in bases])
        out.append(quick_coverage(islands, padding, 1, lambda: bool(stop())))
    return out
