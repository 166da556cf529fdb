"""Props as they come: the files are kept as they were sent, and the prop is made from them again when asked.

So a unit or an up axis can be corrected at any time, and a jointed model can be bent anew.
"""

import hashlib
import re
import tempfile
import uuid
from collections.abc import Callable, Iterable, Sequence
from functools import partial
from pathlib import Path, PurePath

import numpy as np
from django.conf import settings
from django.contrib.auth.models import User
from django.db import transaction
from django.utils import timezone

from brickseat.store.models import StoredProp, file_of
from brickseat.store.quota import refuse_beyond_quota
from brickseat.store.removing import remove_model, remove_original
from brickseat.store.shelving import mesh_of, shelve
from brickseat_core.formats.errors import FileError
from brickseat_core.formats.gltf.document import GltfDocument
from brickseat_core.formats.gltf.limbs import Limb, limb_at
from brickseat_core.formats.making import Turn, make_apart
from brickseat_core.formats.model import UpAxis
from brickseat_core.formats.opening import READ
from brickseat_core.formats.prop_file import whole_mesh
from brickseat_core.formats.writing import write_whole
from brickseat_core.geometry.lengths import Unit
from brickseat_core.geometry.similarity import similarity_between
from brickseat_core.scene import Pose, Seat, Vec, carried
from brickseat_core.scene.encoding import decode_seats

MOST_FILES = 40


def keep_files(files: Iterable[tuple[str, bytes]]) -> str:
    """Write the files as they were sent; returns the path of the model among them, below the data folder.

    Raises FileError.
    """
    named = [(PurePath(name.replace("\\", "/")).name, data) for name, data in files]
    models = [name for name, _ in named if Path(name).suffix.lower() in READ]
    if len(models) != 1:
        raise FileError(
            f"send one model ({', '.join(READ)}) and the files that belong to it; these hold {len(models) or 'none'}"
        )
    if len(named) > MOST_FILES or any(not re.fullmatch(r"[^/\x00-\x1f]{1,180}", name) for name, _ in named):
        raise FileError(f"send at most {MOST_FILES} files with plain names")
    digest = hashlib.sha256()
    for name, data in sorted(named):
        digest.update(f"{name}\0{len(data)}\0".encode() + data)
    folder = Path("originals") / digest.hexdigest()[:32]
    whole = Path(settings.DATA) / folder
    whole.mkdir(parents=True, exist_ok=True)
    for name, data in named:
        if not (whole / name).exists():
            write_whole(whole / name, data)
    return str(folder / models[0])


def source_of(stored: StoredProp) -> Path:
    """The file a prop is made from: what was sent, or its own file when it was modelled here."""
    return Path(settings.DATA) / stored.original if stored.original else stored.path


def made_from(path: Path, unit: str, up: str, turns: Sequence[Turn]) -> tuple[GltfDocument, list[str]]:
    """The model in metres and +Y up, bent as asked, with skins stiffened to the shape they have then; and the names of its joints.

    It is read in a process of its own, and looked at in every way there. Raises FileError.
    """
    units: dict[str, Unit] = {"mm": "mm", "cm": "cm", "m": "m", "in": "in", "ft": "ft"}
    ups: dict[str, UpAxis] = {"y": "y", "z": "z"}
    with tempfile.TemporaryDirectory(prefix="made-") as folder:
        made = Path(folder) / "model.glb"
        try:
            joints = make_apart(path, units.get(unit), ups.get(up), turns, made)
        except FileError as error:
            raise FileError(str(error).replace(f"{path}: ", "").replace(str(path), path.name)) from None
        return GltfDocument.parse(made.read_bytes()), joints


def import_prop(files: Iterable[tuple[str, bytes]], owner: User, unit: str = "", up: str = "") -> StoredProp:
    """A new prop of ``owner`` from the files as they were sent. Raises FileError; no row is made then."""
    refuse_beyond_quota(owner)
    sent = list(files)
    original = keep_files(sent)
    path = Path(settings.DATA) / original
    name = re.sub(r"[_\-\s]+", " ", path.stem).strip()[:200] or "prop"
    try:
        document, joints = made_from(path, unit, up, ())
        made = shelve(new_key(name), name, document, owner=owner)
    except BaseException:
        # What was refused is not kept, unless somebody else's prop is made from the very same files.
        remove_original(original)
        raise
    StoredProp.objects.filter(pk=made.pk).update(original=original, unit=unit, up=up, joints=joints)
    if not path.exists():
        # Another prop of the very same files was deleted meanwhile, and they with it.
        keep_files(sent)
    made.refresh_from_db()
    return made


