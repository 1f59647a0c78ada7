"""Lines of the run sheet: remembered from what was done by hand, edited, and done."""

from __future__ import annotations

import json
import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict
from typing import Any

from django.utils import timezone

from quilt_core.errors import QuiltError
from quilt_core.flatten.options import FlattenSettings
from studio.actions.arrange.pack_atlas import pack_atlas, settings_from
from studio.actions.carry_over.carry_over import carry_over
from studio.actions.errors import NothingToDo, Refused
from studio.actions.even_out.even_out import even_out
from studio.actions.hand_off.export_atlas import export_atlases
from studio.actions.history.change import Made, chain, finish_job
from studio.actions.mend.flatten_objects import flatten_objects
from studio.actions.prove.measure_layout import measure_revision
from studio.actions.prove.rehearse import rehearse
from studio.actions.run.facts import facts_of, mark_of, reasons
from studio.models import Atlas, Change, Job, Project, Revision, RunLine
from studio.state import read_state

Report = Callable[[float, str], None]
VERBS = ("flatten", "even out", "pack", "carry over", "rehearse", "prove", "hand off")
"""In working order."""
HERE_AND_NOW = ("change", "revision", "revisions", "islands", "draft", "preview", "channels", "objects", "tile", "whole", "source")  # fmt: skip
"""Parameters that belong to one moment and not to a line."""
MOST_LINES = 500
MOST_RUNS = 20
"""Results of a line that are kept."""
RUN_KEYS = ("when", "because", "before", "after", "seconds", "revision", "earlier", "file", "carried", "maps", "mark")  # fmt: skip


def checked_steps(steps: Sequence[Mapping[str, Any]]) -> list[dict[str, Any]]:
    """Steps of a line, each with a verb that there is and settings that are a table.

    Raises
    ------
    Refused
    """
    out = []
    for step in steps:
        if step.get("do") not in VERBS:
            raise Refused(
                f"A step that does “{step.get('do')}”.",
                "steps",
                f"do is one of {', '.join(VERBS)}.",
            )
        settings = step.get("settings", {})
        if not isinstance(settings, dict) or len(json.dumps(settings)) > 20_000:
            raise Refused(
                "Settings of a step are no table.", str(step["do"]), "Give names and values."
            )
        if step["do"] == "pack":
            try:
                settings_from(settings)
            except TypeError:
                raise Refused(
                    "A setting has the wrong type.", "pack", "Pack by hand, and remember that."
                ) from None
        out.append({"do": step["do"], "settings": dict(settings)})
    if not out:
        raise Refused("The line has no steps.", "steps", f"Give some of {', '.join(VERBS)}.")
    return out


def remember(atlas: Atlas, name: str) -> RunLine:
    """Make a line of what was done to an atlas by hand: the last of each kind of step, in working order."""
    project = Project.objects.select_related("head").get(pk=atlas.project_id)
    found: dict[str, dict[str, Any]] = {}
    steps = Change.objects.in_bulk(chain(project))
    seen = {
        revision for change in steps.values() for pk, revision in change.atlases if pk == atlas.pk
    }
    for revision in Revision.objects.filter(pk__in=seen, verb__in=VERBS).order_by("pk"):
        found[revision.verb] = _settings(revision.params)
    for kind, verb in (
        ("carry over", "carry over"),
        ("rehearse", "rehearse"),
        ("export", "hand off"),
    ):
        job = Job.objects.filter(atlas=atlas, kind=kind, state=Job.DONE).order_by("-pk").first()
        if job and not job.params.get("preview"):
            found[verb] = _settings(job.params)
    if not found:
        raise Refused(
            "Nothing was done to this atlas yet that could be repeated.", atlas.name,
            "Even it out, pack it or carry pictures over first.",
        )  # fmt: skip
    found.setdefault("prove", {})
    return add_line(
        atlas, name, [{"do": verb, "settings": found[verb]} for verb in VERBS if verb in found]
    )


