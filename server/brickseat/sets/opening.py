"""Hand a set over as GLB, and open one from GLB: by us or by anybody."""

import re
import uuid

import numpy as np
from django.contrib.auth.models import User
from django.db import transaction

from brickseat.sets.changing import columns
from brickseat.sets.models import DressedSet, StandingPiece
from brickseat.sets.records import piece_of, piece_record, row_record
from brickseat.sets.summary import summarise
from brickseat.store.models import StoredProp
from brickseat.store.shelving import documents_of, prop_of, shelve
from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.check import check
from brickseat_core.formats.errors import FileError
from brickseat_core.formats.gltf_build import Carrier, set_document
from brickseat_core.formats.gltf_document import GltfDocument
from brickseat_core.formats.gltf_set import GltfSet, read_set
from brickseat_core.scene import Piece, Pose, Prop, Set

MOST_PIECES = 20_000


def dressed_set(dressed: DressedSet) -> Set:
    """The stored set as the core knows it."""
    props: dict[str, Prop] = {}
    pieces = []
    for row in dressed.pieces.select_related("prop"):
        prop = props.setdefault(row.prop.key, props.get(row.prop.key) or prop_of(row.prop))
        pieces.append(piece_of(row_record(row), prop))
    return Set.of(dressed.name, pieces, dressed.tolerance)


def hand_over(dressed: DressedSet) -> bytes:
    """The whole set as one GLB: meshes once, one node a piece, our extras on each."""
    found = dressed_set(dressed)
    models = documents_of({p.prop.key for p in found.pieces.values()})
    document = set_document(found.pieces.values(), models)
    document.json["asset"]["extras"] = {"brickseat": {"set": dressed.name, "tolerance_m": dressed.tolerance}}
    return document.to_glb()


def open_set(data: bytes, name: str, owner: User) -> DressedSet:
    """A new set from the bytes of a .glb or .gltf file. Raises FileError; nothing is kept then."""
    document = GltfDocument.parse(data)
    found = read_set(document)
    if len(found.bodies) > MOST_PIECES:
        raise FileError(f"draws {len(found.bodies)} pieces; at most {MOST_PIECES} are opened, split it")
    with transaction.atomic():
        dressed = DressedSet.objects.create(owner=owner, name=name[:200] or "opened set")
        fresh = shelve_props(found, dressed, owner)
        rows = []
        for key, piece in found.dressed.pieces.items():
            stored = fresh[prop_slot(piece)]
            own = piece_record(
                Piece(**{**piece.__dict__, "pose": Pose(piece.pose.position)}) if sheared(piece) else piece
            )
            own["prop"] = stored.key
            rows.append(StandingPiece(dressed=dressed, key=key.replace(":", "-"), **columns(own, stored)))
        StandingPiece.objects.bulk_create(rows)
        index = SceneIndex.of(dressed_set(dressed))
        summarise(dressed, index, check(index, dressed.tolerance))
        dressed.save(update_fields=["counts", "plan"])
    return dressed


def sheared(piece: Piece) -> bool:
    """Whether a piece's pose is more than position, orientation and scale; its shape then goes into its prop."""
    pose = piece.pose
    plain = Pose.from_parts(pose.position, pose.orientation, pose.scale)
    return not np.allclose(plain.linear, pose.linear, rtol=0.0, atol=1e-9 * float(np.abs(pose.linear).max()))


def prop_slot(piece: Piece) -> str:
    return f"{piece.prop.key} {piece.key}" if sheared(piece) else piece.prop.key


def shelve_props(found: GltfSet, dressed: DressedSet, owner: User) -> dict[str, StoredProp]:
    """One stored prop for every mesh the bodies share, with the materials it is drawn with."""
    out: dict[str, StoredProp] = {}
    for key, body in found.bodies.items():
        piece = found.dressed.pieces[key]
        if prop_slot(piece) in out:
            continue
        carrier = Carrier()
        own = Pose(piece.pose.position) if sheared(piece) else piece.pose
        back = np.linalg.inv(own.matrix)
        parts = [
            (p.mesh, np.eye(4) if p.world is body.lead.world and own is piece.pose else back @ p.world)
            for p in body.parts
        ]
        nodes = carrier.subtree(found.document, parts, piece.name)
        carrier.document.json.update({"nodes": nodes, "scenes": [{"nodes": list(range(len(nodes)))}], "scene": 0})
        slug = re.sub(r"[^a-z0-9]+", "-", piece.name.lower()).strip("-")[:40] or "prop"
        out[prop_slot(piece)] = shelve(
            f"{slug}-{uuid.uuid4().hex[:8]}",
            re.sub(r" \d+$", "", piece.name),
            carrier.document,
            category="opened",
            owner=owner,
            role=piece.role,
            direction=piece.direction,
            listed=piece.role == "prop",
        )
    return out
