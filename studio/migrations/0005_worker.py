from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("studio", "0004_tidy_cost")]

    operations = [
        migrations.AddField(
            model_name="job",
            name="worker",
            field=models.CharField(blank=True, help_text="process that works on it", max_length=300),
        ),
        migrations.AddField(
            model_name="revision",
            name="binding",
            field=models.JSONField(help_text="what set the scale when it was packed, and cures", null=True),
        ),
    ]
