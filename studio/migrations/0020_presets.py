"""Saved settings of packing are presets; what materials are given are textures, what lies behind tiles are images."""

import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("studio", "0019_lines_of_many")]
    operations = [
        migrations.RenameModel("GivenPicture", "GivenTexture"),
        migrations.RenameModel("SheetPicture", "TileImage"),
        migrations.AlterField(
            "tileimage",
            "atlas",
            models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="tile_images", to="studio.atlas"),
        ),
        migrations.RemoveConstraint("recipe", "one_recipe_per_name"),
        migrations.RenameModel("Recipe", "Preset"),
        migrations.AlterField(
            "preset",
            "project",
            models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="presets", to="studio.project"),
        ),
        migrations.AddConstraint(
            "preset", models.UniqueConstraint(fields=("project", "name"), name="one_preset_per_name")
        ),
    ]
