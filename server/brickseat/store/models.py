"""A prop of the store, and where its file lies."""

from datetime import timedelta
from pathlib import Path
from typing import ClassVar

from django.conf import settings
from django.db import models
from django.utils import timezone

from brickseat_core.gravity.materials import USUAL_MATERIAL

CLAIMED_FOR = timedelta(hours=1)
"""How long a prop that is claimed waits for the change that is to name it."""


class StoredProp(models.Model):
    """A model that can be used. ``owner`` None: everybody's. Measures are of the true mesh, in metres; ``corner``: the
    least x, y and z of its box, empty for what was shelved before that was kept.

    ``original``: path of the file it came as, below the data folder; ``unit``, ``up``: what that file's numbers are
    taken for, empty for what it says itself. ``joints``: names of those that can be turned; ``turns``: joints turned, (joint, axis, degrees) each; ``posed_from``:
    the prop this is a pose of, and ``came_of`` the one it is a shard of. ``mass`` (kg), ``grip``, ``bounce``, ``fall`` (metres onto something hard before it breaks,
    0 for never): None for what the material has. ``contact``: kind
    of contact shape, empty for the best one. ``seats``: as the extras of glTF nodes have them, in the prop's coordinates. ``retired``: deleted by its owner, but named by the history of a set.
    ``due``: when it is delivered, for what was ordered; it is not seen before. ``claimed``: when it was last made or found for a change
    that is to name it, and may not do so yet.
    """

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
    corner = models.JSONField(default=list)
    volume = models.FloatField(null=True)
    triangles = models.PositiveIntegerField()
    listed = models.BooleanField(default=True)
    tags = models.JSONField(default=list)
    size = models.PositiveIntegerField(default=0)
    original = models.CharField(max_length=300, default="", blank=True)
    unit = models.CharField(max_length=4, default="", blank=True)
    up = models.CharField(max_length=1, default="", blank=True)
    turns = models.JSONField(default=list)
    joints = models.JSONField(default=list)
    posed_from = models.ForeignKey("self", null=True, blank=True, on_delete=models.SET_NULL, related_name="poses")
    came_of = models.ForeignKey("self", null=True, blank=True, on_delete=models.SET_NULL, related_name="shards")
    material = models.CharField(max_length=20, default=USUAL_MATERIAL)
    mass = models.FloatField(null=True)
    grip = models.FloatField(null=True)
    bounce = models.FloatField(null=True)
    fall = models.FloatField(null=True)
    seats = models.JSONField(default=list)
    contact = models.CharField(max_length=10, default="", blank=True)
    retired = models.BooleanField(default=False)
    due = models.DateTimeField(null=True, blank=True)
    claimed = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering: ClassVar[list[str]] = ["category", "name"]

    def __str__(self) -> str:
        return self.name

    @property
    def path(self) -> Path:
        return file_of(self.digest)


def unnamed_props() -> "models.QuerySet[StoredProp]":
    """Those that stand nowhere and that no history names, but for those that a change under way may be about to name."""
    unclaimed = models.Q(claimed=None) | models.Q(claimed__lt=timezone.now() - CLAIMED_FOR)
    return StoredProp.objects.filter(unclaimed, records=None, named_in_history=None)


def file_of(digest: str) -> Path:
    """Where the file with these contents lies."""
    return Path(settings.DATA) / "props" / f"{digest}.glb"


class PropOrder(models.Model):
    """Something ordered from the prop house. ``due``: when it is delivered; ``prop``: what came."""

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE)
    item = models.CharField(max_length=40)
    due = models.DateTimeField()
    prop = models.ForeignKey(StoredProp, null=True, on_delete=models.CASCADE)

    class Meta:
        ordering: ClassVar[list[str]] = ["-due"]

    def __str__(self) -> str:
        return self.item
