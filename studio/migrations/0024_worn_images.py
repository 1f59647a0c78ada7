"""The model wears an image of one's own."""


from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('studio', '0023_object_size'),
    ]

    operations = [
        migrations.AddField(
            model_name='tileimage',
            name='metres',
            field=models.FloatField(null=True),
        ),
        migrations.AddField(
            model_name='tileimage',
            name='repeats',
            field=models.FloatField(default=1.0),
        ),
    ]
