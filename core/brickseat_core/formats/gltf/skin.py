"""Skins and joints of a glTF document: the shape as posed is what is seated.

Linear blend skinning as in glTF 2.0, section 3.7.3: the transform of a skinned node is ignored, its corners stand
where their joints put them.
"""

from collections.abc import Mapping

import numpy as np

from brickseat_core.formats.errors import FileError
from brickseat_core.formats.gltf.document import GltfDocument
from brickseat_core.formats.gltf.nodes import local_matrix, write_local
from brickseat_core.scene import Vec, rotation_about

AXES = {"x": (1.0, 0.0, 0.0), "y": (0.0, 1.0, 0.0), "z": (0.0, 0.0, 1.0)}


def skin_joints(document: GltfDocument, skin: int, where: str) -> list[int]:
    """Node numbers of the joints of a skin. Raises FileError."""
    joints: list[int] = document.item("skins", skin, where).get("joints", [])
    if not joints:
        raise FileError(f"skins[{skin}] has no joints; export it again")
    for joint in joints:
        document.item("nodes", joint, f"skins[{skin}].joints")
    return joints


def skinned(document: GltfDocument, node: int, points: Vec, primitives: list[int], worlds: Mapping[int, Vec]) -> Vec:
    """World positions (n, 3) of the corners of a skinned node. ``primitives``: which of its mesh make up ``points``.

    Raises FileError.
    """
    if not primitives:
        return points
    where = f"nodes[{node}]"
    entry = document.json["nodes"][node]
    joints = skin_joints(document, entry["skin"], where)
    matrices = np.array([worlds[j] if j in worlds else np.eye(4) for j in joints])
    bind = document.item("skins", entry["skin"], where).get("inverseBindMatrices")
    if bind is not None:
        read = document.accessor(bind, f"skins[{entry['skin']}]").astype(np.float64)
        if read.ndim != 2 or read.shape[1] != 16 or len(read) < len(joints) or not np.isfinite(read).all():
            raise FileError(f"skins[{entry['skin']}].inverseBindMatrices do not fit its joints; export it again")
        matrices = matrices @ read[: len(joints)].reshape(-1, 4, 4).transpose(0, 2, 1)
    which, weight = [], []
    for number in primitives:
        at = f"meshes[{entry['mesh']}].primitives[{number}]"
        attributes = document.json["meshes"][entry["mesh"]]["primitives"][number]["attributes"]
        if "JOINTS_0" not in attributes or "WEIGHTS_0" not in attributes:
            raise FileError(f"{at} is skinned but has no joints and weights; export it again")
        which.append(document.accessor(attributes["JOINTS_0"], at).astype(np.int64))
        weight.append(document.accessor(attributes["WEIGHTS_0"], at).astype(np.float64))
    chosen, share = np.concatenate(which), np.concatenate(weight)
    if chosen.shape != (len(points), 4) or share.shape != (len(points), 4) or not np.isfinite(share).all():
        raise FileError(f"{where} has joints and weights that do not fit its corners; export it again")
    if int(chosen.max()) >= len(joints):
        raise FileError(
            f"{where}: joint {int(chosen.max())} is out of range (there are {len(joints)}); export it again"
        )
    share = share / np.maximum(share.sum(axis=1, keepdims=True), 1e-12)
    blended = np.einsum("nk,nkij->nij", share, matrices[chosen])
    return np.asarray(np.einsum("nij,nj->ni", blended[:, :3, :3], points) + blended[:, :3, 3])


def bend(document: GltfDocument, joint: str, axis: str, degrees: float) -> None:
    """Turn the node named ``joint`` about one of its own axes (x, y or z), with all that hangs on it.

    Raises FileError when there is no node of that name, or more than one.
    """
    named = [node for node in document.items("nodes") if node.get("name") == joint]
    if len(named) != 1:
        known = ", ".join(sorted({str(n["name"]) for n in document.items("nodes") if n.get("name")})[:20])
        raise FileError(f"{len(named) or 'no'} joints are named “{joint}”; there are {known}")
    matrix = local_matrix(named[0], joint)
    turn = np.eye(4)
    turn[:3, :3] = rotation_about(np.array(AXES[axis]), float(np.radians(degrees)))
    write_local(named[0], matrix @ turn)


def joints_of(document: GltfDocument) -> list[str]:
    """Names of what can be bent: the joints of its skins, or the named nodes that hang on others; each named once."""
    nodes = document.items("nodes")
    skinned = {n for skin in document.items("skins") for n in skin.get("joints", [])}
    hanging = {child for node in nodes for child in node.get("children", [])}
    names = [str(node.get("name") or "") for node in nodes]
    chosen = skinned or hanging
    return [n for i, n in enumerate(names) if i in chosen and n and names.count(n) == 1]
