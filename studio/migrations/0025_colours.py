"""Objects keep their colour when a newer file comes in."""

from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('studio', '0024_worn_images'),
    ]

    operations = [
        migrations.AddField(
            model_name='meshobject',
            name='colour',
            field=models.PositiveIntegerField(help_text='its number among colours, kept when a newer file comes in', null=True),
        ),
    ]
