"""Jobs that are done, kept until they are adopted or discarded."""

from typing import Any, ClassVar

from django.db import models

from brickseat.sets.models import DressedSet


def no_base() -> dict[str, Any]:
    """Of jobs that were kept before it was."""
    return {"revision": 0, "pieces": {}}


class KeptJob(models.Model):
    """``outcomes``: proposed changes, and ``base``: the set that they were computed on. ``shards``: name and stored prop of each shard by
    its key; its model lies in the folder of the job."""

    key = models.CharField(max_length=32, primary_key=True)
    dressed = models.ForeignKey(DressedSet, on_delete=models.CASCADE, related_name="jobs")
    kind = models.CharField(max_length=20)
    outcomes = models.JSONField()
    shards = models.JSONField(default=dict)
    base = models.JSONField(default=no_base)
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering: ClassVar[list[str]] = ["-at"]

    def __str__(self) -> str:
        return f"{self.kind} {self.key}"
