"""Operations have one name and one set of settings everywhere: what older steps, jobs and lines say is put into these words."""

from django.db import migrations, models

NAMES = {
    "even out": "even-out",
    "flatten": "unwrap",
    "copy layout": "copy-layout",
    "copy part": "copy-layout",
    "look around": "visibility",
    "carry over": "merge",
    "rehearse": "bake",
    "rehearse part": "bake part",
    "pictures": "textures",
    "explain": "limit",
    "bring again": "update",
    "hand off": "export",
    "prove": "check",
}
OURS = ("change", "revision", "revisions", "draft", "as_draft", "whole", "tiles", "lines", "line", "files", "source", "folder", "metres_per_unit")  # fmt: skip
RENAMED = {
    "unwrap": {"charts": "seams"},
    "textures": {},
    "merge": {"form": "format", "channels": "edits"},
    "export": {"channels": "edits"},
    "bake": {"size": "width"},
}


def pack(given):
    fixed, even = given.pop("fixed_scale", False), given.pop("even", False)
    given["density"] = ("house" if even else "fixed") if fixed else ("equal" if even else "keep")
    width, height = given.pop("width", None), given.pop("height", None)
    if width:
        given["size"] = f"{width}x{height or width}"
    return given


def even_out(given):
    target, value = given.pop("target", "house"), given.pop("value", None)
    if target in ("number", "value") and value:
        given["density"] = value
    elif target == "average":
        given["density"] = "average"
    return given


def bake(given):
    what = given.pop("what", "auto")
    given["pairs"] = {"pairs": "named", "itself": "itself"}.get(what, "by-name")
    if given.get("along") == "shell":
        given["along"] = "cage"
    for name in ("width", "distance"):
        if not given.get(name):
            given.pop(name, None)
    return given


def merge(given):
    if not given.get("size"):
        given.pop("size", None)
    elif "size" in given:
        given["width"] = given.pop("size")
    given["edits"] = [edit_text(edit) for edit in given.pop("edits", None) or ()]
    if not given.get("profile"):
        given.pop("profile", None)
    return given


def export(given):
    return {"edits": [edit_text(edit) for edit in given.get("edits") or ()]}


def edit_text(edit):
    if not isinstance(edit, dict):
        return edit
    joint = "," if edit["kind"] == "swap" else "="
    return f"{edit['kind']} {edit['one']}" + (f"{joint}{edit['two']}" if edit.get("two") else "")


CHANGED = {"pack": pack, "even-out": even_out, "bake": bake, "merge": merge, "export": export}


def settings_of(name, given):
    """Settings in today's words; those that are none any more are left out."""
    from quilt_core.errors import QuiltError
    from quilt_core.operations.registry import OPERATIONS
    from quilt_core.options import options_of

    out = {key: value for key, value in given.items() if value is not None}
    for old, new in RENAMED.get(name, {}).items():
        if old in out:
            out[new] = out.pop(old)
    out = CHANGED.get(name, lambda own: own)(out)
    if name not in OPERATIONS:
        return out
    known = {one.name: one for one in options_of(OPERATIONS[name].settings)}
    kept = {}
    for key, value in out.items():
        try:
            if key in known:
                known[key].value(value)
                kept[key] = value
        except QuiltError:
            continue
    return kept


def limit_of(kept):
    if not kept or "fixes" in kept:
        return kept
    return {**{k: v for k, v in kept.items() if k != "cures"}, "fixes": kept.get("cures", [])}


FIGURES = {"object": "id", "name": "object", "charts": "islands", "l2": "stretch_l2", "p95": "stretch_p95"}


def figures_of(row):
    """Figures of an object in today's words."""
    out = {FIGURES.get(key, key): value for key, value in row.items()}
    if isinstance(out.get("was"), dict):
        out["was"] = figures_of(out["was"])
    return out


def objects_of(result):
    return {**result, "objects": [figures_of(row) for row in result.get("objects") or () if isinstance(row, dict)]}


def copied(result):
    out = objects_of(result)
    for row in out["objects"]:
        row["stacked"] = row.pop("stack", False)
        row.setdefault("parts", 0)
    return out


def merged(result):
    report = dict(result.get("report") or {})
    if "pictures" in report:
        report["textures"] = report.pop("pictures")
    return {**result, "report": report}


