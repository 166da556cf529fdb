"""How much one dresser may keep in the store."""

from django.contrib.auth.models import User
from django.db.models import Count, Sum

from brickseat.store.models import StoredProp
from brickseat_core.formats.errors import FileError

MOST_PROPS = 5_000
MOST_BYTES = 20 << 30


def refuse_beyond_quota(owner: User, more: int = 1) -> None:
    """Raises FileError where a dresser would keep more than that with so many ``more`` props."""
    kept = StoredProp.objects.filter(owner=owner).aggregate(props=Count("pk"), size=Sum("size"))
    if kept["props"] + more > MOST_PROPS:
        raise FileError(f"you would keep more than {MOST_PROPS} props in the store; delete some that stand nowhere")
    if (kept["size"] or 0) > MOST_BYTES:
        raise FileError(f"you keep more than {MOST_BYTES >> 30} GB in the store; delete some props that stand nowhere")