def new_key(name: str) -> str:
    slug = re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")[:40] or "prop"
    return f"{slug}-{uuid.uuid4().hex[:8]}"


def remake(stored: StoredProp, unit: str, up: str) -> Callable[[], None]:
    """Make the prop again with another unit or up axis; what is returned writes it, inside the caller's transaction.

    Raises FileError before anything is written.
    """
    document, _ = made_from(source_of(stored), unit, up, [tuple(t) for t in stored.turns])
    seats = seats_on(document, stored)

    before = stored.digest

    def write() -> None:
        made = shelve(
            stored.key,
            stored.name,
            document,
            category=stored.category,
            owner=stored.owner,
            role=stored.role,
            direction=tuple(stored.direction),
            listed=stored.listed,
            seats=seats,
        )
        # A modelled prop becomes its own original, or its next change of unit would start from the changed one.
        original = stored.original or str(file_of(stored.digest).relative_to(Path(settings.DATA)))
        StoredProp.objects.filter(pk=stored.pk).update(unit=unit, up=up, original=original)
        if made.digest != before:
            transaction.on_commit(partial(remove_model, before), robust=True)

    return write


def seats_on(document: GltfDocument, stored: StoredProp) -> tuple[Seat, ...]:
    """The seats of a prop where they are on its model that was made anew from the same file, as set on the bench."""
    linear = similarity_between(mesh_of(stored).vertices, whole_mesh(document, stored.name).vertices)
    if linear is None:
        return ()
    pose = Pose.of(linear, np.zeros(3))
    return tuple(carried(seat, pose) for seat in decode_seats(stored.seats))


def posed(stored: StoredProp, turns: Sequence[Turn], owner: User) -> StoredProp:
    """The shape that a piece of ``stored``, or of a pose of it, has with these turns: one that is there, or a new one
    that the store does not show and that goes when nothing names it any more. Raises FileError."""
    root = stored.posed_from or stored
    if not turns:
        return root
    wanted = [list(turn) for turn in turns]
    for there in StoredProp.objects.filter(posed_from=root):
        if there.turns == wanted and there.owner_id in (None, root.owner_id, owner.pk):
            claim(there)
            return there
    made = pose_prop(root, "posed", turns, root.owner or owner)
    StoredProp.objects.filter(pk=made.pk).update(listed=False, retired=True)
    claim(made)
    made.refresh_from_db()
    return made


def claim(prop: StoredProp) -> None:
    """Keep a prop until the change that it is for is stored, although nothing names it yet."""
    StoredProp.objects.filter(pk=prop.pk).update(claimed=timezone.now())


def pose_prop(stored: StoredProp, name: str, turns: Sequence[Turn], owner: User | None) -> StoredProp:
    """A prop of its own: ``stored`` with its joints turned. Raises FileError."""
    if owner is not None:
        refuse_beyond_quota(owner)
    document, _ = made_from(source_of(stored), stored.unit, stored.up, turns)
    with transaction.atomic():
        whole = f"{stored.name}, {name}"[:200]
        made = shelve(new_key(whole), whole, document, category=stored.category, owner=owner)
        StoredProp.objects.filter(pk=made.pk).update(
            original=stored.original or str(stored.path.relative_to(Path(settings.DATA))),
            unit=stored.unit,
            up=stored.up,
            turns=[list(t) for t in turns],
            joints=stored.joints,
            posed_from=stored,
            material=stored.material,
            tags=stored.tags,
        )
        made.refresh_from_db()
        return made


def limb_of(stored: StoredProp, point: Vec) -> Limb | None:
    """The limb that a place (3,) of a prop belongs to, in the prop's own coordinates. Raises FileError."""
    return limb_at(GltfDocument.open(stored.path), point)
