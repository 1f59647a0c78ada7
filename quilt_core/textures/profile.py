"""What an engine wants its textures like: which channels are in which texture, which way green points, names, formats
and sizes."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from quilt_core.errors import FileFormatError
from quilt_core.plugins import installed
from quilt_core.toml_text import read_toml

FORMATS = ("png", "jpeg", "webp")
SOURCES = {
    "colour.red": ("baseColor", 0), "colour.green": ("baseColor", 1), "colour.blue": ("baseColor", 2),
    "opacity": ("baseColor", 3), "occlusion": ("occlusion", 0),
    "roughness": ("metallicRoughness", 1), "smoothness": ("metallicRoughness", 1),
    "metal": ("metallicRoughness", 2),
    "emission.red": ("emissive", 0), "emission.green": ("emissive", 1), "emission.blue": ("emissive", 2),
    "normal.x": ("normal", 0), "normal.y up": ("normal", 1), "normal.y down": ("normal", 1),
    "normal.z": ("normal", 2), "height": ("height", 0), "curvature": ("curvature", 0),
    "objectNormal.x": ("objectNormal", 0), "objectNormal.y": ("objectNormal", 1), "objectNormal.z": ("objectNormal", 2),
    "id.red": ("id", 0), "id.green": ("id", 1), "id.blue": ("id", 2), "black": ("", 0), "white": ("", 0),
}  # fmt: skip
"""What a channel may hold, and the slot and channel that it is read from. Smoothness is one minus roughness; green of a
normal map that points down is one minus green that points up."""
TURNED = ("smoothness", "normal.y down")
SRGB = ("colour.red", "colour.green", "colour.blue", "emission.red", "emission.green", "emission.blue")  # fmt: skip
LARGEST = 16384


@dataclass(frozen=True)
class ProfileTexture:
    """A texture of a profile.

    Parameters
    ----------
    role : str
        What stands for {role} in its name.
    channels : tuple of str
        One, three or four of `SOURCES`, red first.
    format : str
        Of `FORMATS`; JPEG loses detail and has no fourth channel.
    bits : int
        8 or 16 for each channel, 0 for what the sources have; 16 in PNG only.
    """

    role: str
    channels: tuple[str, ...]
    format: str = "png"
    bits: int = 0

    def to_json(self) -> dict[str, Any]:
        """As `profile_from` reads it."""
        return {
            "role": self.role,
            "channels": list(self.channels),
            "format": self.format,
            "bits": self.bits,
        }


@dataclass(frozen=True)
class Profile:
    """Textures that are written beside those that the files refer to.

    Parameters
    ----------
    name : str
        Of the profile, and of the folder that its textures go to.
    images : tuple of ProfileTexture
    naming : str
        Pattern of their names, see `quilt_core.formats.merge_settings`.
    largest : int
        Longest side, px.
    """

    name: str
    images: tuple[ProfileTexture, ...]
    naming: str = "{name}_{role}"
    largest: int = LARGEST

    def to_json(self) -> dict[str, Any]:
        """As `profile_from` reads it."""
        return {
            "name": self.name,
            "naming": self.naming,
            "largest": self.largest,
            "texture": [one.to_json() for one in self.images],
        }


COLOUR = ("colour.red", "colour.green", "colour.blue")
EMISSION = ("emission.red", "emission.green", "emission.blue")


def _packed(name: str, green: str) -> Profile:
    return Profile(
        name,
        (
            ProfileTexture("colour", (*COLOUR, "opacity")),
            ProfileTexture("normal", ("normal.x", green, "normal.z")),
            ProfileTexture("orm", ("occlusion", "roughness", "metal")),
            ProfileTexture("emission", EMISSION),
        ),
    )


_OWN = {
    one.name: one
    for one in (
        _packed("packed", "normal.y up"),
        _packed("packed green down", "normal.y down"),
        Profile(
            "separate",
            (
                ProfileTexture("colour", COLOUR),
                ProfileTexture("opacity", ("opacity",)),
                ProfileTexture("normal", ("normal.x", "normal.y up", "normal.z")),
                ProfileTexture("occlusion", ("occlusion",)),
                ProfileTexture("roughness", ("roughness",)),
                ProfileTexture("metal", ("metal",)),
                ProfileTexture("emission", EMISSION),
            ),
        ),
        Profile(
            "smooth in alpha",
            (
                ProfileTexture("colour", (*COLOUR, "opacity")),
                ProfileTexture("normal", ("normal.x", "normal.y up", "normal.z")),
                ProfileTexture("mask", ("metal", "occlusion", "black", "smoothness")),
                ProfileTexture("emission", EMISSION),
            ),
        ),
    )
}
BUILT_IN = _OWN | installed("profiles", Profile, _OWN)
"""Profiles that are always there: those of this program and of packages that are installed beside it."""


def read_profile(name: str, data: bytes) -> Profile:
    """Read a profile from TOML.

    Raises
    ------
    FileFormatError
        When it is none.
    """
    try:
        given = read_toml(data)
    except ValueError as error:
        raise FileFormatError(
            f"The profile cannot be read: {error}", name, "Write it as TOML."
        ) from None
    return profile_from(given, name)


def profile_from(given: Mapping[str, Any], where: str) -> Profile:
    """A profile from what TOML or JSON says: name, naming, largest and a list `texture` of role, channels, format and
    bits.

    Raises
    ------
    FileFormatError
        When something is missing or unknown.
    """

    def refuse(what: str, fix: str) -> FileFormatError:
        return FileFormatError(what, where, fix)

    unknown = sorted(set(given) - {"name", "naming", "largest", "texture"})
    if unknown:
        raise refuse(f"A profile has no “{unknown[0]}”.", "Give name, naming, largest and texture.")
    title = str(given.get("name", ""))
    if not re.fullmatch(r"\w[\w .-]{0,60}", title):
        raise refuse(f"A profile “{title}”.", "Give it a name of letters, digits, dots, dashes.")
    largest = given.get("largest", LARGEST)
    if not isinstance(largest, int) or isinstance(largest, bool) or not 16 <= largest <= LARGEST:
        raise refuse(f"A largest side of {largest}.", f"Give 16 to {LARGEST} px.")
    rows = given.get("texture", [])
    if not isinstance(rows, list) or not 1 <= len(rows) <= 32:
        raise refuse("A profile without textures.", "Give one to 32 of them, each as [[texture]].")
    images = tuple(_texture_from(row, where) for row in rows)
    roles = [one.role for one in images]
    twice = next((role for role in roles if roles.count(role) > 1), None)
    if twice:
        raise refuse(f"Two textures are called “{twice}”.", "Give each a role of its own.")
    naming = str(given.get("naming", "{name}_{role}"))
    return Profile(title, images, naming, largest)


def _texture_from(row: Any, where: str) -> ProfileTexture:
    def refuse(what: str, fix: str) -> FileFormatError:
        return FileFormatError(what, where, fix)

    if not isinstance(row, Mapping):
        raise refuse("A texture of a profile is no table.", "Write each as [[texture]].")
    unknown = sorted(set(row) - {"role", "channels", "format", "bits"})
    if unknown:
        raise refuse(f"A texture has no “{unknown[0]}”.", "Give role, channels, format and bits.")
    role = str(row.get("role", ""))
    if not re.fullmatch(r"[\w-]{1,40}", role):
        raise refuse(f"A texture “{role}”.", "Give it a role of letters, digits and dashes.")
    channels = row.get("channels")
    if not isinstance(channels, list) or len(channels) not in (1, 3, 4):
        raise refuse(f"Channels of “{role}”.", "Give one, three or four, red first.")
    for one in channels:
        if one not in SOURCES:
            raise refuse(f"A channel “{one}” of “{role}”.", f"Give {', '.join(SOURCES)}.")
    format_, bits = row.get("format", "png"), row.get("bits", 0)
    if format_ not in FORMATS:
        raise refuse(f"“{role}” as {format_}.", f"Give {', '.join(FORMATS)}.")
    if bits not in (0, 8, 16) or isinstance(bits, bool):
        raise refuse(f"“{role}” with {bits} bits.", "Give 8 or 16, or 0 for what the sources have.")
    if bits == 16 and format_ != "png":
        raise refuse(f"“{role}” has 16 bits as {format_}.", "Write 16 bits as PNG.")
    if format_ == "jpeg" and len(channels) == 4:
        raise refuse(f"“{role}” has a fourth channel as JPEG.", "Write it as PNG or WebP.")
    return ProfileTexture(role, tuple(channels), format_, bits)
