"""The store as an application of Django: what follows when a prop is deleted, whoever deletes it."""

from typing import Any

from django.apps import AppConfig
from django.db.models.signals import post_delete


class StoreConfig(AppConfig):
    """The store."""

    name = "brickseat.store"

    def ready(self) -> None:
        """Files go with the props that are made of them."""
        from brickseat.store.models import StoredProp
        from brickseat.store.removing import remove_with

        def after_delete(instance: StoredProp, **_: Any) -> None:
            remove_with(instance)

        post_delete.connect(after_delete, sender=StoredProp, weak=False, dispatch_uid="files of props")
