from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("studio", "0007_settings_of_revisions")]

    operations = [
        migrations.AddField(
            model_name="project",
            name="deleted",
            field=models.DateTimeField(help_text="since when it is put away", null=True),
        ),
    ]
