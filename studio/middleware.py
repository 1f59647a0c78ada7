"""Guards that stand before every view."""

from __future__ import annotations

from collections.abc import Callable
from urllib.parse import urlsplit

from django.conf import settings
from django.http import HttpRequest, HttpResponse, JsonResponse

Next = Callable[[HttpRequest], HttpResponse]


def refuse(status: int, what: str, cure: str) -> HttpResponse:
    """An error answer in the API's form."""
    return JsonResponse({"what": what, "where": "", "cure": cure}, status=status)


class SameOrigin:
    """Other web pages may not change anything here: their browser names them in the Origin header."""

    def __init__(self, get_response: Next) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        origin = request.headers.get("Origin")
        if (
            request.method not in ("GET", "HEAD", "OPTIONS")
            and origin
            and urlsplit(origin).netloc != request.get_host()
        ):
            return refuse(
                403, f"A page from {origin} tried to change something.", "Use the application's own page."
            )
        return self.get_response(request)


class UploadLimit:
    """Refuse what is too large before its body is read."""

    def __init__(self, get_response: Next) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        try:
            length = int(request.headers.get("Content-Length") or 0)
        except ValueError:
            return refuse(400, "The request does not say how long it is.", "Send it again.")
        if length > settings.MAX_UPLOAD_BYTES:
            return refuse(
                413,
                f"The upload has {length / 1e6:,.0f} MB; at most {settings.MAX_UPLOAD_BYTES / 1e6:,.0f} MB are taken at once.",
                "Send fewer files at a time, or use the command line for very large ones.",
            )
        return self.get_response(request)


MADE_PAGE = "sandbox; default-src 'none'; style-src 'unsafe-inline'; img-src data:"
"""A page made from users' files (the proof) stands alone: no script, no origin, nothing fetched."""


class ContentPolicy:
    """Say what a page made from files may load."""

    def __init__(self, get_response: Next) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        response = self.get_response(request)
        page = response.get("Content-Type", "").startswith(("text/html", "image/svg"))
        made = page and request.path.startswith("/api/")
        if made:
            response.headers.setdefault("Content-Security-Policy", MADE_PAGE)
        return response
