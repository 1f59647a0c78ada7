"""Options: settings that are declared once, in a dataclass, with their unit, bounds and a word. Every door (command
line, API, run sheet, screen, docs) makes its own from them."""

from __future__ import annotations

import types
from collections.abc import Callable, Hashable, Mapping, Sequence
from dataclasses import MISSING, Field, dataclass, field, fields
from functools import cache
from keyword import iskeyword
from typing import Any, Literal, TypeVar, Union, get_args, get_origin, get_type_hints

from quilt_core.errors import LayoutError

Kind = Literal["flag", "choice", "whole", "number", "text", "special"]
S = TypeVar("S")


@dataclass(frozen=True)
class Option:
    """One setting that a user can make.

    Parameters
    ----------
    name : str
        As it is called everywhere; the command line writes dashes.
    kind : str
        What one value is: flag, choice, whole, number, text, or special (has a `read` of its own).
    default : object
    help : str
        What it does, in a few words.
    unit : str
        "" for none.
    low, high : float, optional
        Smallest and largest value.
    choices : tuple
        Values that it may have.
    many, keyed : bool
        Whether it is a list of such values, or a table of them by names.
    optional : bool
        Whether it may be None: left to the program.
    read : callable, optional
        From what a person writes (a text or a number) to the value; raises ValueError.
    show : callable, optional
        The other way round.
    shape : str
        What a value looks like, for example 2048x1024.
    names : str
        What a text names: "" for nothing, else object, island, file, mesh (a file with its own), or output.
    bare : object
        Value of an option that is given without one on the command line.
    json : mapping, optional
        JSON schema of a special value; a string without it.
    load : callable, optional
        From the name and bytes of a file to the value, where a file may be named.
    passing : bool
        Whether it belongs to one moment, as what is selected: presets and lines of a run sheet leave it out.
    kept : bool
        Whether a step of the history keeps it: not what was selected, and where it was moved.
    """

    name: str
    kind: Kind
    default: Any
    help: str
    unit: str = ""
    low: float | None = None
    high: float | None = None
    choices: tuple[Any, ...] = ()
    many: bool = False
    keyed: bool = False
    optional: bool = False
    read: Callable[[Any], Any] | None = None
    show: Callable[[Any], Any] | None = None
    shape: str = ""
    names: str = ""
    bare: Any = None
    load: Callable[[str, bytes], Any] | None = None
    json: Mapping[str, Any] | None = None
    passing: bool = False
    kept: bool = True

    @property
    def attribute(self) -> str:
        """Name of its field: words that Python keeps for itself have a line behind them there."""
        return f"{self.name}_" if iskeyword(self.name) else self.name

    @property
    def said(self) -> str:
        """Its name in a sentence."""
        return self.name.replace("_", " ")

    @property
    def needed(self) -> bool:
        """Whether there is no default."""
        return self.default is MISSING

    @property
    def form(self) -> str:
        """What a value is, for messages and help."""
        if self.choices:
            return f"one of {', '.join(map(str, self.choices))}"
        if self.shape:
            return self.shape
        return {"flag": "true or false", "whole": "a whole number", "number": "a number"}.get(
            self.kind, "a text"
        )

    def bounds(self) -> str:
        """Its bounds in words, "" for none."""
        unit = f" {self.unit}" if self.unit else ""
        return " and ".join(
            f"{word} {bound:g}{unit}"
            for word, bound in (("at least", self.low), ("at most", self.high))
            if bound is not None
        )

    def value(self, given: Any, words: bool = False) -> Any:
        """A value from what a door was given, checked.

        Parameters
        ----------
        given : object
            As JSON or TOML have it.
        words : bool
            Whether numbers are written as words, as on a command line.

        Raises
        ------
        LayoutError
            With the option's name in `where`.
        """
        if given is None:
            if self.optional:
                return None
            raise self._wrong(given)
        if self.keyed:
            if not isinstance(given, Mapping):
                given, words = dict(_pair(one, self) for one in _listed(given)), True
            return {str(key): self._one(one, words) for key, one in given.items()}
        if self.many:
            rows = _listed(given)
            if words and self.kind == "choice":
                rows = [word for row in rows for word in str(row).split(",") if word]
            if self.needed and not rows:
                raise LayoutError(f"No {self.said} are given.", self.name, f"Give {self.form}.")
            return tuple(self._one(one, words) for one in rows)
        return self._one(given, words)

    def check(self, value: Any) -> None:
        """Raise `LayoutError` for a value that it cannot have."""
        if value is None and self.optional:
            return
        rows = (
            value.values()
            if self.keyed and isinstance(value, Mapping)
            else value
            if self.many and isinstance(value, tuple | list)
            else (value,)
        )
        for one in rows:
            self._check_one(one)

    def plain(self, value: Any) -> Any:
        """A value as JSON and TOML have it."""
        if value is None:
            return None
        show = self.show or (lambda one: one)
        if self.keyed:
            return {key: show(one) for key, one in value.items()}
        if self.many:
            return [show(one) for one in value]
        return show(value)

    def _one(self, given: Any, words: bool) -> Any:
        if self.read is not None:
            try:
                value = self.read(given)
            except (ValueError, TypeError) as error:
                raise self._wrong(given, str(error)) from None
        elif self.kind == "choice":
            known = {str(one): one for one in self.choices}
            if not words and given not in self.choices:
                raise self._wrong(given)
            value = known.get(str(given), given)
        elif self.kind == "flag":
            if words and given in ("true", "false"):
                given = given == "true"
            if not isinstance(given, bool):
                raise self._wrong(given)
            value = given
        elif self.kind == "text":
            if not isinstance(given, str):
                raise self._wrong(given)
            value = given
        else:
            value = self._number(given, words)
        self._check_one(value)
        return value

    def _number(self, given: Any, words: bool) -> int | float:
        make = int if self.kind == "whole" else float
        try:
            if words and isinstance(given, str):
                return make(given)
            if isinstance(given, bool) or not isinstance(given, int | float):
                raise ValueError
            if self.kind == "whole" and given != int(given):
                raise ValueError
            return make(given)
        except (ValueError, OverflowError):
            raise self._wrong(given) from None

    def _check_one(self, value: Any) -> None:
        if self.choices:
            if value not in self.choices:
                raise self._wrong(value)
            return
        if self.kind not in ("whole", "number"):
            return
        # Not-a-number is neither.
        inside = (self.low is None or value >= self.low) and (
            self.high is None or value <= self.high
        )
        if not inside or value != value or abs(value) == float("inf"):
            unit = f" {self.unit}" if self.unit else ""
            raise LayoutError(
                f"{value:g}{unit} cannot be used for {self.said}.",
                self.name,
                f"Give {self.bounds() or 'a number'}.",
            )

    def _wrong(self, given: Any, why: str = "") -> LayoutError:
        bounds = self.bounds()
        form = f"Give {self.form}{f', {bounds}' if bounds and not self.choices else ''}."
        shown = given if isinstance(given, str) else repr(given)
        return LayoutError(
            f"“{shown[:80]}” cannot be used for {self.said}.", self.name, why or form
        )


