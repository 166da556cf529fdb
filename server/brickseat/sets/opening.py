"""Hand a set over as GLB, and open one from GLB: by us or by anybody."""

import glob
import re
import threading
import uuid
from collections.abc import Iterable, Iterator
from dataclasses import replace

import numpy as np
from django.contrib.auth.models import User
from django.db import connections, transaction

from brickseat.sets.models import DressedSet
from brickseat.sets.session import LiveSet, sessions
from brickseat.sets.snapshot import Snapshot
from brickseat.sets.storing import read_set, settings_of, write_deltas
from brickseat.sets.storing_fits import write_fits
from brickseat.sets.summary import summarise
from brickseat.store.quota import refuse_beyond_quota
from brickseat.store.removing import remove_model
from brickseat.store.shelving import Ready, documents_of, put_all, ready
from brickseat_core.formats.gltf.bodies import Body
from brickseat_core.formats.gltf.building import Carrier, set_document
from brickseat_core.formats.gltf.document import GltfDocument
from brickseat_core.formats.gltf.reading import GltfSet
from brickseat_core.formats.gltf.reading import read_set as read_file
from brickseat_core.formats.gltf.surfaces import stiffen
from brickseat_core.formats.making import look_at_set_apart
from brickseat_core.scene import DOWN, Piece, Pose, Prop, Region, Seat, Set, carried


def hand_over(dressed: DressedSet) -> bytes:
    """The whole set as one GLB: meshes once, one node a piece, our extras on each."""
    found, props = read_set(dressed)
    document = set_document(found, documents_of(set(props)))
    document.json["asset"]["extras"] = {"brickseat": {"set": dressed.name, "tolerance_m": dressed.tolerance}}
    return document.to_glb()


def open_set(data: bytes, name: str, owner: User, whole: Iterable[str] = ()) -> DressedSet:
    """A new set from the bytes of a .glb or .gltf file. ``whole``: names of its nodes that are one piece with all below them.

    Raises FileError; nothing is kept then.
    """
    look_at_set_apart(data)
    document = GltfDocument.parse(data)
    # Props of the store are drawn as they are: what is bent or morphed here is made a shape of its own.
    stiffen(document)
    found = read_file(document, whole=map(glob.escape, whole))
    refuse_beyond_quota(owner, len({p.prop.key for p in found.dressed.pieces.values()}))
    props: dict[str, Ready] = {}
    try:
        props.update(ready_props(found, owner))
        opened = with_props(found, {slot: made.prop for slot, made in props.items()})
        # Nothing is read, hashed or written to a file in here: whoever else writes waits meanwhile.
        with transaction.atomic():
            dressed = DressedSet.objects.create(owner=owner, name=name[:200] or "opened set")
            put_all(list(props.values()))
            write_deltas(dressed, replace(opened, settings=settings_of(dressed)).deltas_from_nothing())
            dressed.save()
    except BaseException:
        for made in props.values():
            remove_model(made.columns["digest"])
        raise
    try:
        live = sessions.of(dressed)
        now = live.snapshot
        if now.whole:
            keep_measured(dressed, now)
    except BaseException:
        dressed.delete()
        raise
    if not now.whole:
        threading.Thread(target=keep_once_measured, args=(dressed, live), name="keep fits").start()
    return dressed


def save_set(dressed: DressedSet, found: Set) -> None:
    """Write all records of a new set, its fits, and what the home page shows of it."""
    write_deltas(dressed, found.deltas_from_nothing())
    dressed.save()
    keep_measured(dressed, Snapshot.of(found, dressed.revision, deep=True))


def keep_once_measured(dressed: DressedSet, live: LiveSet) -> None:
    """``keep_measured``, as soon as every depth is known. Runs in a thread of its own."""
    try:
        keep_measured(dressed, live.whole())
    finally:
        connections.close_all()


