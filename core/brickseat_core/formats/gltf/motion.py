"""A motion kept as a glTF animation: how the pieces of a set fell."""

from collections.abc import Mapping, Sequence

import numpy as np

from brickseat_core.formats.gltf.reading import GltfSet
from brickseat_core.scene import Pose, Vec

NAME = "settling"


def animate(found: GltfSet, times: Vec, poses: Mapping[str, Sequence[Pose]]) -> list[str]:
    """Write an animation of the bodies of ``poses`` (by key, one pose for each of ``times`` in seconds).

    Comes before ``GltfSet.store``, which puts the nodes themselves to where they end. Returns the keys of bodies that
    cannot be animated: those drawn by instancing.
    """
    document = found.document
    nodes = document.json["nodes"]
    clock = document.append(times.astype("<f4")[:, None], "SCALAR")
    document.json["accessors"][clock].update({"min": [float(times[0])], "max": [float(times[-1])]})
    samplers: list[dict[str, object]] = []
    channels: list[dict[str, object]] = []
    left: list[str] = []
    for key, path in poses.items():
        body = found.bodies[key]
        if any(part.instance is not None for part in body.parts):
            left.append(key)
            continue
        back = np.linalg.inv(found.dressed.pieces[key].pose.matrix)
        for node in sorted({n for n, owner in found.body_of_node.items() if owner == key}):
            parent = found.parents.get(node)
            if parent is not None and found.body_of_node.get(parent) == key:
                continue
            above = np.linalg.inv(found.worlds[parent]) if parent is not None else np.eye(4)
            track = [Pose.from_matrix(above @ pose.matrix @ back @ found.worlds[node]) for pose in path]
            if "matrix" in nodes[node]:
                del nodes[node]["matrix"]
                nodes[node].update({"scale": list(track[0].scale)})
            turns = np.array([p.orientation for p in track])
            # The short way round from frame to frame.
            for k in range(1, len(turns)):
                if turns[k] @ turns[k - 1] < 0.0:
                    turns[k] *= -1.0
            values = {"translation": np.array([p.position for p in track]), "rotation": turns}
            for name, rows in values.items():
                output = document.append(rows.astype("<f4"), "VEC3" if name == "translation" else "VEC4")
                channels.append({"sampler": len(samplers), "target": {"node": node, "path": name}})
                samplers.append({"input": clock, "output": output, "interpolation": "LINEAR"})
    if channels:
        document.json.setdefault("animations", []).append({"name": NAME, "samplers": samplers, "channels": channels})
    return left