def add_line(atlas: Atlas, name: str, steps: Sequence[Mapping[str, Any]]) -> RunLine:
    """A new line at the end of the project's run sheet."""
    if not name.strip():
        raise Refused("The line has no name.", "name", "Give it one.")
    if RunLine.objects.filter(project=atlas.project_id).count() >= MOST_LINES:
        raise Refused(f"There are {MOST_LINES} lines.", "run sheet", "Take one out first.")
    return RunLine.objects.create(
        project_id=atlas.project_id,
        atlas=atlas,
        name=name.strip()[:120],
        steps=checked_steps(steps),
    )


def _settings(params: Mapping[str, Any]) -> dict[str, Any]:
    return {
        key: value for key, value in params.items() if key not in HERE_AND_NOW and value is not None
    }


def do_line(line: RunLine, report: Report, stop: Callable[[], str]) -> dict[str, Any] | None:
    """Do a line on its atlas as it is; where a step fails the layout is put back, and the earlier result stays.

    Returns what came of it; None when the user wants nothing of it.
    """
    atlas = Atlas.objects.select_related("head", "project__head").get(pk=line.atlas_id)
    if atlas.head is None:
        raise Refused(
            "The atlas has been deleted.", line.name, "Undo brings it back, or take the line out."
        )
    because = reasons(line, facts_of(atlas))
    first = Revision.objects.select_related("atlas__project__head", "keyframe").get(
        pk=atlas.head_id
    )
    measure_revision(first)
    before = _figures(first)
    started = time.monotonic()
    results: dict[str, Any] = {}
    try:
        for k, step in enumerate(line.steps):
            begin, size = k / len(line.steps), 1 / len(line.steps)

            def tell(
                done: float,
                message: str,
                *_: Any,
                begin: float = begin,
                size: float = size,
                verb: str = step["do"],
            ) -> None:
                report(begin + size * min(max(done, 0.0), 1.0), f"{verb}: {message}")

            if not _do_step(step, _head(atlas.pk), results, tell, stop) or stop() == "drop":
                _put_back(atlas.pk, first, line)
                return None
    except (QuiltError, TypeError, ValueError, KeyError) as fault:
        # Settings that were written by hand may be of any shape.
        error = (
            fault
            if isinstance(fault, QuiltError)
            else Refused(
                "A setting of a step cannot be used.",
                line.name,
                "Do it by hand once, and remember that.",
            )
        )
        _put_back(atlas.pk, first, line)
        line.made = {
            **line.made,
            "error": f"{error.what} {error.cure}".strip(),
            "tried": line.steps,
            "because": because,
        }
        line.save(update_fields=["made"])
        raise error from fault
    head = _head(atlas.pk)
    measure_revision(head)
    atlas.refresh_from_db()
    earlier = [row for row in runs_of(line) if row["revision"] != head.pk][: MOST_RUNS - 1]
    facts = facts_of(atlas)
    line.made = {
        "when": timezone.now().isoformat(), "facts": facts, "mark": mark_of(facts, line.steps), "steps": line.steps, "because": because,
        "before": before, "after": _figures(head), "seconds": round(time.monotonic() - started, 2),
        "revision": head.pk, "earlier": first.pk, "past": earlier, **results,
    }  # fmt: skip
    line.save(update_fields=["made"])
    return {"line": line.pk, "revision": head.pk, **results}


def runs_of(line: RunLine) -> list[dict[str, Any]]:
    """Results of a line that can be stepped through, the last one first: when, because, before, after, seconds, revision,
    earlier (the revision before), and file, carried and maps where there are any."""
    made = line.made
    if not made.get("when"):
        return []
    return [{key: made.get(key) for key in RUN_KEYS}, *made.get("past", [])]


def shown_as(head: Revision) -> int:
    """The revision whose layout this one is: another one where it was put back."""
    return int(head.params.get("as", head.pk)) if head.verb == "put back" else head.pk


