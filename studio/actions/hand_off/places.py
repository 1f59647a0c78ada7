"""Where files go that are handed off: the same place whatever is written, so that nothing there is twice with other contents."""

from __future__ import annotations

import os.path
import posixpath
from pathlib import PurePosixPath

from studio.actions.gather.share_out import present_objects
from studio.actions.gather.unpack import free_folder
from studio.models import Project, Source

JOINT = "all-in-one.glb"
TEXTURES = "textures/"
"""Folder of merged textures."""
OWN_NAMES = ("figures.json", "report.html", "report.json")
"""What is added beside the files of a project, and the layout sheets."""


def places_of(project: Project) -> dict[int, str]:
    """The path of each source of a project by its id; uploads whose names would meet have folders of their own."""
    groups: dict[str, list[Source]] = {}
    folders = set(present_objects(project).values_list("source__folder", flat=True))
    for source in Source.objects.filter(project=project, folder__in=folders).order_by("pk"):
        groups.setdefault(source.folder, []).append(source)
    taken = [TEXTURES, JOINT, *OWN_NAMES]
    out = {}
    for number, group in enumerate(groups.values(), start=1):
        names = [source.name for source in group]
        folder = free_folder(names, taken, f"upload-{number}")
        taken += [folder + name for name in names]
        out.update({source.pk: folder + source.name for source in group})
    return out


def to_textures(path: str) -> str:
    """How the folder of a file finds the merged textures."""
    return posixpath.join(os.path.relpath(TEXTURES, str(PurePosixPath(path).parent)), "")
