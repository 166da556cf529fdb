"""The contact shapes of what is to fall in a job, made where there are none yet."""

from collections.abc import Container, Iterable, Mapping
from typing import Annotated

from pydantic import Field

from brickseat.jobs.running import Failed, Job, Lack
from brickseat.store.contact import kept_shape, wanted_kind
from brickseat.store.models import StoredProp
from brickseat_core.budget import Budget, Stopped
from brickseat_core.formats.shape_file import settling_shape_apart
from brickseat_core.gravity.shapes import ContactShape, NoShape, ShapeKind
from brickseat_core.scene import Prop

PropKeys = Annotated[list[Annotated[str, Field(max_length=80)]], Field(max_length=200)]


def shapes_of(
    wanted: Iterable[str], boxed: Container[str], stored: dict[str, StoredProp], job: Job
) -> dict[str, ContactShape]:
    """The shape of every prop that is to fall, by key. Raises Failed, with all that have none."""
    found: dict[str, ContactShape] = {}
    lacking: list[Lack] = []
    keys = list(dict.fromkeys(wanted))
    for number, key in enumerate(keys):
        if not job.on_progress("making contact shapes", number / len(keys), number, len(keys)):
            raise Stopped
        kind: ShapeKind | None = "box" if key in boxed else wanted_kind(stored[key])
        try:
            found[key] = kept_shape(stored[key], kind, asking(job))
        except NoShape as problem:
            lacking.append(Lack(key, stored[key].name, str(problem)))
    if lacking:
        names = " and ".join(lack.name for lack in lacking)
        raise Failed(f"{names} cannot fall without a contact shape: {lacking[0].reason}", tuple(lacking))
    return found


def shapes_of_bodies(bodies: Mapping[str, Prop], job: Job) -> dict[str, ContactShape]:
    """The shape of each body of joined pieces, by key. Raises NotForGravity, and Stopped."""
    return {key: settling_shape_apart(body, None, asking(job)) for key, body in bodies.items()}


def asking(job: Job) -> Budget:
    """Without an end of its own: whether the job is still wanted."""
    return Budget(on_progress=lambda done, total: not job.stop.is_set())