def keep_measured(dressed: DressedSet, now: Snapshot) -> None:
    """Keep the fits of a new set. It is measured before the transaction: others may write meanwhile.

    Whoever has changed the set by then has kept the fits of what it is now.
    """
    with transaction.atomic():
        if not DressedSet.objects.select_for_update().filter(key=dressed.key, revision=now.revision).exists():
            return
        write_fits(dressed, None, now.dressed, now.fits, {})
        summarise(dressed, now.index, now.fits)
        dressed.save(update_fields=["counts", "plan", "measured_by", "changed"])


def with_props(found: GltfSet, props: dict[str, Prop]) -> Set:
    """The set of a file with other props, by their slots, and keys that fit an address."""

    def key_of(key: str) -> str:
        return key.replace(":", "-")

    pieces = [
        replace(
            p, key=key_of(p.key), prop=props[prop_slot(p)], pose=Pose(p.pose.position) if p.pose.sheared else p.pose
        )
        for p in found.dressed.pieces.values()
    ]
    regions = [
        replace(
            r, key=key_of(r.key), prop=props[prop_slot(r)], pose=Pose(r.pose.position) if r.pose.sheared else r.pose
        )
        for r in found.dressed.regions.values()
    ]
    ties = [replace(t, piece=key_of(t.piece), to=key_of(t.to)) for t in found.dressed.ties.values()]
    cuts = [replace(c, piece=key_of(c.piece), bearer=key_of(c.bearer)) for c in found.dressed.cut_outs.values()]
    return replace(
        found.dressed,
        pieces={p.key: p for p in pieces},
        regions={r.key: r for r in regions},
        ties={t.key: t for t in ties},
        cut_outs={c.key: c for c in cuts},
    )


def prop_slot(piece: Piece | Region) -> str:
    """Which stored prop a piece or region of a file is a copy of."""
    return f"{piece.prop.key} {piece.key}" if piece.pose.sheared else piece.prop.key


def seats_in(copy: Piece | Region, own: Pose) -> list[Seat]:
    """The seats of what is opened, in the coordinates of the prop that is made of it."""
    if own == copy.pose:
        return list(copy.prop.seats)
    local = Pose.from_matrix(np.linalg.inv(own.matrix) @ copy.pose.matrix)
    return [carried(seat, local) for seat in copy.prop.seats]


def ready_props(found: GltfSet, owner: User) -> Iterator[tuple[str, Ready]]:
    """One prop for every mesh that pieces and regions share, with the materials it is drawn with, each with its slot. Raises FileError."""
    known: set[str] = set()
    copies: list[tuple[Piece | Region, Body]] = [
        (found.dressed.pieces[key], body) for key, body in found.bodies.items()
    ]
    copies += [(found.dressed.regions[key], body) for key, body in found.volumes.items()]
    for copy, body in copies:
        slot = prop_slot(copy)
        if slot in known:
            continue
        known.add(slot)
        carrier = Carrier()
        own = Pose(copy.pose.position) if copy.pose.sheared else copy.pose
        back = np.linalg.inv(own.matrix)
        parts = [
            (p.mesh, np.eye(4) if p.world is body.lead.world and own is copy.pose else back @ p.world)
            for p in body.parts
        ]
        nodes = carrier.subtree(found.document, parts, copy.name)
        carrier.document.json.update({"nodes": nodes, "scenes": [{"nodes": list(range(len(nodes)))}], "scene": 0})
        slug = re.sub(r"[^a-z0-9]+", "-", copy.name.lower()).strip("-")[:40] or "prop"
        made = ready(
            f"{slug}-{uuid.uuid4().hex[:8]}",
            re.sub(r" \d+$", "", copy.name),
            carrier.document,
            category="opened",
            owner=owner,
            role=copy.role if isinstance(copy, Piece) else "prop",
            direction=copy.direction if isinstance(copy, Piece) else DOWN,
            listed=isinstance(copy, Piece) and copy.role == "prop",
            seats=seats_in(copy, own),
        )
        yield slot, made
