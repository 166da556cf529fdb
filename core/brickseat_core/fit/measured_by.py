"""What a fit depends on besides where the pieces stand: the measuring itself, and the meshes."""

import hashlib
from functools import cache
from pathlib import Path

from brickseat_core.scene import Set

PACKAGE = Path(__file__).parent.parent
ROOMS = ("geometry", "scene", "contact", "fit", "constraints")


@cache
def digest_of_measuring() -> str:
    """A digest of all code that takes part in measuring."""
    digest = hashlib.sha256()
    for path in (*sorted(PACKAGE.glob("*.py")), *(p for room in ROOMS for p in sorted((PACKAGE / room).rglob("*.py")))):
        digest.update(str(path.relative_to(PACKAGE)).encode())
        digest.update(path.read_bytes())
    return digest.hexdigest()


def measured_by(dressed: Set) -> str:
    """A digest of how the pieces of a set are measured: fits that were kept under another one are to be measured anew."""
    meshes = {p.prop.key: p.prop.mesh.digest for p in dressed.pieces.values()}
    text = f"{digest_of_measuring()} {dressed.tolerance!r} {sorted(meshes.items())}"
    return hashlib.sha256(text.encode()).hexdigest()[:32]
