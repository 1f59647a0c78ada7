"""The page that holds the browser application."""

from django.conf import settings
from django.http import HttpRequest, HttpResponse


def application(request: HttpRequest) -> HttpResponse:
    """The built index page, whatever the path: the application reads the path itself."""
    page = settings.BASE_DIR / "web" / "dist" / "index.html"
    if not page.is_file():
        return HttpResponse(
            "The interface is not built yet. Run “make setup”.",
            status=503,
            content_type="text/plain; charset=utf-8",
        )
    return HttpResponse(page.read_bytes(), headers={"Cache-Control": "no-cache"})
