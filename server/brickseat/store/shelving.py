"""Put props into the store, and take their meshes out of it."""

import hashlib
import threading
from collections import OrderedDict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from django.contrib.auth.models import User

from brickseat.store.models import StoredProp, file_of
from brickseat_core.formats.gltf.document import GltfDocument
from brickseat_core.formats.gltf.light import light_copy
from brickseat_core.formats.gltf.skin import joints_of
from brickseat_core.formats.making import LIGHT_TRIANGLES
from brickseat_core.formats.prop_file import whole_mesh, whole_prop
from brickseat_core.formats.prop_picture import Look, picture_of
from brickseat_core.formats.writing import write_whole
from brickseat_core.geometry.mesh import Mesh
from brickseat_core.gravity.materials import USUAL_MATERIAL
from brickseat_core.scene import DOWN, Prop, Seat, Triple
from brickseat_core.scene.encoding import decode_seats, encode_seat

MESHES_KEPT = 400
PICTURES = 1
"""Grows when pictures are drawn otherwise, so that those of before are drawn anew."""
MOST_DRAWN = 60_000
"""Triangles up to which a picture is drawn of the true mesh."""
_meshes: "OrderedDict[str, Mesh]" = OrderedDict()
_lock = threading.Lock()


@dataclass(frozen=True)
class Ready:
    """A prop that is read, measured and written to its file, and only has to be put into the database. ``columns``: of its row."""

    key: str
    data: bytes
    mesh: Mesh
    columns: Mapping[str, Any]
    material: str

    @property
    def path(self) -> Path:
        """Its file."""
        return file_of(self.columns["digest"])

    @property
    def prop(self) -> Prop:
        """The prop as the core knows it."""
        return Prop(self.key, self.columns["name"], self.mesh, decode_seats(self.columns.get("seats", [])))

    def keep_file(self) -> None:
        """Write its file where it is not there: another prop of the very same contents may be deleted meanwhile, and the file with it."""
        if not self.path.exists():
            write_whole(self.path, self.data)

    def put(self) -> StoredProp:
        """Put it into the database, or what it is made of anew."""
        made, _ = StoredProp.objects.update_or_create(
            key=self.key,
            create_defaults={**self.columns, "key": self.key, "material": self.material},
            defaults=self.columns,
        )
        self.keep_file()
        return made


def ready(
    key: str,
    name: str,
    document: GltfDocument,
    *,
    category: str = "mine",
    owner: User | None = None,
    role: str = "prop",
    direction: Triple = DOWN,
    listed: bool = True,
    material: str = USUAL_MATERIAL,
    seats: Sequence[Seat] = (),
) -> Ready:
    """Read a prop and write its file under its digest: all that takes time, so that it is not done while others wait to write.

    Raises FileError on a bad mesh.
    """
    data = document.to_glb()
    mesh, own_seats = whole_prop(GltfDocument.parse(data), name)
    digest = hashlib.sha256(data).hexdigest()
    with _lock:
        _meshes.setdefault(digest, mesh)
    lo, hi = mesh.box
    volume = abs(mesh.mass[0])
    columns: dict[str, Any] = {
        "name": name,
        "category": category,
        "owner": owner,
        "digest": digest,
        "role": role,
        "direction": list(direction),
        "width": float(hi[0] - lo[0]),
        "height": float(hi[1] - lo[1]),
        "depth": float(hi[2] - lo[2]),
        "corner": lo.tolist(),
        "volume": volume or None,
        "triangles": len(mesh.faces),
        "size": len(data),
        "listed": listed,
        "joints": joints_of(document),
    }
    # What was set on the bench stays, unless seats come along, in the file or beside it.
    if seats or own_seats:
        columns["seats"] = [encode_seat(seat) for seat in seats or own_seats]
    found = Ready(key, data, mesh, columns, material)
    found.path.parent.mkdir(parents=True, exist_ok=True)
    found.keep_file()
    return found


def shelve(key: str, name: str, document: GltfDocument, **more: Any) -> StoredProp:
    """As ``ready``, put into the database at once. Raises FileError on a bad mesh."""
    return ready(key, name, document, **more).put()


def put_all(new: Sequence[Ready]) -> None:
    """Put props that are new into the database, in a few statements."""
    StoredProp.objects.bulk_create(StoredProp(**each.columns, key=each.key, material=each.material) for each in new)
    for each in new:
        each.keep_file()


def light_file(stored: StoredProp) -> Path:
    """A copy of the prop's file for display on weak machines, made when it is first asked for."""
    path = stored.path.with_name(f"{stored.digest}-display-{LIGHT_TRIANGLES}.glb")
    if not path.is_file():
        copy, _ = light_copy(GltfDocument.open(stored.path), LIGHT_TRIANGLES)
        copy.save(path)
    return path


def picture_file(stored: StoredProp, look: Look) -> Path:
    """A small picture of a prop, drawn when it is first asked for."""
    path = stored.path.with_name(f"{stored.digest}-{look}-{PICTURES}.png")
    if not path.is_file():
        heavy = stored.triangles > MOST_DRAWN
        write_whole(path, picture_of(GltfDocument.open(light_file(stored) if heavy else stored.path), look))
    return path


def mesh_of(stored: StoredProp) -> Mesh:
    """The true mesh of a prop, kept in memory while it is in use."""
    with _lock:
        found = _meshes.get(stored.digest)
        if found is not None:
            _meshes.move_to_end(stored.digest)
            return found
    mesh = whole_mesh(GltfDocument.open(stored.path), stored.name)
    with _lock:
        mesh = _meshes.setdefault(stored.digest, mesh)
        while len(_meshes) > MESHES_KEPT:
            _meshes.popitem(last=False)
    return mesh


def prop_of(stored: StoredProp) -> Prop:
    """The prop as the core knows it."""
    return Prop(stored.key, stored.name, mesh_of(stored), decode_seats(stored.seats))


def documents_of(keys: set[str]) -> dict[str, GltfDocument]:
    """The files of props by key, for handing over."""
    return {p.key: GltfDocument.open(p.path) for p in StoredProp.objects.filter(key__in=keys)}
