"""A prop of the store, and where its file lies."""

from pathlib import Path
from typing import ClassVar

from django.conf import settings
from django.db import models


class StoredProp(models.Model):
    """A model that can be used. ``owner`` None: everybody's. Measures are of the true mesh, in metres."""

    key = models.SlugField(max_length=80, unique=True)
    name = models.CharField(max_length=200)
    category = models.CharField(max_length=60, default="mine")
    owner = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, blank=True, on_delete=models.CASCADE)
    digest = models.CharField(max_length=64)
    role = models.CharField(max_length=10, default="prop")
    direction = models.JSONField(default=list)
    width = models.FloatField()
    height = models.FloatField()
    depth = models.FloatField()
    volume = models.FloatField(null=True)
    triangles = models.PositiveIntegerField()
    listed = models.BooleanField(default=True)

    class Meta:
        ordering: ClassVar[list[str]] = ["category", "name"]

    def __str__(self) -> str:
        return self.name

    @property
    def path(self) -> Path:
        return file_of(self.digest)


def file_of(digest: str) -> Path:
    """Where the file with these contents lies."""
    return Path(settings.DATA) / "props" / f"{digest}.glb"
