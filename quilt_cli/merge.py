"""``untold-quilt merge``."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

from quilt_cli.gather import read_path, say, teller
from quilt_cli.pack_write import output_paths, write_all
from quilt_core.errors import QuiltError
from quilt_core.formats.load import folder_siblings
from quilt_core.formats.merge_files import MergeSettings, merge_files
from quilt_core.pack import PackSettings
from quilt_core.pictures.looks import CORE
from quilt_core.pictures.profile import BUILT_IN, Profile, read_profile
from quilt_core.scene.tiles import TileSize

PREVIEW = 512
SECONDS = 15.0


def merge(options: argparse.Namespace) -> tuple[dict[str, Any], int]:
    """Give painted files one shared layout and one set of pictures, and write them."""
    width, height = options.size
    if options.preview:
        width, height = PREVIEW, max(16, round(PREVIEW * height / width))
    settings = MergeSettings(
        pack=PackSettings(
            width=width,
            height=height,
            padding=options.padding,
            margin=options.margin,
            effort=options.effort,
            seconds=SECONDS,
            seed=options.seed,
            tiles=tuple(TileSize(1001 + k, width, height) for k in range(options.tiles)),
        ),
        density=options.density,
        filter_name=options.filter,
        keep_channel=options.keep_channel,
        name=options.name,
        embed=options.embed,
        role_sizes=_role_sizes(options.roles),
        naming=options.naming,
        form=options.format,
        bits=options.bits,
        profile=_profile(options.profile),
        joint=options.joint is not None,
        most_repeats=options.most_repeats,
    )
    targets = output_paths(options.files, options.out)
    scenes = [read_path(path, options.unit) for path in options.files]
    for scene in scenes:
        for warning in scene.warnings:
            say(f"note: {warning}")
    done = merge_files(
        scenes, [folder_siblings(path.parent) for path in options.files], settings, teller()
    )
    ready: list[tuple[Path, bytes]] = []
    for scene, target, files in zip(scenes, targets, done.files, strict=True):
        for name, data in files.items():
            ready.append((target if name == scene.name else target.parent / name, data))
    for name, data in done.pictures.items():
        ready.append((targets[0].parent / name, data))
    if done.joint is not None:
        ready.append((targets[0].parent / f"{options.joint}.glb", done.joint))
    write_all(ready)
    for note in done.notes:
        say(f"note: {note}")
    json = {
        **done.report,
        "notes": list(done.notes),
        "files": [str(path) for path, _ in ready],
    }
    return {"json": json, "text": _text(done.report)}, 0


def _profile(given: str | None) -> Profile | None:
    """A built-in profile by its name, or one from a file."""
    if given is None or given in BUILT_IN:
        return BUILT_IN.get(given or "")
    path = Path(given)
    if not path.is_file():
        raise QuiltError(
            f"There is no profile “{given}”.",
            "--profile",
            f"Give a TOML file, or one of {', '.join(BUILT_IN)}.",
        )
    return read_profile(path.name, path.read_bytes())


def _role_sizes(given: list[str]) -> dict[str, int]:
    names = {slot.name for slot in CORE}
    out = {}
    for text in given:
        role, _, value = text.partition("=")
        if role not in names or not value.isdigit() or not 16 <= int(value) <= 16384:
            raise QuiltError(
                f"“{text}” is no size of a role.",
                "--roles",
                f"Give ROLE=PX with one of {', '.join(sorted(names))}.",
            )
        out[role] = int(value)
    return out


def _text(report: dict[str, Any]) -> str:
    def pair(name: str) -> str:
        return f"{report[name]['before']} -> {report[name]['after']}"

    memory = report["memory"]
    kept = "all texels kept" if report["scale"] == 1.0 else f"scaled by {report['scale']:.3f}"
    return (
        f"materials {pair('materials')}, maps {pair('maps')}, draw calls {pair('draw_calls')}, "
        f"memory {memory['before']['raw'] / 1e6:.1f} -> {memory['after']['raw'] / 1e6:.1f} MB\n"
        f"{report['islands']} islands, {report['coverage']:.1%} covered, {kept}\n"
        + "\n".join(
            f"{p['name']}: {p['width']} x {p['height']} px, {p['channels']} x {p['bits']} bit"
            for p in report["pictures"] + report["profile"]
        )
    )
