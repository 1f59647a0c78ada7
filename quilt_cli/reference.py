"""The page about the command line, made from the registry: ``python -m quilt_cli.reference > docs/command-line.md``."""

from __future__ import annotations

import types
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import fields, is_dataclass
from typing import Any, Union, get_args, get_origin

from quilt_cli.parser import PROGRAM, Parser, build, flag, help_of, metavar
from quilt_core.operations.operation import Operation, hint_of
from quilt_core.operations.registry import OPERATIONS
from quilt_core.options import Option, options_of
from quilt_core.run.on_files import settings_types

TOP = f"""# Command line

Made from the registry of operations by `python -m quilt_cli.reference`; a test compares the two.

    {PROGRAM} COMMAND FILE... [options]

Files are .obj, .gltf or .glb; `-` is one from stdin. Values of options may follow files and stand before them; option names are never shortened.
Options that take several values take them one after the other, or, where a name or a `=` is in them, the option is given again.

Progress goes to stderr, the answer to stdout; `--json` makes it JSON. A number that is none (no area, no neighbour) is `null`.

| exit code | |
|---|---|
| 0 | done |
| 1 | done, with findings: an error found by `check` or `bake`, islands left over by `pack`, a texture that was not there, a line of `run` that failed |
| 2 | bad input or bad words: nothing was written |
| 3 | an unexpected failure of the program: nothing was written |
| 130 | ended with Ctrl+C: nothing was written |

With `--json` stdout holds `{{"error": {{"what", "where", "fix"}}}}` after 2 and 3.

**Files that are written.** `--out` names a folder, or a file where there is one input. Files that a mesh names (materials, textures) come along, so that the result can be opened where it lies;
`--refer` leaves them where they are. Files that were read are never written onto, but for `--in-place`; files that this program did not write, or that were changed since, are kept, but for `--force`.
What was written stands in `.untold-quilt.json` beside it. All files of a command are there, or none.

The same settings are the fields of `POST /api/atlases/ID/COMMAND/` and, with underscores, of a step of a run sheet ([from files to a nightly run](nightly-run.md)).
"""
RUN = """## run

Bring a run sheet up to date: what is current is not done again.
"""


def page() -> str:
    """The whole page."""
    parts = [TOP]
    parts += [section(one) for one in OPERATIONS.values()]
    parts.append(RUN + "\n" + "\n".join(_words(_command("run"))) + "\n")
    return "\n".join(parts)


def section(operation: Operation) -> str:
    """What a command takes and tells."""
    lines = [
        f"## {operation.name}",
        "",
        operation.help,
        "",
        f"    {PROGRAM} {operation.name} {operation.example}",
        "",
        *_writing(operation),
    ]
    seen: set[str] = set()
    for kind in settings_types(operation):
        for one in options_of(kind):
            if one.name not in seen:
                seen.add(one.name)
                lines.append(_option(one))
    lines += ["", "Tells:", "", *_figures(operation.result), ""]
    return "\n".join(lines)


def _option(one: Option) -> str:
    value = "" if one.kind == "flag" and not one.many else f" {metavar(one)}"
    if one.many and not value.endswith("…"):
        value += " …"
    off = f"`, `--no-{flag(one.name)[2:]}" if one.default is True else ""
    return f"- `{flag(one.name)}{value}{off}`: {help_of(one)}"


def _writing(operation: Operation) -> Iterator[str]:
    names = {"--out", "--in-place", "--force"}
    for line in _words(_command(operation.name)):
        if any(line.startswith((f"- `{name}`", f"- `{name} ")) for name in names):
            yield line


def _command(name: str) -> Parser:
    (commands,) = (
        action.choices
        for action in build([name])._actions
        if isinstance(action.choices, Mapping) and name in action.choices
    )
    found: Parser = commands[name]
    return found


def _words(parser: Parser) -> Iterator[str]:
    for action in parser._actions:
        if action.dest == "help":
            continue
        name = action.option_strings[-1] if action.option_strings else ""
        value = action.metavar if action.nargs != 0 else ""
        words = " ".join(str(part) for part in (name, value) if part)
        yield f"- `{words or action.dest}`: {(action.help or '').replace('%%', '%')}"


def _figures(kind: Any, depth: int = 0) -> Iterator[str]:
    """Fields of a result, and of what is in it."""
    for one in fields(kind):
        fact = one.metadata.get("figure")
        if not fact:
            continue
        unit = f" ({fact['unit']})" if fact["unit"] else ""
        yield f"{'  ' * depth}- `{one.name}`: {fact['help']}{unit}"
        inner = _inside(hint_of(kind, one.name))
        if inner is not None:
            yield from _figures(inner, depth + 1)


def _inside(hint: Any) -> Any:
    """The dataclass that a field holds, or holds several of; None for another one."""
    if is_dataclass(hint):
        return hint
    if get_origin(hint) in (Union, types.UnionType, list, tuple):
        inner: Sequence[Any] = [found for one in get_args(hint) if (found := _inside(one))]
        return inner[0] if inner else None
    return None


if __name__ == "__main__":
    print(page(), end="")