def _listed(given: Any) -> Sequence[Any]:
    return given if isinstance(given, list | tuple) else (given,)


def _pair(text: Any, option: Option) -> tuple[str, str]:
    name, mark, value = str(text).rpartition("=")
    if not mark or not name:
        raise LayoutError(
            f"“{text}” cannot be used for {option.said}.", option.name, f"Give {option.form}."
        )
    return name, value


def option(default: Any = MISSING, help: str = "", **facts: Any) -> Any:
    """A dataclass field that is an option; `facts` are those of `Option`."""
    meta = {"option": {"help": help, **facts}}
    if isinstance(default, dict):
        return field(default_factory=lambda: dict(default), metadata=meta)
    return field(default=default, metadata=meta) if default is not MISSING else field(metadata=meta)


def options_of(kind: Any) -> tuple[Option, ...]:
    """The options of a dataclass in the order of its fields."""
    return _options_of(kind)


@cache
def _options_of(kind: Hashable) -> tuple[Option, ...]:
    assert isinstance(kind, type)
    hints = get_type_hints(kind)
    return tuple(_option(f, hints[f.name]) for f in fields(kind) if "option" in f.metadata)


def _option(of: Field[Any], hint: Any) -> Option:
    facts = dict(of.metadata["option"])
    default = of.default
    if default is MISSING and of.default_factory is not MISSING:
        default = of.default_factory()
    if get_origin(hint) in (Union, types.UnionType):
        rest = [one for one in get_args(hint) if one is not type(None)]
        facts["optional"] = len(rest) < len(get_args(hint))
        hint = rest[0] if len(rest) == 1 else object
    origin = get_origin(hint)
    if origin is tuple and get_args(hint)[-1] is Ellipsis:
        facts["many"], hint = True, get_args(hint)[0]
    elif origin is dict:
        facts["keyed"], hint = True, get_args(hint)[1]
    kind = "special" if "read" in facts else _kind(hint, facts)
    return Option(of.name.rstrip("_"), kind, default, **facts)


def _kind(hint: Any, facts: dict[str, Any]) -> Kind:
    if get_origin(hint) is Literal:
        facts.setdefault("choices", get_args(hint))
    if facts.get("choices"):
        return "choice"
    kinds: dict[Any, Kind] = {bool: "flag", int: "whole", float: "number", str: "text"}
    if hint not in kinds:
        raise TypeError(f"{hint} needs a read of its own")
    return kinds[hint]


def settings_from(kind: type[S], given: Mapping[str, Any], words: bool = False) -> S:
    """A dataclass of options from plain values by their names.

    Parameters
    ----------
    kind : type
    given : mapping
        Those that are left out have their defaults.
    words : bool
        See `Option.value`.

    Raises
    ------
    LayoutError
        For a value that cannot be used, and a name that there is none of.

    Examples
    --------
    >>> @dataclass(frozen=True)
    ... class Gaps:
    ...     padding: float = option(8.0, "gap between islands", unit="px", low=0)
    >>> settings_from(Gaps, {"padding": 4})
    Gaps(padding=4.0)
    """
    known = {one.name: one for one in options_of(kind)}
    for name in given:
        if name not in known:
            raise LayoutError(
                f"There is no setting “{name}”.", name, f"Known are {', '.join(known)}."
            )
    for one in known.values():
        if one.needed and one.name not in given:
            raise LayoutError(
                f"{one.said.capitalize()} is not given.", one.name, f"Give {one.form}."
            )
    return kind(**{known[name].attribute: known[name].value(v, words) for name, v in given.items()})


def plain_settings(settings: Any, all_of_them: bool = False) -> dict[str, Any]:
    """Values of a dataclass of options as JSON and TOML have them; those alone that are not their defaults, or all."""
    out = {}
    for one in options_of(type(settings)):
        value = getattr(settings, one.attribute)
        if all_of_them or value != one.default:
            out[one.name] = one.plain(value)
    return out


def check_options(settings: Any) -> None:
    """Raise `LayoutError` for the first value of a dataclass of options that it cannot have."""
    for one in options_of(type(settings)):
        one.check(getattr(settings, one.attribute))
