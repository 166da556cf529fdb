"""The usual drop in one kernel call: of a piece that starts free of everything else."""

import numpy as np

from brickseat_core.contact.drop import flush_kernel, hung_kernel, near_contact_kernel
from brickseat_core.contact.index import SceneIndex
from brickseat_core.contact.inside import around_kernel
from brickseat_core.contact.mover import near_kernel, outline_kernel, transforms_kernel
from brickseat_core.kernels import kernel
from brickseat_core.scene import Piece
from brickseat_core.tolerances import CONTACT_EPSILON, FLUSH_WIDTH


def free_drop(
    index: SceneIndex, piece: Piece, skip: int, hidden: bool = True, close: float = 0.0
) -> tuple[bool, float | None, int]:
    """Whether ``piece`` is free where it is of all but row ``skip``, how far (m) it then drops until first contact, and
    the row of what it meets.

    The travel is None, and the row -1, when nothing is there; they tell nothing when the piece is not free. ``hidden``:
    whether it is also asked what stands wholly inside the other, and what overlaps with all sides flush.
    """
    mesh, pose = index.mesh_of(piece), piece.pose
    mover = index.mover_along(mesh, pose, piece.direction)
    free, travel, met = free_drop_kernel(*index.with_body(mesh), mover, pose.linear, pose.origin, skip, hidden, close)
    return bool(free), float(travel) if travel < np.inf else None, int(met)


@kernel
def free_drop_kernel(forest, placed, count, body, mover, linear, origin, skip, hidden, close):  # type: ignore[no-untyped-def]
    rows = near_kernel(placed, count, mover.frame, origin, mover.lo[0], mover.hi[0], skip)
    matrix, offset, facing = transforms_kernel(placed, rows, mover.frame, origin)
    slack = np.full(rows.shape[0], FLUSH_WIDTH)
    travel, who, started, within = near_contact_kernel(
        forest, placed, mover, rows, matrix, offset, facing, slack, close
    )
    if not started.any():
        if who >= 0 and travel <= CONTACT_EPSILON:
            hung_kernel(forest, placed, mover, rows, matrix, offset, facing, slack, started)
        elif hidden:
            flush_kernel(forest, placed, mover, rows, matrix, offset, facing, -1 if within else who, False, started)
    free = not started.any()
    if free and hidden:
        lo, hi, probes = outline_kernel(body, linear, origin)
        holders, guests = around_kernel(forest, placed, rows, started, skip, lo, hi, probes)
        free = not holders.any() and not guests.any()
    return free, travel, rows[who] if who >= 0 else np.int64(-1)
