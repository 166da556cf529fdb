"""Put the demo into the database: its dresser, its props, and the three sets."""

from collections.abc import Callable

from django.contrib.auth import get_user_model
from django.db import transaction

from brickseat.accounts.demo_visitor import DRESSER
from brickseat.demo.dressing import workshop, yard
from brickseat.demo.loading import kiln_loading
from brickseat.demo.place import BEARERS
from brickseat.props.hollow_hill import PROPS
from brickseat.props.lay_figure import SITTING
from brickseat.sets.models import DressedSet
from brickseat.sets.opening import save_set
from brickseat.sets.picture import draw_picture
from brickseat.store.importing import pose_prop
from brickseat.store.models import StoredProp
from brickseat.store.shelving import prop_of, shelve
from brickseat_core.gravity.materials import USUAL_MATERIAL
from brickseat_core.scene import Prop

MATERIALS = {
    "pots": "glazed",
    "tiles": "brick",
    "cloth": "cloth",
    "tools": "wood",
    "furniture": "wood",
    "baskets": "wicker",
    "herbs": "plant",
    "stones": "stone",
    "lights": "iron",
    "scale": "paper",
    "kiln": "brick",
    "openings": "wood",
}
SETS = (
    ("Workshop, throwing day", workshop, {"eye": (2.9, 2.5, 2.6), "target": (-0.15, 0.75, -2.4)}),
    ("Kiln yard, morning", yard, {"eye": (3.6, 2.6, 8.6), "target": (-0.4, 0.0, 2.2)}),
    ("Kiln loading, evening", kiln_loading, {"eye": (3.1, 2.3, 4.3), "target": (-0.3, 0.75, -0.7)}),
)


def ensure_demo(on_progress: Callable[[str], None] = lambda text: None) -> None:
    """Make the demo data if there is none. One transaction: it is there whole or not at all."""
    # The demo's dresser keeps the store, also of a demo that was made before there was such a thing.
    names = {"first_name": "Wren", "last_name": "Ashby", "password": "!"}
    user, _ = get_user_model().objects.update_or_create(
        username=DRESSER, defaults={"is_staff": True}, create_defaults={**names, "is_staff": True}
    )
    if DressedSet.objects.filter(owner=user).exists():
        return
    with transaction.atomic():
        on_progress("making the props of Hollow Hill Pottery")
        stored: dict[str, StoredProp] = {}
        for made in (*PROPS, *BEARERS):
            stored[made.key] = shelve(
                made.key,
                made.name,
                made.document(),
                category=made.category,
                role="bearer" if made in BEARERS else "prop",
                direction=made.direction,
                listed=made not in BEARERS,
                material=MATERIALS.get(made.category, USUAL_MATERIAL),
                seats=made.seats,
            )
        sitting = pose_prop(stored["lay-figure"], "sitting", SITTING, None)
        stored["lay-figure-sitting"] = sitting
        props: dict[str, Prop] = {key: prop_of(row) for key, row in stored.items()}
        for name, dress, look in SETS:
            on_progress(f"dressing “{name}”")
            dressed = DressedSet.objects.create(owner=user, name=name, look=look)
            save_set(dressed, dress(name, props))
    for dressed in DressedSet.objects.filter(owner=user):
        draw_picture(dressed)
