"""App configuration."""

from django.apps import AppConfig


class StudioConfig(AppConfig):
    """The studio app."""

    name = "studio"
    default_auto_field = "django.db.models.BigAutoField"
