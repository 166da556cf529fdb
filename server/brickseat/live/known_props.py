"""The props that a stage may ask about: a private one of somebody else's is not among them, though another stage of the set has it in memory."""

import uuid

from brickseat.sets.models import DressedSet
from brickseat.sets.rights import may_use
from brickseat.sets.session import LiveSet, sessions
from brickseat.store.models import StoredProp
from brickseat.store.volumes import PAPER_BOX, paper_box
from brickseat_core.scene import Prop, Triple

MOST_LEARNT = 100
"""Props new to a stage that one question may name."""


class Unfamiliar(LookupError):
    """A prop that this stage has not asked about yet. ``key``: its key."""

    def __init__(self, key: str) -> None:
        super().__init__(key)
        self.key = key


class KnownProps:
    """Those of one stage. ``directions``: the usual seating direction of props, by key."""

    def __init__(self, user: int, dressed: uuid.UUID) -> None:
        self.user, self.dressed = user, dressed
        self.directions: dict[str, Triple] = {}
        self._may: set[str] = set()

    def of(self, live: LiveSet, key: str) -> Prop:
        """A prop that is in memory already. Raises Unfamiliar; no database is asked here."""
        if key not in self._may or key not in live.props:
            raise Unfamiliar(key)
        return live.props[key]

    def learn(self, key: str) -> bool:
        """Bring a prop into memory; False where there is none of that key that this user may see. Asks the database."""
        dressed = DressedSet.objects.filter(key=self.dressed).first()
        if dressed is None:
            return False
        if key == PAPER_BOX:
            paper_box()
        elif not may_use(self.user, dressed, key):
            return False
        x, y, z = StoredProp.objects.values_list("direction", flat=True).get(key=key)
        self.directions[key] = (x, y, z)
        sessions.of(dressed).prop(key)
        self._may.add(key)
        return True

    def learn_directions(self) -> None:
        """The usual seating direction of every prop. Asks the database."""
        for key, (x, y, z) in StoredProp.objects.values_list("key", "direction"):
            self.directions[key] = (x, y, z)
