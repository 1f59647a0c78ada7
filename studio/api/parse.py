"""Checked request data."""

from __future__ import annotations

import math
from typing import Any

from rest_framework.exceptions import ValidationError
from rest_framework.request import Request

MOST_NUMBER = 2**53
"""Larger whole numbers are neither ids nor counts."""


def valid(kind: type[Any], request: Request) -> dict[str, Any]:
    """What a serializer makes of the request; raises when it is not what is wanted."""
    serializer = kind(data=request.data)
    serializer.is_valid(raise_exception=True)
    data = dict(serializer.validated_data)
    for name, value in data.items():
        if isinstance(value, float) and not math.isfinite(value):
            raise ValidationError({name: [f"{value} is not a number that can be used."]})
        if isinstance(value, int) and abs(value) > MOST_NUMBER:
            raise ValidationError({name: [f"{str(value)[:30]} is beyond all bounds."]})
        if isinstance(value, list) and any(isinstance(v, int) and v > MOST_NUMBER for v in value):
            raise ValidationError({name: ["A number in it is beyond all bounds."]})
    return data
