"""Thresholds and severities that a project sets."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import asdict, dataclass, field, fields
from typing import Any

from quilt_core.check.findings import FINDING_KINDS, SEVERITIES
from quilt_core.errors import QuiltError
from quilt_core.measure.density import house_band
from quilt_core.scene.lengths import DENSITY_UNITS, PER_METRE


@dataclass(frozen=True)
class Ignored:
    """A finding that does not count, and why.

    Parameters
    ----------
    finding : str
        Its key.
    reason : str
    about : str
        What it is, in words, where the key does not say.
    """

    finding: str
    reason: str
    about: str = ""


@dataclass(frozen=True)
class Rules:
    """What a layout must keep to be called ready.

    Parameters
    ----------
    padding, margin : float
        Least distance between islands, and to the tile's edge, in px.
    house_density : float, optional
        px per metre; without it the density is not judged.
    tolerance : float
        Half-width of the house band as a part of the density.
    least_density, most_density : float, optional
        Ends of the house band in px per metre, where they are said themselves.
    mip_level : int
        Gaps must be open down to this level; 0 asks for nothing more than the padding.
    stretch : float
        Largest L2 stretch of an island; 1 is none.
    angle : float
        Largest mean ratio of the singular values of an island; 1 keeps all angles.
    sliver : float
        Triangles of the layout whose height is below this part of their longest edge are slivers.
    material_gap : float
        Least distance in px between different materials; 0 does not look.
    block : int
        Edge in px of the blocks that textures are compressed by, in which no two islands may have
        texels; 0 does not look. BC and ETC have 4, ASTC 4 to 12.
    density_unit : str
        That densities are told in: px/m, px/cm or px/in. Values are in px per metre.
    severity : mapping
        Kind of finding to error, warning, hint or off.
    ignored : tuple of Ignored
    """

    padding: float = 8.0
    margin: float = 0.0
    house_density: float | None = None
    tolerance: float = 0.05
    least_density: float | None = None
    most_density: float | None = None
    mip_level: int = 0
    stretch: float = 1.25
    angle: float = 1.8
    sliver: float = 0.004
    material_gap: float = 0.0
    block: int = 0
    density_unit: str = PER_METRE
    severity: Mapping[str, str] = field(default_factory=dict)
    ignored: tuple[Ignored, ...] = ()

    def severity_of(self, kind: str) -> str:
        """error, warning, hint or off."""
        return self.severity.get(kind, FINDING_KINDS[kind].severity)

    @property
    def band(self) -> tuple[float, float] | None:
        """Lowest and highest density in px per metre that are wanted of a weight of 1; None where
        density is not judged."""
        return house_band(self.house_density, self.tolerance, self.least_density, self.most_density)

    @property
    def wanted_gap(self) -> float:
        """px between islands: the padding, or more where a mip level asks for it."""
        return max(self.padding, float(2**self.mip_level) if self.mip_level else 0.0)


MAY_BE_NONE = ("house_density", "least_density", "most_density")
LIMITS: dict[str, tuple[float, float]] = {
    "padding": (0, 1024),
    "margin": (0, 1024),
    "house_density": (1e-6, 1e9),
    "tolerance": (0, 10),
    "least_density": (1e-6, 1e9),
    "most_density": (1e-6, 1e9),
    "mip_level": (0, 14),
    "stretch": (1, 1e6),
    "angle": (1, 1e6),
    "sliver": (0, 0.8),
    "material_gap": (0, 1024),
    "block": (0, 12),
}


def house_rules(house: Any, padding: float, margin: float) -> Rules:
    """Rules before any are said: the house band of a project or a document, and distances of a layout."""
    return Rules(
        padding=padding,
        margin=margin,
        house_density=house.house_density,
        tolerance=house.tolerance,
        least_density=house.least_density,
        most_density=house.most_density,
        density_unit=house.density_unit,
    )


def read_rules(text: str, where: str = "rules", base: Rules | None = None) -> Rules:
    """Rules from JSON.

    Parameters
    ----------
    text : str
        An object with any of the fields of `Rules`; ``ignored`` is a list of objects with
        ``finding`` and ``reason``.
    where : str
        Name of the file, for the error.
    base : Rules, optional
        What is not named in the text.

    Raises
    ------
    QuiltError
        When it is not JSON, or a field is unknown or out of its range.

    Examples
    --------
    >>> read_rules('{"padding": 16, "severity": {"mirrored": "error"}}').severity_of("mirrored")
    'error'
    """
    try:
        data = json.loads(text)
    except json.JSONDecodeError as error:
        raise QuiltError(
            f"It is not JSON ({error.msg}).",
            f"{where}, line {error.lineno}",
            "Correct the text there.",
        ) from None
    if not isinstance(data, dict):
        raise QuiltError("It is not a JSON object.", where, 'Write for example {"padding": 8}.')
    return make_rules(data, where, base or Rules())


def make_rules(data: Mapping[str, Any], where: str, base: Rules) -> Rules:
    """Rules from plain values, checked; see `read_rules`."""
    known = [f.name for f in fields(Rules)]
    values = {name: getattr(base, name) for name in known}
    for name, value in data.items():
        if name not in known:
            raise QuiltError(f"There is no rule “{name}”.", where, f"There are {', '.join(known)}.")
        if name == "severity":
            values[name] = {**base.severity, **_severities(value, where)}
        elif name == "density_unit":
            values[name] = _unit(value, where)
        elif name == "ignored":
            values[name] = _ignored(value, where)
        else:
            values[name] = _number(name, value, where)
    rules = Rules(**values)
    _ = rules.band  # raises when it cannot be
    return rules


def plain(rules: Rules) -> dict[str, Any]:
    """Rules as plain values for JSON; `make_rules` reads them again."""
    return {
        **asdict(rules),
        "severity": dict(rules.severity),
        "ignored": [asdict(i) for i in rules.ignored],
    }


def _number(name: str, value: Any, where: str) -> float | int | None:
    if value is None and name in MAY_BE_NONE:
        return None
    low, high = LIMITS[name]
    whole = name in ("mip_level", "block")
    if (
        isinstance(value, bool)
        or not isinstance(value, int if whole else (int, float))
        or not low <= value <= high
    ):
        raise QuiltError(
            f"{name} is {value!r}.",
            where,
            f"Give a {'whole ' if whole else ''}number from {low:g} to {high:g}.",
        )
    return value


def _unit(value: Any, where: str) -> str:
    if value not in DENSITY_UNITS:
        raise QuiltError(
            f"density_unit is {value!r}.", where, f"Give one of {', '.join(DENSITY_UNITS)}."
        )
    return str(value)


def _severities(value: Any, where: str) -> dict[str, str]:
    if not isinstance(value, dict):
        raise QuiltError(
            "severity is not an object.", where, 'Write for example {"mirrored": "error"}.'
        )
    for kind, severity in value.items():
        if kind not in FINDING_KINDS:
            raise QuiltError(
                f"There is no kind of finding “{kind}”.",
                where,
                f"There are {', '.join(FINDING_KINDS)}.",
            )
        if severity not in SEVERITIES:
            raise QuiltError(
                f"“{severity}” is no severity.", f"{where}, {kind}", f"Use {', '.join(SEVERITIES)}."
            )
    return value


def _ignored(value: Any, where: str) -> tuple[Ignored, ...]:
    out = []
    for row in value if isinstance(value, list) else [value]:
        if not isinstance(row, dict) or not isinstance(row.get("finding"), str):
            raise QuiltError(
                "An ignored finding is not named.", where, 'Write {"finding": "…", "reason": "…"}.'
            )
        reason = row.get("reason")
        if not isinstance(reason, str) or not reason.strip():
            raise QuiltError(
                f"“{row['finding']}” is ignored without a reason.",
                where,
                "Say in “reason” why it does not count.",
            )
        about = row.get("about", "")
        out.append(Ignored(row["finding"], reason.strip(), about if isinstance(about, str) else ""))
    return tuple(out)
