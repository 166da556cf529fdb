"""Sets read from files and written back."""

from collections.abc import Iterable
from pathlib import Path

from brickseat.commands.given import Given
from brickseat.commands.output import complain
from brickseat_core.constraints.bodies import Joined, change_to
from brickseat_core.constraints.obeying import TiesInTheWay, obeyed
from brickseat_core.contact.index import SceneIndex
from brickseat_core.formats.boundary import reading
from brickseat_core.formats.errors import FileError
from brickseat_core.formats.gltf.document import GltfDocument
from brickseat_core.formats.gltf.groups import in_words, moved_apart
from brickseat_core.formats.gltf.reading import GltfSet, read_set, with_floor
from brickseat_core.formats.gltf.storing import store_set
from brickseat_core.formats.limits import check_poses
from brickseat_core.scene import Piece, Set

GLTF = (".glb", ".gltf")


def open_set(given: Given) -> GltfSet:
    """The set of a file. Raises FileError."""
    with reading(given.set):
        return opened_set(given)


def opened_set(given: Given) -> GltfSet:
    """As ``open_set``. Raises FileError, and whatever readers stumble over."""
    path = given.set
    if path.suffix.lower() in GLTF:
        document = GltfDocument.open(path)
    else:
        # The other formats bring in large libraries: a set as glTF does not wait for them.
        from brickseat_core.formats.opening import open_document

        document = open_document(path)
    found = read_set(document, given.bearers, given.tolerance, given.whole, given.parts)
    check_poses([*found.dressed.pieces.values(), *found.dressed.regions.values()])
    return found if given.floor is None else with_floor(found, given.floor)


def name_moved_apart(found: GltfSet, after: Set, quiet: bool) -> None:
    """Say on standard error which groups of the file have parts that do not stand to each other as they did."""
    complain([in_words(group) for group in moved_apart(found.groups, found.dressed, after)], quiet)


def store_moved(found: GltfSet, index: SceneIndex, joined: Joined, pieces: Iterable[Piece]) -> Set:
    """Bring the document up to these pieces of ``joined``, and to what their ties make of that. Raises FileError."""
    try:
        after = obeyed(found.dressed, index, change_to(joined, pieces, "moved")).on(found.dressed)
    except TiesInTheWay as problem:
        raise FileError(str(problem)) from None
    store_set(found, after)
    return after


def save(document: GltfDocument, path: Path) -> None:
    """Write a document beside and rename it into place. Raises FileError."""
    if path.suffix.lower() in GLTF:
        document.save(path)
        return
    from brickseat_core.formats.opening import save_document

    save_document(document, path)
