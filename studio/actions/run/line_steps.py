"""What each step of a line does to its atlases."""

from __future__ import annotations

import io
import re
import zipfile
from collections.abc import Callable, Sequence
from typing import Any

from django.db import transaction

from quilt_core.operations.export import Export
from quilt_core.operations.operation import Progress
from quilt_core.operations.registry import operation
from quilt_core.operations.steps import takes_objects
from quilt_core.options import settings_from
from quilt_core.run.walk import StepEnd
from quilt_core.scene.naming import unique_names
from studio import storage
from studio.actions.check.bake_maps import bake_maps
from studio.actions.check.measure_layout import measure_revision
from studio.actions.hand_off.draw_textures import draw_textures
from studio.actions.hand_off.export_atlas import export_atlases
from studio.actions.hand_off.write_reports import write_reports
from studio.actions.history.change import finish_job
from studio.actions.merge.merge_textures import merge_textures
from studio.actions.operate import operate
from studio.models import Atlas, Revision, RunLine

MOST_FAULTS = 3


def head_of(atlas: int) -> Revision:
    """The present layout of an atlas."""
    rows = Revision.objects.select_related("atlas__project__head", "keyframe")
    return rows.get(pk=Atlas.objects.values_list("head", flat=True).get(pk=atlas) or 0)


class LineWork:
    """The steps of a line, done on atlases.

    Parameters
    ----------
    line : RunLine
    atlases : sequence of int
        Ids.
    """

    def __init__(self, line: RunLine, atlases: Sequence[int]) -> None:
        self._line, self._atlases = line, atlases
        self.files: dict[str, str] = {}
        """Stored files by what they are."""

    def do(self, number: int, progress: Progress) -> StepEnd:
        """Do a step.

        Raises
        ------
        QuiltError
        """
        step = self._line.steps[number]
        name, settings = step["do"], self._settings(step)
        heads = [head_of(atlas) for atlas in self._atlases]
        own = getattr(self, f"_{name.replace('-', '_')}", None)
        if operation(name).changes == "layout":
            self._change(heads, name, settings, progress)
        elif own is not None:
            return own(heads, settings, progress) or StepEnd()
        else:
            operate(heads[0], name, settings, progress, heads[1:])
        return StepEnd()

    def _settings(self, step: dict[str, Any]) -> dict[str, Any]:
        """Settings of a step; what the line is about is said to those that are about objects."""
        settings = dict(step["settings"])
        if self._line.objects_named and takes_objects(step["do"]):
            settings.setdefault("objects", self._line.objects_named)
        return settings

    def _change(
        self, heads: list[Revision], name: str, settings: dict[str, Any], progress: Progress
    ) -> None:
        done = operate(heads[0], name, settings, progress, heads[1:])
        with transaction.atomic():
            for k, head in enumerate(heads):
                finish_job(head.atlas_id, head, done.made(k))

    def _merge(self, heads: list[Revision], settings: dict[str, Any], progress: Progress) -> None:
        others = [head.pk for head in heads[1:]]
        self.files["carried"] = merge_textures(heads[0], settings, others, progress).get("file", "")

    def _bake(self, heads: list[Revision], settings: dict[str, Any], progress: Progress) -> StepEnd:
        faults: list[str] = []

        def bake(head: Revision, part: Progress) -> str:
            found = bake_maps(head, settings, part)
            faults.extend(
                f"{fault['object']}: {fault['kind']}, {fault['text']}"
                for fault in found["findings"]
                if fault["severity"] == "error"
            )
            return str(found["file"])

        self.files["maps"] = self._each(heads, bake, progress)
        return StepEnd(
            not faults,
            [f"{len(faults)} {'error' if len(faults) == 1 else 'errors'}", *faults[:MOST_FAULTS]],
        )

    def _textures(
        self, heads: list[Revision], settings: dict[str, Any], progress: Progress
    ) -> None:
        def draw(head: Revision, part: Progress) -> str:
            return str(draw_textures(head, settings, part)["file"])

        self.files["textures"] = self._each(heads, draw, progress)

    def _report(self, heads: list[Revision], settings: dict[str, Any], progress: Progress) -> None:
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
            for name, head in zip(_names(heads), heads, strict=True):
                found = write_reports(head)
                for kind in ("html", "json"):
                    archive.writestr(f"{name}.{kind}", storage.get(found[kind]))
        self.files["report"] = storage.put(out.getvalue())

    def _check(
        self, heads: list[Revision], settings: dict[str, Any], progress: Progress
    ) -> StepEnd:
        said: list[str] = []
        for head in heads:
            measure_revision(head)
            checked = Revision.objects.get(pk=head.pk).checked or {}
            if not checked.get("ready", False):
                against = ", ".join(checked.get("against", [])) or "not checked"
                said.append(f"{head.name} breaks the house rules: {against}")
        return StepEnd(not said, said)

    def _export(self, heads: list[Revision], settings: dict[str, Any], progress: Progress) -> None:
        asked = settings_from(Export, settings)
        carried = self.files.get("carried")
        merged = [storage.get(carried)] if carried and not asked.layout_only else []
        self.files["files"] = export_atlases(heads, progress.report, asked, merged)[0]

    def _each(
        self, heads: list[Revision], make: Callable[[Revision, Progress], str], progress: Progress
    ) -> str:
        """One archive of what is made of each atlas: in folders of their own where there are several."""
        keys = [
            make(head, progress.part(k / len(heads), 1 / len(heads)))
            for k, head in enumerate(heads)
        ]
        if len(keys) == 1:
            return keys[0]
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as archive:
            for name, key in zip(_names(heads), keys, strict=True):
                with zipfile.ZipFile(io.BytesIO(storage.get(key))) as own:
                    for entry in own.namelist():
                        archive.writestr(f"{name}/{entry}", own.read(entry))
        return storage.put(out.getvalue())


def _names(heads: Sequence[Revision]) -> list[str]:
    """Names of atlases as files, each its own."""
    names = [re.sub(r"[^\w. -]+", "_", head.name).strip(" .") or "atlas" for head in heads]
    return list(unique_names(names, ["atlas"] * len(names)))
