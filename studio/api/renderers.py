"""Answers as JSON, quickly: those about layouts hold numbers for each island."""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Any

import orjson
from rest_framework.renderers import JSONRenderer

_OTHERS = JSONRenderer.encoder_class()


class FastJson(JSONRenderer):
    """DRF's JSON renderer, with another encoder: NumPy arrays are lists, numbers that are none are null."""

    def render(
        self,
        data: Any,
        accepted_media_type: str | None = None,
        renderer_context: Mapping[str, Any] | None = None,
    ) -> bytes:
        """The answer's body."""
        if data is None:
            return b""
        options = orjson.OPT_NON_STR_KEYS | orjson.OPT_SERIALIZE_NUMPY
        try:
            return orjson.dumps(data, default=_OTHERS.default, option=options)
        except TypeError:
            # Halves of characters, as a request may hold them and an error repeat them, are no UTF-8.
            return json.dumps(data, default=_OTHERS.default, separators=(",", ":")).encode()
