"""Checked request data."""

from __future__ import annotations

from typing import Any

from rest_framework.request import Request


def valid(kind: type[Any], request: Request) -> dict[str, Any]:
    """What a serializer makes of the request; raises when it is not what is wanted."""
    serializer = kind(data=request.data)
    serializer.is_valid(raise_exception=True)
    return dict(serializer.validated_data)
