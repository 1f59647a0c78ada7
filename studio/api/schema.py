"""The description of the API (OpenAPI 3.0)."""

from __future__ import annotations

from drf_spectacular.views import SpectacularAPIView

from studio.actions.access import ACCOUNT


class Schema(SpectacularAPIView):
    """All that can be asked, as OpenAPI."""

    roles = {"GET": ACCOUNT}
