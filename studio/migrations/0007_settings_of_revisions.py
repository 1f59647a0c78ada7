from django.db import migrations, models


def to_revisions(apps, schema_editor):
    """Every layout has been judged by the settings of its atlas so far."""
    for atlas in apps.get_model("studio", "Atlas").objects.all():
        atlas.revisions.update(padding=atlas.padding, margin=atlas.margin)


class Migration(migrations.Migration):
    dependencies = [("studio", "0006_proportion")]

    operations = [
        migrations.AddField(
            model_name="revision",
            name="padding",
            field=models.FloatField(default=8.0, help_text="px that it was packed with, and is judged by"),
        ),
        migrations.AddField(
            model_name="revision",
            name="margin",
            field=models.FloatField(default=4.0, help_text="px, in the same way"),
        ),
        migrations.RunPython(to_revisions, migrations.RunPython.noop),
        migrations.RemoveField(model_name="atlas", name="padding"),
        migrations.RemoveField(model_name="atlas", name="margin"),
    ]
