"""Which stored files are needed, and by what: written where a file is stored, and the only place where clearing looks."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping
from typing import Any

from django.db import models

from studio.storage import Key


class FileReference(models.Model):
    """A stored file that a row needs; it goes with the row."""

    sha256 = models.CharField(max_length=64, db_index=True)
    purpose = models.CharField(max_length=80, help_text="what it is to the row")
    source = models.ForeignKey("studio.Source", models.CASCADE, null=True, related_name="stored")
    given = models.ForeignKey(
        "studio.GivenTexture", models.CASCADE, null=True, related_name="stored"
    )
    image = models.ForeignKey("studio.TileImage", models.CASCADE, null=True, related_name="stored")
    base = models.ForeignKey("studio.BaseLayout", models.CASCADE, null=True, related_name="stored")
    job = models.ForeignKey("studio.Job", models.CASCADE, null=True, related_name="stored")
    result = models.ForeignKey("studio.RunResult", models.CASCADE, null=True, related_name="stored")

    class Meta:
        ordering = ["id"]


OWNERS = {
    "Source": "source",
    "GivenTexture": "given",
    "TileImage": "image",
    "BaseLayout": "base",
    "Job": "job",
    "RunResult": "result",
}
"""Fields of a reference by the models that they are of."""
Files = Collection[tuple[str, str]]
"""Purpose and SHA-256 of each file."""


class NeedsFiles(models.Model):
    """A row with stored files in its fields."""

    FILE_FIELD = "sha256"

    class Meta:
        abstract = True

    @property
    def file_purpose(self) -> str:
        """What its file is to it."""
        return "file"

    def save(self, *args: Any, **kwargs: Any) -> None:
        """Save it with its reference."""
        fresh, only = self._state.adding, kwargs.get("update_fields")
        super().save(*args, **kwargs)
        if only is None or self.FILE_FIELD in only:
            key = getattr(self, self.FILE_FIELD)
            refer(self, {(self.file_purpose, key)} if key else (), fresh)


def refer(owner: models.Model, files: Files, fresh: bool = False) -> None:
    """Say which files a row needs: these, and no others any more.

    Parameters
    ----------
    owner : Model
        One of `OWNERS`.
    files : collection of (purpose, sha256)
    fresh : bool
        Whether it cannot have any yet.
    """
    field = OWNERS[type(owner).__name__]
    wanted = set(files)
    if not fresh:
        for row in FileReference.objects.filter(**{field: owner}):
            if (row.purpose, row.sha256) in wanted:
                wanted.remove((row.purpose, row.sha256))
            else:
                row.delete()
    FileReference.objects.bulk_create(
        FileReference(purpose=purpose, sha256=key, **{field: owner})
        for purpose, key in sorted(wanted)
    )


def file_of(owner: models.Model, purpose: str) -> str | None:
    """SHA-256 of a file that a row needs; None for none."""
    mine = FileReference.objects.filter(**{OWNERS[type(owner).__name__]: owner}, purpose=purpose)
    return mine.values_list("sha256", flat=True).first()


def keys_in(values: Any, name: str = "file") -> Iterator[tuple[str, Key]]:
    """Files among plain values that were just stored, each by the name that it stands under."""
    if isinstance(values, Key):
        yield name[:80], values
    elif isinstance(values, Mapping):
        for key, one in values.items():
            yield from keys_in(one, str(key))
    elif isinstance(values, list | tuple):
        for one in values:
            yield from keys_in(one, name)
