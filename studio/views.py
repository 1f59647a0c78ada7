"""The page that holds the browser application."""

from __future__ import annotations

import re

from django.conf import settings
from django.http import HttpRequest, HttpResponse

from studio.actions.access import visible_projects
from studio.geometry import content_digest
from studio.models import Project, Revision
from studio.state import members_of


def application(request: HttpRequest) -> HttpResponse:
    """The built index page, whatever the path: the application reads the path itself.

    The page of a project names what it will ask for, so that the browser fetches that while it
    still reads the scripts.
    """
    page = settings.BASE_DIR / "web" / "dist" / "index.html"
    if not page.is_file():
        return HttpResponse(
            "The interface is not built yet. Run “make setup”.",
            status=503,
            content_type="text/plain; charset=utf-8",
        )
    answer = HttpResponse(page.read_bytes(), headers={"Cache-Control": "no-cache"})
    asked = [f"<{a}>; rel=preload; as=fetch; crossorigin" for a in asked_first(request)]
    if asked:
        answer["Link"] = ", ".join(asked)
    return answer


def asked_first(request: HttpRequest) -> list[str]:
    """Addresses that the application asks for before it can draw the project of a page; none for
    other pages, and for projects without objects."""
    found = re.match(r"^/project/(\d{1,9})\b", request.path)
    rows = visible_projects(Project.objects.select_related("head"))
    project = found and rows.filter(pk=found[1]).first()
    if not project or not project.head or not project.head.atlases:
        return []
    revisions = {str(atlas): revision for atlas, revision in project.head.atlases}
    wanted = request.GET.get("atlas", "")
    atlas = wanted if wanted in revisions else next(iter(revisions))
    revision = Revision.objects.filter(pk=revisions[atlas]).first()
    if revision is None or not members_of(revision):
        return []
    at, version = f"/api/revisions/{revision.pk}/", f"?v={content_digest(revision)}"
    return [
        f"/api/projects/{project.pk}/",
        f"/api/projects/{project.pk}/jobs/",
        f"/api/atlases/{atlas}/",
        f"{at}geometry.glb{version}",
        at,
        f"{at}placements/{version}",
    ]
