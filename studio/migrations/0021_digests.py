"""Digests are called digests; two kinds of findings have plainer names, in rules too."""

from django.db import migrations

KINDS = {"crumb": "tiny", "unflattened": "without UVs"}


def renamed(rules):
    severity = {KINDS.get(kind, kind): value for kind, value in rules.get("severity", {}).items()}
    ignored = [
        {**row, "finding": " / ".join([KINDS.get(parts[0], parts[0]), *parts[1:]])}
        for row in rules.get("ignored", [])
        for parts in [str(row.get("finding", "")).split(" / ")]
    ]
    out = dict(rules)
    if "severity" in rules:
        out["severity"] = severity
    if "ignored" in rules:
        out["ignored"] = ignored
    return out


def rename_kinds(apps, schema_editor):
    for change in apps.get_model("studio", "Change").objects.iterator():
        rules = (change.settings or {}).get("rules")
        if isinstance(rules, dict) and renamed(rules) != rules:
            change.settings["rules"] = renamed(rules)
            change.save(update_fields=["settings"])
    # What was found is looked for anew.
    apps.get_model("studio", "Measurement").objects.update(digest="")


class Migration(migrations.Migration):
    dependencies = [("studio", "0020_presets")]

    operations = [
        migrations.RenameField("apitoken", "mark", "digest"),
        migrations.RenameField("invitation", "mark", "digest"),
        migrations.RenameField("measurement", "mark", "digest"),
        migrations.RenameField("measurement", "proof", "checked"),
        migrations.RunPython(rename_kinds, migrations.RunPython.noop),
    ]
