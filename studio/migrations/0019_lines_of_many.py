"""A line of the run sheet may be about several atlases, or about objects; its results are rows."""

import django.db.models.deletion
import django.utils.timezone
from django.db import migrations, models
from django.utils.dateparse import parse_datetime

FILES = {"file": "files", "carried": "carried", "maps": "maps", "textures": "textures", "report": "report"}


def forwards(apps, schema_editor):
    get = lambda name: apps.get_model("studio", name)  # noqa: E731
    revisions = set(get("Revision").objects.values_list("pk", flat=True))
    references = get("FileReference").objects
    for line in get("RunLine").objects.iterator():
        line.atlases.add(line.atlas_id)
        made = line.made
        runs = [made, *made.get("past", [])] if made.get("when") else []
        if made.get("facts"):
            line.made_from = {"facts": made["facts"], "steps": made.get("steps", [])}
            line.tried = made.get("mark", "")
        line.error = made.get("error", "")
        line.save()
        # The last one has the highest number.
        for run in reversed(runs):
            if not {run["revision"], run["earlier"]} <= revisions:
                continue
            result = get("RunResult").objects.create(
                line=line, digest=run.get("mark") or "", because=run.get("because") or [], seconds=run.get("seconds"),
                when=parse_datetime(run["when"]) or django.utils.timezone.now(),
            )
            get("RunLayout").objects.create(
                result=result, earlier_id=run["earlier"], revision_id=run["revision"], before=run.get("before"), after=run.get("after")
            )
            for key, purpose in FILES.items():
                if run.get(key):
                    references.create(sha256=run[key], purpose=purpose, result=result)
    references.exclude(line=None).delete()
    for job in get("Job").objects.exclude(error=None).iterator():
        job.error = {"fix" if key == "cure" else key: said for key, said in job.error.items()}
        job.save(update_fields=["error"])
    # What was found is found anew, in the words of now.
    get("Measurement").objects.all().delete()


class Migration(migrations.Migration):
    dependencies = [("studio", "0018_find_files")]
    operations = [
        migrations.AddField("runline", "atlases", models.ManyToManyField(blank=True, related_name="run_lines", to="studio.atlas")),
        migrations.AddField("job", "further", models.ManyToManyField(blank=True, help_text="that it changes, too", related_name="further_jobs", to="studio.atlas")),
        migrations.AddField("runline", "objects_named", models.JSONField(default=list, help_text="names of objects that it is about: the atlases that they lie in")),
        migrations.AddField("runline", "channel", models.PositiveSmallIntegerField(help_text="that it is about, from 1", null=True)),
        migrations.AddField("runline", "made_from", models.JSONField(default=dict, help_text="facts and steps, the last time")),
        migrations.AddField("runline", "tried", models.CharField(blank=True, help_text="digest of these", max_length=64, default="")),
        migrations.AddField("runline", "error", models.TextField(blank=True, help_text="why it failed the last time", default="")),
        migrations.CreateModel(
            "RunResult",
            [
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("digest", models.CharField(help_text="of what it was made from", max_length=64)),
                ("when", models.DateTimeField(default=django.utils.timezone.now)),
                ("because", models.JSONField(default=list, help_text="why it was done, in words")),
                ("seconds", models.FloatField(null=True)),
                ("line", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="results", to="studio.runline")),
            ],
            options={"ordering": ["-id"]},
        ),
        migrations.CreateModel(
            "RunLayout",
            [
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("before", models.JSONField(null=True)),
                ("after", models.JSONField(null=True)),
                ("earlier", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="+", to="studio.revision")),
                ("revision", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="+", to="studio.revision")),
                ("result", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="layouts", to="studio.runresult")),
            ],
            options={"ordering": ["id"]},
        ),
        migrations.AddField("filereference", "result", models.ForeignKey(null=True, on_delete=django.db.models.deletion.CASCADE, related_name="stored", to="studio.runresult")),
        migrations.RunPython(forwards, migrations.RunPython.noop),
        migrations.RemoveField("filereference", "line"),
        migrations.RemoveField("runline", "made"),
        migrations.RemoveField("runline", "atlas"),
        # The old field's name for them was taken until now.
        migrations.AlterField("runline", "tried", models.CharField(blank=True, help_text="digest of these", max_length=64)),
        migrations.AlterField("runline", "error", models.TextField(blank=True, help_text="why it failed the last time")),
    ]
