"""Objects know how large they are."""

from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('studio', '0022_images'),
    ]

    operations = [
        migrations.AddField(
            model_name='meshobject',
            name='size',
            field=models.JSONField(help_text='along its own axes in metres, where it stands largest', null=True),
        ),
    ]
