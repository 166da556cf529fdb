"""The prop house: a made-up supplier from whom props can be ordered. What is ordered is delivered a little later."""

from collections.abc import Callable
from dataclasses import dataclass
from datetime import timedelta

from django.contrib.auth.models import User
from django.db import transaction
from django.utils import timezone

from brickseat.props.hollow_hill import basket, bowl, herb, jar, jug, plank, plate, sack
from brickseat.props.modelling import block
from brickseat.props.paints import CELADON, COBALT, CREAM, HONEY, LEAF, LINEN, STONE
from brickseat.store.importing import new_key
from brickseat.store.models import PropOrder, StoredProp
from brickseat.store.quota import refuse_beyond_quota
from brickseat.store.shelving import shelve
from brickseat_core.formats.gltf.building import Surface, prop_document

DELIVERY = timedelta(seconds=3)
CATEGORY = "from the prop house"


@dataclass(frozen=True)
class Item:
    """What the prop house lends, and what it says of it."""

    key: str
    name: str
    says: str
    material: str
    make: Callable[[], list[Surface]]


ITEMS: tuple[Item, ...] = (
    Item(
        "crock",
        "glaze crock",
        "42 cm, honey glaze, for the glazing corner",
        "glazed",
        lambda: jar(0.2, 0.42, 0.13, HONEY),
    ),
    Item("pickling-jar", "pickling jar", "34 cm, cobalt", "glazed", lambda: jar(0.14, 0.34, 0.09, COBALT)),
    Item("ewer", "tall ewer", "36 cm, cream, one handle", "glazed", lambda: jug(0.12, 0.36, CREAM)),
    Item("platter", "harvest platter", "44 cm across, celadon", "glazed", lambda: plate(0.22, CELADON)),
    Item("tasting-bowl", "tasting bowl", "10 cm across, honey glaze", "glazed", lambda: bowl(0.05, 0.034, HONEY)),
    Item("rye-basket", "rye basket", "60 cm across, two ears", "wicker", lambda: basket(0.3, 0.18, 9, True)),
    Item("flour-sack", "flour sack", "filled, linen", "cloth", lambda: sack((0.46, 0.62, 0.36), 23, LINEN)),
    Item("rosemary", "pot of rosemary", "half a metre tall", "plant", lambda: herb(0.12, 0.2, LEAF, 17, 0.26)),
    Item(
        "quarry-block",
        "quarry block",
        "hill stone, squared",
        "stone",
        lambda: [block(STONE, (0.5, 0.26, 0.32), bevel=0.012)],
    ),
    Item("long-plank", "long plank", "2.6 m, scrubbed", "wood", lambda: plank(2.6)),
)
BY_KEY = {item.key: item for item in ITEMS}


def order(owner: User, item: str) -> PropOrder:
    """Order one: it is made at once, and seen when it is due. Raises KeyError when the prop house has no such thing, and FileError where no more
    may be kept."""
    wanted = BY_KEY[item]
    refuse_beyond_quota(owner)
    document = prop_document(wanted.name, wanted.make())
    due = timezone.now() + DELIVERY
    with transaction.atomic():
        prop = shelve(
            new_key(wanted.name), wanted.name, document, category=CATEGORY, owner=owner, material=wanted.material
        )
        StoredProp.objects.filter(pk=prop.pk).update(due=due)
        return PropOrder.objects.create(owner=owner, item=wanted.key, due=due, prop=prop)


def orders_of(owner: User) -> tuple[dict[str, StoredProp], set[str]]:
    """What came, by item, the latest of each; and the items that are still on their way."""
    now = timezone.now()
    orders = list(PropOrder.objects.filter(owner=owner, prop__retired=False).select_related("prop"))
    came = {o.item: o.prop for o in reversed(orders) if o.prop is not None and o.due <= now}
    return came, {o.item for o in orders if o.due > now}