def drawn(result):
    out = dict(result)
    out["textures"] = out.pop("pictures", [])
    return out


MAP = ("name", "map", "tile", "width", "height", "bits")


def baked(result):
    out = dict(result)
    reach = out.pop("distance", None) or {}
    out["outward"], out["inward"] = reach.get("outward", 0.0), reach.get("inward", 0.0)
    out["maps"] = [
        {"file": row["name"], **{k: row[k] for k in MAP[1:] if k in row}, "figures": {k: v for k, v in row.items() if k not in MAP}}
        for row in out.get("maps") or ()
    ]
    out["seams"] = [{("length" if k == "length_m" else k): v for k, v in row.items()} for row in out.get("seams") or ()]
    known = {"high": "at_99", "scale": "darkest"}
    out["difference"] = [{known.get(k, k): v for k, v in row.items()} for row in out.get("difference") or ()]
    return out


def seen(result):
    share, screen = result.get("share") or [], result.get("screen") or []
    proposed = {row["island"]: row for row in result.get("proposals") or ()}
    islands = [
        {
            "number": k, "share": part, "screen_px_per_texel": screen[k] if k < len(screen) else 0.0,
            "weight": proposed.get(k, {}).get("weight", 1.0), "why": proposed.get(k, {}).get("text", ""),
            "kind": proposed.get(k, {}).get("kind", ""),
        }
        for k, part in enumerate(share)
    ]
    one = {"islands": islands, "count": len(share), "stacks": result.get("stacks") or [], "freed": result.get("freed", 0.0)}
    return {"revision": result.get("revision"), "members": result.get("objects") or [], "views": result.get("views", ""), "points": result.get("points", 0), "atlases": [one]}


RESULTS = {"unwrap": objects_of, "edit": objects_of, "copy-layout": copied, "merge": merged, "textures": drawn, "bake": baked, "visibility": seen}


def forwards(apps, schema_editor):
    Revision, Change, Job, RunLine = (
        apps.get_model("studio", name) for name in ("Revision", "Change", "Job", "RunLine")
    )
    for old, new in NAMES.items():
        Change.objects.filter(verb=old).update(verb=new)
        Job.objects.filter(kind=old).update(kind=new)
        Revision.objects.filter(verb=old).update(verb=new)
    for row in Revision.objects.exclude(params={}).only("verb", "params", "limit"):
        params = dict(row.params)
        figures = [figures_of(one) for one in params.pop("objects", None) or () if isinstance(one, dict)]
        if row.verb in ("pack", "even-out", "unwrap"):
            params = settings_of(row.verb, params)
        if figures:
            params["figures"] = figures
        row.params, row.limit = params, limit_of(row.limit)
        row.save(update_fields=["params", "limit"])
    for job in Job.objects.filter(kind__in=("unwrap", "even-out", "pack", "merge", "bake", "textures", "visibility", "export")):
        if "settings" not in job.params:
            own = {key: value for key, value in job.params.items() if key not in OURS}
            rest = {key: value for key, value in job.params.items() if key in OURS and key != "as_draft"}
            job.params = {**rest, "settings": settings_of(job.kind, own)}
            job.save(update_fields=["params"])
    for job in Job.objects.filter(kind__in=RESULTS).exclude(result={}):
        job.result = RESULTS[job.kind](job.result)
        job.save(update_fields=["result"])
    for recipe in apps.get_model("studio", "Recipe").objects.all():
        recipe.settings = settings_of("pack", dict(recipe.settings))
        recipe.save(update_fields=["settings"])
    for line in RunLine.objects.all():
        line.steps = [told_step(step) for step in line.steps]
        if "steps" in line.made:
            line.made["steps"] = [told_step(step) for step in line.made["steps"]]
        line.save(update_fields=["steps", "made"])


def told_step(step):
    name = NAMES.get(step["do"], step["do"])
    return {"do": name, "settings": settings_of(name, step["settings"])}


class Migration(migrations.Migration):
    dependencies = [("studio", "0015_job_parts")]
    operations = [
        migrations.RenameField("revision", "binding", "limit"),
        migrations.AlterField(
            "revision",
            "limit",
            models.JSONField(help_text="what limits its density, and fixes, once it was asked", null=True),
        ),
        migrations.RunPython(forwards, migrations.RunPython.noop),
    ]
