from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("studio", "0005_worker")]

    operations = [
        migrations.AddField(
            model_name="project",
            name="uv_tolerance",
            field=models.FloatField(
                default=1e-05,
                help_text="UVs that differ by less, in tiles, are one point; of files that come in from now on",
            ),
        ),
        migrations.AddField(
            model_name="source",
            name="uv_tolerance",
            field=models.FloatField(default=1e-05, help_text="with which its islands were found"),
        ),
        migrations.AddField(
            model_name="meshobject",
            name="proportion",
            field=models.FloatField(default=1.0, help_text="width / height of its picture; that of most islands"),
        ),
        migrations.AddField(
            model_name="meshobject",
            name="suggested",
            field=models.FloatField(help_text="another proportion that its stretch suggests", null=True),
        ),
        migrations.AddField(
            model_name="member",
            name="proportion",
            field=models.FloatField(help_text="said by the user, instead of that of its picture", null=True),
        ),
    ]
