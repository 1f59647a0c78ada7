"""References of the files that rows had before there were any."""

import re

from django.db import migrations

KEY = re.compile(r"[0-9a-f]{64}")
FIELDS = {"Source": ("source", "sha256"), "GivenPicture": ("given", "sha256"), "SheetPicture": ("image", "sha256"), "BaseLayout": ("base", "geometry")}


def keys_in(values, name="file"):
    """Texts among values that are the SHA-256 of something: how files were found until now."""
    if isinstance(values, dict):
        for key, one in values.items():
            yield from keys_in(one, str(key))
    elif isinstance(values, list):
        for one in values:
            yield from keys_in(one, name)
    elif isinstance(values, str) and KEY.fullmatch(values):
        yield name[:80], values


def find_files(apps, schema_editor):
    reference = apps.get_model("studio", "FileReference")

    def add(rows):
        reference.objects.bulk_create(rows, batch_size=500)

    for model, (owner, field) in FIELDS.items():
        rows = apps.get_model("studio", model).objects.exclude(**{field: ""}).values_list("pk", field)
        add([reference(sha256=key, purpose="file", **{f"{owner}_id": pk}) for pk, key in rows])
    for row in apps.get_model("studio", "Job").objects.iterator():
        found = {*keys_in(row.result), *keys_in(row.params.get("files", []))}
        add([reference(sha256=key, purpose=name, job_id=row.pk) for name, key in sorted(found)])
    for row in apps.get_model("studio", "RunLine").objects.iterator():
        files = [{k: one.get(k) for k in ("file", "carried", "maps", "textures", "report")} for one in (row.made, *row.made.get("past", []))]
        found = set(keys_in(files))
        add([reference(sha256=key, purpose=name, line_id=row.pk) for name, key in sorted(found)])


class Migration(migrations.Migration):

    dependencies = [("studio", "0017_file_references")]

    operations = [migrations.RunPython(find_files, migrations.RunPython.noop)]
