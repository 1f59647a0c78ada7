"""Record types of msgspec, made ready before they are used."""

from __future__ import annotations

from typing import Any

from msgspec.json import Decoder


def prepare(*kinds: Any) -> None:
    """Build what msgspec keeps of types, and of all that these are made of.

    It does so at first use otherwise, and not for several threads at once: a second one meets a type that is half built
    and the process dies. To be called where the types are defined, as a module is read by one thread alone.
    """
    for kind in kinds:
        Decoder(kind)