def put_back(line: RunLine, head: Revision, revision: int) -> Made:
    """The layout that a line has made, or that was there before it.

    Raises
    ------
    Refused
        When it is none of the line's, or the layout is that already.
    """
    known = {row[key] for row in runs_of(line) for key in ("revision", "earlier")}
    if revision not in known or line.atlas_id != head.atlas_id:
        raise Refused("The line has no such result.", line.name, "Look at its results again.")
    if revision == shown_as(head):
        raise Refused("The layout is that one already.", line.name, "Nothing is to be done.")
    found = Revision.objects.select_related("keyframe").get(pk=revision)
    params = {"as": revision}
    return Made(
        "put back", read_state(found), f"a result of “{line.name}”", params, measured_as=found
    )


def _head(atlas: int) -> Revision:
    head = Atlas.objects.get(pk=atlas).head_id
    return Revision.objects.select_related("atlas__project__head", "keyframe").get(pk=head)


def _put_back(atlas: int, first: Revision, line: RunLine) -> None:
    """The layout as it was before a line that failed."""
    head = _head(atlas)
    if head.pk != first.pk:
        # All that was found about that layout holds.
        known = Revision.objects.select_related("keyframe").get(pk=first.pk)
        said, params = f"“{line.name}” failed", {"as": shown_as(known)}
        finish_job(atlas, head, Made("put back", read_state(known), said, params, measured_as=known))  # fmt: skip


def _do_step(
    step: Mapping[str, Any],
    head: Revision,
    results: dict[str, Any],
    tell: Callable[..., None],
    stop: Callable[[], str],
) -> bool:
    """One step; False when it was dropped."""
    verb, settings = step["do"], dict(step["settings"])
    if verb == "flatten":
        try:
            made = flatten_objects(head, {**asdict(FlattenSettings()), **settings}, tell, stop)
        except NothingToDo:
            return True  # all of them have UVs
        if made is None:
            return False
        finish_job(head.atlas_id, head, made)
    elif verb == "even out":
        even_out(head, settings)
    elif verb == "pack":

        def told(attempt: Any, placements: Any) -> None:
            tell(attempt.step / max(attempt.steps, 1), f"{attempt.coverage:.1%} full")

        return pack_atlas(head, settings, told, stop) is not None
    elif verb == "carry over":
        found = carry_over(head, {**settings, "revisions": [head.pk]}, tell, stop)
        if found is None:
            return False
        results["carried"] = found.get("file", "")
    elif verb == "rehearse":
        found = rehearse(head, settings, tell, stop)
        if found is None:
            return False
        results["maps"] = found["file"]
        errors = [f for f in found["findings"] if f["severity"] == "error"]
        if errors:
            raise Refused(
                f"The rehearsal has {len(errors)} errors; the first: {errors[0]['kind']}, {errors[0]['text']}.",
                errors[0]["object"],
                "Look at Prove, Rehearsal.",
            )
    elif verb == "prove":
        measure_revision(head)
        proof = Revision.objects.get(pk=head.pk).proof or {}
        if not proof.get("ready", False):
            raise Refused(
                f"It breaks the house rules: {', '.join(proof.get('against', [])) or 'not proven'}.", head.name,
                "Look at Prove; cure the errors, or change the rules.",
            )  # fmt: skip
    else:
        results["file"] = export_atlases([head], tell)[0]
    return True


def _figures(revision: Revision) -> dict[str, Any]:
    revision = Revision.objects.get(pk=revision.pk)
    figures, proof = revision.figures or {}, revision.proof or {}
    return {
        "coverage": figures.get("coverage"), "density": (figures.get("density") or {}).get("mean"),
        "gap_px": figures.get("gap_px"), "errors": proof.get("errors"), "warnings": proof.get("warnings"),
    }  # fmt: skip
