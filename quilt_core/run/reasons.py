"""Why a line is out of date, in words."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from quilt_core.run.contents import Contents

MOST_REASONS = 6
PARTS = ("shape", "UVs", "materials")


def file_reasons(
    before: Mapping[str, str], now: Mapping[str, str], contents: Mapping[str, Contents]
) -> list[str]:
    """What has changed among the files that go in.

    Parameters
    ----------
    before, now : mapping
        File names to their fingerprints.
    contents : mapping
        Fingerprints to what is in the files, where it is known.
    """
    gone, new = [n for n in before if n not in now], [n for n in now if n not in before]
    out = []
    old_marks = {before[name]: name for name in gone}
    for name in new:
        if now[name] in old_marks:
            gone.remove(old_marks.pop(now[name]))  # only its name is another
        else:
            out.append(f"{name} is new")
    out += [f"{name} is gone" for name in gone]
    for name in now:
        if name in before and before[name] != now[name]:
            out += _within(name, contents.get(before[name]), contents.get(now[name]))
    return out


def _within(name: str, old: Contents | None, new: Contents | None) -> list[str]:
    """What has changed inside a file."""
    if new is not None and new.error:
        return [f"{name} cannot be read"]
    if old is None or new is None or old.error:
        return [f"{name} has changed"]
    out = []
    for title in new.objects:
        if title not in old.objects:
            out.append(f"{title} is new in {name}")
            continue
        pairs = zip(PARTS, old.objects[title], new.objects[title], strict=True)
        parts = [part for part, a, b in pairs if a != b]
        if parts:
            have = "have" if parts[-1].endswith("s") or len(parts) > 1 else "has"
            out.append(f"{title}'s {' and '.join(parts)} {have} changed")
    out += [f"{title} is gone from {name}" for title in old.objects if title not in new.objects]
    for title, digest in new.images.items():
        if title not in old.images:
            out.append(f"the texture {title} is new")
        elif old.images[title] != digest:
            what = (
                "replaced"
                if digest and old.images[title]
                else "there now"
                if digest
                else "not there any more"
            )
            out.append(
                f"the texture {title} is {what}"
                if what != "replaced"
                else f"the texture {title} was replaced"
            )
    return out or [f"{name} has changed"]


def step_reasons(
    before: Sequence[Mapping[str, Any]], now: Sequence[Mapping[str, Any]]
) -> list[str]:
    """What has changed in the steps: each is {do, settings, aside}."""
    verbs, old_verbs = [s["do"] for s in now], [s["do"] for s in before]
    if verbs != old_verbs:
        return [f"steps {', '.join(old_verbs) or 'none'} → {', '.join(verbs)}"]
    out = []
    for old, new in zip(before, now, strict=True):
        for key in dict.fromkeys([*old["settings"], *new["settings"]]):
            a, b = old["settings"].get(key), new["settings"].get(key)
            if a != b:
                word = key.replace("_", " ")
                if a is None:
                    out.append(f"{new['do']}: {word} {_said(b)} is new")
                elif b is None:
                    out.append(f"{new['do']}: {word} {_said(a)} is gone")
                else:
                    out.append(f"{new['do']}: {word} {_said(a)} → {_said(b)}")
        for name, digest in new["aside"].items():
            if name in old["aside"] and old["aside"][name] != digest:
                out.append(f"{name} has changed")
    return out


def shortened(reasons: list[str]) -> list[str]:
    """No more than a few of them."""
    rest = len(reasons) - MOST_REASONS
    return reasons if rest <= 1 else [*reasons[:MOST_REASONS], f"and {rest} more"]


def _said(value: Any) -> str:
    if isinstance(value, list):
        return ", ".join(map(str, value))
    if isinstance(value, bool):
        return "on" if value else "off"
    return f"{value:.10g}" if isinstance(value, float) else str(value)
