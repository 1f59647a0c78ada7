"""Options that are declared once: in a dataclass, with their unit, bounds and a word; every door
derives its own from it."""

from __future__ import annotations

from dataclasses import MISSING, dataclass, field, fields
from typing import Any

from quilt_core.errors import LayoutError


@dataclass(frozen=True)
class Option:
    """One setting that a user can make.

    Parameters
    ----------
    name : str
    default : bool, int, float, str or None
        Its type is the option's; None for a number that may be left out.
    help : str
        What it does, in a few words.
    unit : str
        "" for none.
    low, high : float, optional
        Smallest and largest value.
    choices : tuple of str
        The words that a text may be.
    """

    name: str
    default: Any
    help: str
    unit: str = ""
    low: float | None = None
    high: float | None = None
    choices: tuple[str, ...] = ()

    @property
    def kind(self) -> str:
        """One of flag, choice, whole and number."""
        if isinstance(self.default, bool):
            return "flag"
        if self.choices:
            return "choice"
        return "whole" if isinstance(self.default, int) else "number"

    def check(self, value: Any) -> None:
        """Raise `LayoutError` for a value that it cannot have."""
        if value is None and self.default is None:
            return
        if self.choices:
            if value not in self.choices:
                known = ", ".join(self.choices)
                raise LayoutError(
                    f"“{value}” is unknown for {self.name}.", self.name, f"Give one of {known}."
                )
            return
        if self.kind == "flag":
            return
        unit = f" {self.unit}" if self.unit else ""
        bounds = [
            f"{word} {bound:g}{unit}"
            for word, bound in (("at least", self.low), ("at most", self.high))
            if bound is not None
        ]
        # Not-a-number is neither.
        inside = (self.low is None or value >= self.low) and (
            self.high is None or value <= self.high
        )
        if not inside or value != value:
            said = self.name.replace("_", " ")
            raise LayoutError(
                f"{value:g}{unit} cannot be used for {said}.",
                self.name,
                f"Give {' and '.join(bounds)}.",
            )


def option(default: Any, help: str, **facts: Any) -> Any:
    """A dataclass field that is an option; `facts` are those of `Option`."""
    return field(default=default, metadata={"option": {"help": help, **facts}})


def options_of(kind: Any) -> tuple[Option, ...]:
    """The options of a dataclass in the order of its fields."""
    return tuple(
        Option(f.name, f.default, **f.metadata["option"])
        for f in fields(kind)
        if "option" in f.metadata and f.default is not MISSING
    )
