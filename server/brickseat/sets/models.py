"""A set, the pieces standing on it, and everything that was ever done to it."""

import uuid
from typing import ClassVar

from django.conf import settings
from django.db import models

from brickseat.store.models import StoredProp
from brickseat_core.tolerances import SEATED_TOLERANCE


class DressedSet(models.Model):
    """``revision`` grows with every change. ``look``: camera position and target to begin with.

    ``counts`` and ``plan``: pieces by fit state, and footprints seen from above (x0, z0, x1, z1 in metres, and
    what stands there), at ``revision``; for the cards on the home page. ``trolley``: keys of the props wheeled
    onto this set. ``dressers``: who may dress it besides its owner.
    """

    key = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE)
    name = models.CharField(max_length=200)
    tolerance = models.FloatField(default=SEATED_TOLERANCE)
    revision = models.PositiveIntegerField(default=0)
    look = models.JSONField(default=dict)
    counts = models.JSONField(default=dict)
    plan = models.JSONField(default=list)
    trolley = models.JSONField(default=list)
    dressers = models.ManyToManyField(settings.AUTH_USER_MODEL, related_name="shared_sets", blank=True)
    changed = models.DateTimeField(auto_now=True)

    class Meta:
        ordering: ClassVar[list[str]] = ["name"]

    def __str__(self) -> str:
        return self.name

    @classmethod
    def open_to(cls, user: int) -> "models.QuerySet[DressedSet]":
        """The sets this user (by primary key) may dress: their own, and those shared with them."""
        return cls.objects.filter(models.Q(owner_id=user) | models.Q(dressers__id=user)).distinct()


class StandingPiece(models.Model):
    """One piece. ``pose``: {"position": m, "orientation": quaternion x y z w, "scale": factors}."""

    dressed = models.ForeignKey(DressedSet, on_delete=models.CASCADE, related_name="pieces")
    key = models.CharField(max_length=40)
    name = models.CharField(max_length=200)
    prop = models.ForeignKey(StoredProp, on_delete=models.PROTECT)
    role = models.CharField(max_length=10, default="prop")
    pose = models.JSONField()
    direction = models.JSONField()
    sink = models.FloatField(default=0.0)
    stand_off = models.FloatField(default=0.0)
    spiked = models.BooleanField(default=False)
    group = models.CharField(max_length=80, default="", blank=True)

    class Meta:
        ordering: ClassVar[list[str]] = ["id"]
        constraints: ClassVar[list[models.BaseConstraint]] = [
            models.UniqueConstraint(fields=["dressed", "key"], name="one_piece_a_key")
        ]

    def __str__(self) -> str:
        return self.name


class HistoryEntry(models.Model):
    """One change in words, with every piece before and after. ``undone``: taken back, and can be done again."""

    dressed = models.ForeignKey(DressedSet, on_delete=models.CASCADE, related_name="history")
    number = models.PositiveIntegerField()
    words = models.CharField(max_length=300)
    actor = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    at = models.DateTimeField(auto_now_add=True)
    deltas = models.JSONField()
    undone = models.BooleanField(default=False)

    class Meta:
        ordering: ClassVar[list[str]] = ["number"]
        constraints: ClassVar[list[models.BaseConstraint]] = [
            models.UniqueConstraint(fields=["dressed", "number"], name="one_entry_a_number")
        ]

    def __str__(self) -> str:
        return self.words
