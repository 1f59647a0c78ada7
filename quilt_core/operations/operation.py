"""What an operation is: one record, from which every door is made."""

from __future__ import annotations

import math
import sys
from collections.abc import Callable, Mapping
from dataclasses import MISSING, dataclass, field, fields, is_dataclass
from enum import Enum
from importlib import import_module
from inspect import get_annotations
from pathlib import PurePath
from types import SimpleNamespace
from typing import Any, Literal, get_type_hints

from quilt_core.errors import QuiltError

Changes = Literal["layout", "document", "files", "nothing"]
"""What an operation changes: places of islands, more of the document, files that it writes, or nothing."""
Pace = Literal["moment", "soon", "long"]
AGAINST = "against"
"""What a document that another one is compared with is called."""
Role = Literal["viewer", "editor", "owner"]


class Stopped(QuiltError):
    """The user stopped the work and wants nothing of it."""

    def __init__(self) -> None:
        super().__init__("Stopped.", "", "Nothing was changed.")


class Progress:
    """What work tells while it is done, and what it hears. This one tells nobody and goes on."""

    def report(
        self,
        done: float,
        message: str,
        figures: Mapping[str, Any] | None = None,
        placements: Any = None,
    ) -> None:
        """Tell how far the work is (0 to 1), with the best figures and placements so far where there are any."""

    def stop(self) -> str:
        """ "" to go on; "keep" to end with what there is, "drop" to end with nothing."""
        return ""

    def check(self) -> None:
        """Raise `Stopped` when nothing is wanted any more."""
        if self.stop() == "drop":
            raise Stopped

    def part(self, start: float, share: float, name: str = "") -> Progress:
        """Progress of a part of the work, which tells in this one's terms."""
        return _Part(self, start, share, name)


@dataclass(frozen=True)
class _Part(Progress):
    whole: Progress
    start: float
    share: float
    name: str

    def report(
        self,
        done: float,
        message: str,
        figures: Mapping[str, Any] | None = None,
        placements: Any = None,
    ) -> None:
        said = f"{self.name}: {message}" if self.name else message
        at = self.start + self.share * min(max(done, 0.0), 1.0)
        self.whole.report(at, said, figures, placements)

    def stop(self) -> str:
        return self.whole.stop()


@dataclass(frozen=True)
class FileUse:
    """How an operation is done on mesh files.

    Parameters
    ----------
    layouts : bool
        Whether UVs are read, in a channel and on tiles; else meshes alone.
    controls : bool
        Whether single islands can be told something (locks, bundles, atlases).
    gaps : bool
        Whether padding and margin of the layout can be said: where the operation has no such settings of its own.
    all_tiles : bool
        Whether tiles are those that islands lie in, where none are named.
    packs : bool
        Whether what it lays on the side table is packed into the tile: files have no side table.
    one_atlas : bool
        Whether it is about one atlas at a time.
    writes : str
        meshes, images, both, project (a project file), or "" for nothing.
    lists : bool
        Whether it only tells what there is where its settings are the usual ones.
    two : bool
        Whether the first of two inputs is the one that the other is compared with, where none is named.
    more_name : str
        Dataclass, in the operation's module, of further options: files that are read or written.
    also_name : str
        ``also(document, result, settings, more, progress) -> (files, words, values)`` there: what comes of those: files by
        path, lines that are told, and values that are told with the result.
    """

    layouts: bool = True
    controls: bool = False
    gaps: bool = False
    all_tiles: bool = False
    packs: bool = False
    one_atlas: bool = False
    writes: Literal["meshes", "images", "both", "project", ""] = ""
    lists: bool = False
    two: bool = False
    more_name: str = ""
    also_name: str = ""


