"""A run sheet written as TOML."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import tomli_w

from quilt_core.run.sheet import VERSION, Line


def sheet_text(lines: Sequence[Line], about: str = "") -> str:
    """Lines as `sheet.read_sheet` reads them.

    Parameters
    ----------
    lines : sequence of Line
    about : str
        A comment at the top.

    Examples
    --------
    >>> from quilt_core.run.sheet import Step, read_sheet
    >>> line = Line("a", ("a.obj",), (), "build", False, (Step("pack", {"padding": 4}),))
    >>> read_sheet("a.toml", sheet_text([line]).encode()).lines == (line,)
    True
    """
    head = "".join(f"# {row}\n" for row in about.splitlines())
    return head + tomli_w.dumps({"version": VERSION, "line": [_row(line) for line in lines]})


def _row(line: Line) -> dict[str, Any]:
    out: dict[str, Any] = {"name": line.name}
    for name, values in (
        ("files", line.files), ("from", line.sources), ("atlas", line.atlases), ("objects", line.target.objects),
    ):  # fmt: skip
        if values:
            out[name] = list(values)
    if line.target.channel:
        out["channel"] = line.target.channel
    if line.out:
        out["out"] = line.out
    if line.hold:
        out["hold"] = True
    atlases = list(line.atlases)
    out["steps"] = [
        {"do": step.do, **{k: _plain(v) for k, v in step.settings.items() if k != "atlas" or v != atlases}}
        for step in line.steps
    ]  # fmt: skip
    return out


def _plain(value: Any) -> Any:
    """A setting as a sheet has it: tables are lists of name=value."""
    return [f"{k}={v}" for k, v in value.items()] if isinstance(value, Mapping) else value
