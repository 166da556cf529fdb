"""A set, the records it is made of, and everything that was ever done to it."""

import uuid
from typing import ClassVar

from django.conf import settings
from django.db import models

from brickseat.store.models import StoredProp
from brickseat_core.tolerances import SEATED_TOLERANCE


class DressedSet(models.Model):
    """``name``, ``tolerance`` and ``trolley`` are its record of settings. ``revision`` grows with every change.

    ``look``: camera position and target to begin with. ``counts`` and ``plan``: pieces by fit state, and footprints
    seen from above (x0, z0, x1, z1 in metres, and what stands there), at ``revision``; for the cards on the home page.
    ``trolley``: keys of the props wheeled onto this set. ``dressers``: who may dress it besides its owner.
    ``picture``: digest of the picture on its card, empty where none was drawn yet. ``measured_by``: digest of what the kept
    fits were measured by; they count for nothing where that is not how the set is measured now.
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
    picture = models.CharField(max_length=16, blank=True, default="")
    measured_by = models.CharField(max_length=32, blank=True, default="")
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


class StoredRecord(models.Model):
    """One record of a set. ``kind`` and ``key`` name it; ``data``: its encoding; ``prop``: whose mesh it needs."""

    dressed = models.ForeignKey(DressedSet, on_delete=models.CASCADE, related_name="records")
    kind = models.CharField(max_length=10)
    key = models.CharField(max_length=40)
    prop = models.ForeignKey(StoredProp, null=True, on_delete=models.PROTECT, related_name="records")
    data = models.JSONField()

    class Meta:
        ordering: ClassVar[list[str]] = ["id"]
        constraints: ClassVar[list[models.BaseConstraint]] = [
            models.UniqueConstraint(fields=["dressed", "kind", "key"], name="one_record_a_key")
        ]

    def __str__(self) -> str:
        return f"{self.kind} {self.key}"


class StoredFit(models.Model):
    """The fit of the piece of that key, as it was at the revision of its set."""

    dressed = models.ForeignKey(DressedSet, on_delete=models.CASCADE, related_name="fits")
    key = models.CharField(max_length=40)
    data = models.JSONField()

    class Meta:
        ordering: ClassVar[list[str]] = ["id"]
        constraints: ClassVar[list[models.BaseConstraint]] = [
            models.UniqueConstraint(fields=["dressed", "key"], name="one_fit_a_key")
        ]

    def __str__(self) -> str:
        return f"fit of {self.key}"


class HistoryEntry(models.Model):
    """One change in words. ``undone``: taken back, and can be done again. ``once``: the name by which its actor asked for it, so that it
    is made only once; empty where there was none. ``asked``: digest of what was asked for by that name. ``elsewhere``: it
    happened to a prop of the set, in the store: it cannot be taken back here."""

    dressed = models.ForeignKey(DressedSet, on_delete=models.CASCADE, related_name="history")
    number = models.PositiveIntegerField()
    words = models.CharField(max_length=300)
    actor = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    at = models.DateTimeField(auto_now_add=True)
    undone = models.BooleanField(default=False)
    once = models.CharField(max_length=64, blank=True, default="")
    asked = models.CharField(max_length=32, blank=True, default="")
    elsewhere = models.BooleanField(default=False)

    class Meta:
        ordering: ClassVar[list[str]] = ["number"]
        constraints: ClassVar[list[models.BaseConstraint]] = [
            models.UniqueConstraint(fields=["dressed", "number"], name="one_entry_a_number"),
            models.UniqueConstraint(
                fields=["dressed", "actor", "once"], condition=~models.Q(once=""), name="one_entry_a_name"
            ),
        ]

    def __str__(self) -> str:
        return self.words


class HistoryDeltas(models.Model):
    """Every record that a change touched, before and after: apart from the words, which are read far more often.

    ``props``: those that the deltas name. They can be retired, but not deleted, as long as the change can be undone.
    """

    entry = models.OneToOneField(HistoryEntry, on_delete=models.CASCADE, primary_key=True, related_name="stored")
    deltas = models.JSONField()
    props = models.ManyToManyField(StoredProp, through="HistoryProp", related_name="+")

    def __str__(self) -> str:
        return f"deltas of {self.entry_id}"


class HistoryProp(models.Model):
    """A prop that a change names."""

    change = models.ForeignKey(HistoryDeltas, on_delete=models.CASCADE)
    prop = models.ForeignKey(StoredProp, on_delete=models.PROTECT, related_name="named_in_history")

    def __str__(self) -> str:
        return f"{self.prop_id} in {self.change_id}"
