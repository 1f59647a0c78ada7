"""Guards that stand before every view."""

from __future__ import annotations

import hmac
import threading
import time
from collections import deque
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from urllib.parse import urlsplit

from django.conf import settings
from django.http import HttpRequest, HttpResponse, HttpResponseRedirect, JsonResponse

Next = Callable[[HttpRequest], HttpResponse]


def refuse(status: int, what: str, fix: str) -> HttpResponse:
    """An error answer in the API's form."""
    return JsonResponse({"what": what, "where": "", "fix": fix}, status=status)


def _is_token(given: str) -> bool:
    return bool(given) and hmac.compare_digest(given.encode(), settings.TOKEN.encode())


def has_token(request: HttpRequest) -> bool:
    """Whether a request names this installation's token."""
    kind, _, given = request.headers.get("Authorization", "").partition(" ")
    return kind == "Bearer" and _is_token(given)


def _shows_token(request: HttpRequest) -> bool:
    """Whether a script asks, and no page: with accounts its token is looked at later, and nothing else is."""
    if settings.ACCOUNTS:
        return request.headers.get("Authorization", "").startswith("Bearer ")
    return has_token(request)


class TokenGate:
    """Where others can reach the server (`serve --host`), nothing is answered without the token."""

    COOKIE = "quilt_token"

    def __init__(self, get_response: Next) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        if settings.ACCOUNTS or not settings.DEMAND_TOKEN or has_token(request):
            return self.get_response(request)
        if _is_token(request.COOKIES.get(self.COOKIE, "")):
            return self.get_response(request)
        if request.method == "GET" and _is_token(request.GET.get("token", "")):
            # The address holds the token once; from then on the browser keeps it out of sight.
            answer = HttpResponseRedirect(request.path)
            answer.set_cookie(
                self.COOKIE, settings.TOKEN, httponly=True, samesite="Strict", max_age=30 * 86_400
            )
            return answer
        return refuse(
            401,
            "This installation asks for its token.",
            "Open the address that “serve” printed when it started.",
        )


class SameOrigin:
    """Other web pages may not change anything here: their browser names them in the Origin header.

    What comes from no page at all, a script for example, names the token instead.
    """

    def __init__(self, get_response: Next) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        if request.method in ("GET", "HEAD", "OPTIONS") or _shows_token(request):
            return self.get_response(request)
        origin = request.headers.get("Origin")
        if not origin:
            return refuse(
                403,
                "The request does not say which page it comes from.",
                "Use the application's own page; a script sends the header “Authorization: Bearer …” with what is in the "
                "file “token” in the data folder.",
            )
        own = f"{request.scheme}://{request.get_host()}"
        if origin != own and origin not in settings.CSRF_TRUSTED_ORIGINS:
            by_name = urlsplit(origin).netloc == request.get_host()
            return refuse(
                403,
                f"A page from {origin} tried to change something.",
                f"The server is asked as {own}: if another one with TLS stands in front of it, set QUILT_PROXIES to the "
                "number of those, or QUILT_ORIGINS to this address."
                if by_name
                else "Use the application's own page.",
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
"""A page made from users' files (the report) stands alone: no script, no origin, nothing fetched."""
OWN_PAGE = (
    "default-src 'self'; img-src 'self' data: blob:; style-src 'self' 'unsafe-inline'; connect-src 'self' data: blob:; "
    "worker-src 'self' blob:; object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'"
)
"""The application's page: its own scripts only; its styles are made while it runs."""


class ContentPolicy:
    """Say what a page may load."""

    def __init__(self, get_response: Next) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        response = self.get_response(request)
        page = response.get("Content-Type", "").startswith(("text/html", "image/svg"))
        made = page and request.path.startswith("/api/")
        if page:
            response.headers.setdefault("Content-Security-Policy", MADE_PAGE if made else OWN_PAGE)
        return response


AT_ANY_TIME = ("/healthz", "/metrics")
WITH_PASSWORDS = ("/api/login/", "/api/join/")
HASHED_AT_ONCE, HASHED_LATER = 1, 8
"""Passwords that one process looks at together, and those that wait for it."""
TRIES, TRIES_WITHIN = 20, 10.0
"""So many from one address within so many seconds."""
MOST_ADDRESSES = 10_000


class LogIns:
    """Lets few passwords be looked at together: each takes a core for a while, and who is in is not to wait for it."""

    def __init__(self) -> None:
        self.hashing = threading.BoundedSemaphore(HASHED_AT_ONCE)
        self._lock = threading.Lock()
        self._inside = 0
        self._tries: dict[str, deque[float]] = {}

    @contextmanager
    def entered(self, address: str) -> Iterator[bool]:
        """Whether there is room for one more, also for one more from that address."""
        now = time.monotonic()
        with self._lock:
            if len(self._tries) > MOST_ADDRESSES:
                late = [key for key, tries in self._tries.items() if now - tries[-1] > TRIES_WITHIN]
                for key in late or list(self._tries):
                    del self._tries[key]
            tries = self._tries.setdefault(address, deque(maxlen=TRIES))
            often = len(tries) == TRIES and now - tries[0] < TRIES_WITHIN
            room = not often and self._inside < HASHED_AT_ONCE + HASHED_LATER
            if room:
                tries.append(now)
                self._inside += 1
        try:
            yield room
        finally:
            if room:
                with self._lock:
                    self._inside -= 1


class AtOnce:
    """Answers a few requests of this process at once, however many threads hold connections.

    One Python process does one thing at a time: with many requests under way each takes as long as all of them, and one
    that writes keeps the database for as long.
    """

    def __init__(self, get_response: Next) -> None:
        self.get_response = get_response
        self.slots = threading.BoundedSemaphore(max(settings.AT_ONCE, 1))
        self.log_ins = LogIns()

    def __call__(self, request: HttpRequest) -> HttpResponse:
        # Whoever asks whether it is well is not to wait for what may be wrong.
        if request.path in AT_ANY_TIME:
            return self.get_response(request)
        if request.path in WITH_PASSWORDS and request.method == "POST":
            return self._password(request)
        with self.slots:
            return self.get_response(request)

    def _password(self, request: HttpRequest) -> HttpResponse:
        with self.log_ins.entered(request.META.get("REMOTE_ADDR", "")) as room:
            if room:
                with self.log_ins.hashing:
                    return self.get_response(request)
        answer = refuse(429, "Many are logging in just now.", "Wait some seconds, and try again.")
        answer["Retry-After"] = str(int(TRIES_WITHIN))
        return answer
