"""What breaks in a job becomes shards: asked for while its outcome is looked at, and put into the store when it is adopted."""

from collections.abc import Iterable, Mapping

import numpy as np
from django.utils import timezone

from brickseat.jobs.running import Failed, Job, Shard
from brickseat.store.models import StoredProp
from brickseat.store.physical import properties_of
from brickseat.store.shelving import shelve
from brickseat_core.formats.gltf.building import Paint, Surface, main_paint, prop_document
from brickseat_core.formats.gltf.document import GltfDocument
from brickseat_core.gravity.breaking import HARDER
from brickseat_core.scene import Piece, Prop


def keep_shards(job: Job, pieces: Iterable[Piece], shards: Mapping[str, str]) -> None:
    """Shards among ``pieces`` can be asked for from now on, by the keys of their props."""
    fresh = {p.prop.key: p.prop for p in pieces if p.prop.key in shards and p.prop.key not in job.shards}
    wholes = {p.key: p for p in StoredProp.objects.filter(key__in={shards[key] for key in fresh})}
    paints = {key: main_paint(GltfDocument.open(whole.path)) for key, whole in wholes.items()}
    for key, prop in fresh.items():
        whole = shards[key]
        job.shards[key] = Shard(key, prop.name, whole, shard_document(prop, paints[whole]).to_glb())


def shard_document(prop: Prop, paint: Paint) -> GltfDocument:
    """A shard as a model, in the paint that most of its whole has."""
    # Sharp where it broke: every triangle has corners of its own.
    corners = prop.mesh.vertices[prop.mesh.faces].reshape(-1, 3)
    faces = np.arange(len(corners), dtype=np.int32).reshape(-1, 3)
    return prop_document(prop.name, [Surface(paint, corners, faces)])


def shelve_shards(job: Job, keys: Iterable[str]) -> None:
    """Put the shards among the props of ``keys`` into the store, where they are kept but not shown. Raises FileError.

    They belong to whom the whole belongs: two dressers who break copies of one prop share its shards.
    """
    wanted = set(keys) & job.shards.keys()
    there = set(StoredProp.objects.filter(key__in=wanted).values_list("key", flat=True))
    wholes = {p.key: p for p in StoredProp.objects.filter(key__in={job.shards[key].of for key in wanted})}
    for key in sorted(wanted - there):
        shard = job.shards[key]
        whole = wholes.get(shard.of)
        if whole is None:
            raise Failed(f"what {shard.name} is a shard of is gone from the store; settle again")
        document = GltfDocument.parse(shard.data)
        made = shelve(key, shard.name[:200], document, category="shards", owner=whole.owner, listed=False)
        share = (made.volume or 0.0) / whole.volume if whole.volume else 0.0
        StoredProp.objects.filter(pk=made.pk).update(
            material=whole.material,
            mass=whole.mass * share if whole.mass is not None and share else None,
            grip=whole.grip,
            bounce=whole.bounce,
            fall=HARDER * properties_of(whole).bears,
            contact="hull",
            came_of=whole,
            claimed=timezone.now(),
        )


def shard_file(job: Job, prop: str) -> str:
    """Where the model of a shard is to be had as long as its job is kept."""
    return f"/api/sets/{job.dressed}/jobs/{job.key}/shards/{prop}.glb"