@dataclass(frozen=True)
class Operation:
    """What a user can do.

    Parameters
    ----------
    name : str
        As it is called everywhere.
    help : str
        One sentence.
    home : str
        Module of all that is named below, imported when it is needed: compiled code loads slowly. Its ``tell(result)`` says
        a result in words.
    settings_name, result_name : str
        Dataclasses of options, and of figures.
    runs : str
        ``run(document, settings, progress) -> result``.
    changes : str
    role : str
        What one must be in a project to do it there, where accounts are kept.
    pace : str
        moment: done while one waits for the answer; soon: mostly a second or two, of which nothing needs to be shown; long.
    example : str
        Words behind its name on a command line.
    synonyms : tuple of str
        Words of the trade by which it is found, too.
    needs : tuple of str
        Settings of the project that it relies on.
    relies : tuple of str
        Parts of an atlas that it relies on though it does not change them: what the user saw of them must hold.
    compares : bool
        Whether it is about a step of the history, too: the one that its setting ``step`` says, or the one before the present.
    scene : bool
        Whether all that stands in the project counts, and not the atlas's objects alone.
    files : FileUse
    """

    name: str
    help: str
    home: str
    settings_name: str
    result_name: str
    runs: str = "run"
    changes: Changes = "nothing"
    role: Role = "editor"
    pace: Pace = "long"
    example: str = ""
    synonyms: tuple[str, ...] = ()
    needs: tuple[str, ...] = ()
    relies: tuple[str, ...] = ()
    scene: bool = False
    compares: bool = False
    files: FileUse = FileUse()

    def find(self, name: str) -> Any:
        """Something of its module."""
        return getattr(import_module(self.home), name)

    @property
    def settings(self) -> type[Any]:
        """Its dataclass of options."""
        found: type[Any] = self.find(self.settings_name)
        return found

    @property
    def result(self) -> type[Any]:
        """Its dataclass of figures."""
        found: type[Any] = self.find(self.result_name)
        return found

    @property
    def more(self) -> type[Any] | None:
        """Dataclass of further options on files."""
        found: type[Any] | None = self.find(self.files.more_name) if self.files.more_name else None
        return found

    @property
    def run(self) -> Callable[[Any, Any, Progress], Any]:
        """``run(document, settings, progress) -> result``."""
        found: Callable[[Any, Any, Progress], Any] = self.find(self.runs)
        return found

    @property
    def tell(self) -> Callable[[Any], list[str]]:
        """The result in words."""
        found: Callable[[Any], list[str]] = self.find(
            "tell" if self.runs == "run" else f"tell_{self.name.replace('-', '_')}"
        )
        return found


def figure(help: str, unit: str = "", digits: int = 6, default: Any = MISSING) -> Any:
    """A dataclass field of a result that is told: what it is, its unit, and to how many digits behind the point."""
    meta = {"figure": {"help": help, "unit": unit, "digits": digits}}
    return field(metadata=meta) if default is MISSING else field(default=default, metadata=meta)


def plain(value: Any, digits: int = 6) -> Any:
    """A result as JSON has it: its figures by their names; None for a number that is none."""
    if is_dataclass(value) and not isinstance(value, type):
        facts = {f.name: f.metadata.get("figure") for f in fields(value)}
        if not any(facts.values()):
            return {name: plain(getattr(value, name), digits) for name in facts}
        return {
            name: plain(getattr(value, name), fact["digits"])
            for name, fact in facts.items()
            if fact
        }
    if isinstance(value, Mapping):
        return {str(key): plain(one, digits) for key, one in value.items()}
    if hasattr(value, "tolist"):  # an array, or a number of one
        value = value.tolist()
    if isinstance(value, list | tuple | set | frozenset):
        return [plain(one, digits) for one in value]
    if isinstance(value, Enum):
        return value.value
    if isinstance(value, PurePath):
        return str(value)
    if isinstance(value, bool):
        return value
    if isinstance(value, int):
        return value
    if isinstance(value, float):
        return round(value, digits) if math.isfinite(value) else None
    return value


def hint_of(kind: Any, name: str) -> Any:
    """Type of a field; None where its module knows it for type checkers only."""
    home = next(base for base in kind.__mro__ if name in get_annotations(base))
    holder = SimpleNamespace(__annotations__={"it": get_annotations(home)[name]})
    try:
        return get_type_hints(holder, vars(sys.modules[home.__module__]))["it"]
    except NameError:
        return None
