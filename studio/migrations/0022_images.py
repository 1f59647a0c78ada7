"""Images and textures are called so, in profiles, in results of jobs and in what lines were made from."""

import json

from django.db import migrations, models

OLD, NEW = "picture ", "image "


def keys(given):
    return {NEW + k.removeprefix(OLD) if k.startswith(OLD) else k: v for k, v in given.items()}


def rename_in_rows(apps, schema_editor):
    get = lambda name: apps.get_model("studio", name)  # noqa: E731
    for reference in get("FileReference").objects.filter(purpose__startswith=OLD).iterator():
        reference.purpose = NEW + reference.purpose.removeprefix(OLD)
        reference.save(update_fields=["purpose"])
    for job in get("Job").objects.only("result", "figures").iterator():
        result, figures = keys(job.result or {}), keys(job.figures or {})
        if result != job.result or figures != job.figures:
            job.result, job.figures = result, figures
            job.save(update_fields=["result", "figures"])
    for profile in get("SavedProfile").objects.iterator():
        if "picture" in profile.what:
            profile.what = {"texture" if k == "picture" else k: v for k, v in profile.what.items()}
            profile.save(update_fields=["what"])
    for line in get("RunLine").objects.iterator():
        text = json.dumps(line.made_from)
        if '"pictures": ' in text:
            line.made_from = json.loads(text.replace('"pictures": ', '"textures": '))
            line.save(update_fields=["made_from"])



class Migration(migrations.Migration):

    dependencies = [
        ('studio', '0021_digests'),
    ]

    operations = [
        migrations.RunPython(rename_in_rows, migrations.RunPython.noop),
        migrations.RemoveConstraint(
            model_name='tileimage',
            name='one_picture_per_tile_and_purpose',
        ),
        migrations.RenameField('job', 'picture', 'preview'),
        migrations.AlterField(
            model_name='baselayout',
            name='proportion',
            field=models.FloatField(default=1.0, help_text='width / height of its image; that of most islands'),
        ),
        migrations.AlterField(
            model_name='giventexture',
            name='number',
            field=models.IntegerField(default=-1, help_text="of the file's texture that it stands for"),
        ),
        migrations.AlterField(
            model_name='giventexture',
            name='sha256',
            field=models.CharField(blank=True, help_text='none takes the texture away', max_length=64),
        ),
        migrations.AlterField(
            model_name='giventexture',
            name='tiles',
            field=models.JSONField(default=list, help_text='column, row, columns, rows of a numbered set; none for one texture'),
        ),
        migrations.AlterField(
            model_name='measurement',
            name='digest',
            field=models.CharField(help_text='of the rules and weights of the check', max_length=16),
        ),
        migrations.AddConstraint(
            model_name='tileimage',
            constraint=models.UniqueConstraint(fields=('atlas', 'tile', 'purpose'), name='one_image_per_tile_and_purpose'),
        ),
    ]
