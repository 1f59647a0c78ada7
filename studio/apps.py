"""App configuration."""

from django.apps import AppConfig


class StudioConfig(AppConfig):
    """The studio app."""

    name = "studio"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        """What does jobs is known from the start."""
        from studio.jobs import run  # noqa: F401
