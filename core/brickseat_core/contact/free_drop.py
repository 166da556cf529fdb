"""The usual drop in one kernel call: of a piece that starts free of everything else."""

import numpy as np

from brickseat_core.contact.column_query import column_query_kernel
from brickseat_core.contact.first_contact import UNTOUCHED, embedded_kernel, flush_kernel, near_contact_kernel
from brickseat_core.contact.index import SceneIndex
from brickseat_core.contact.inside import containers_kernel
from brickseat_core.contact.kernels.flags import any_of
from brickseat_core.contact.kernels.mover import outline_kernel
from brickseat_core.kernels import kernel
from brickseat_core.scene import Piece
from brickseat_core.tolerances import CONTACT_EPSILON, FLUSH_WIDTH


def free_drop(
    index: SceneIndex, piece: Piece, skip: int, hidden: bool = True, close: float = 0.0
) -> tuple[bool, float | None, int]:
    """Whether ``piece`` is free where it is of all but row ``skip``, how far (m) it then drops until first contact, and
    the row of what it meets.

    The travel is None, and the row -1, when nothing is there; they mean nothing when the piece is not free. ``hidden``:
    whether it is also asked what stands wholly inside the other, and what overlaps with all sides flush.
    """
    mesh, pose = index.mesh_of(piece), piece.pose
    mover = index.mover_along(mesh, pose, piece.direction)
    free, travel, met = free_drop_kernel(
        *index.with_moving_mesh(mesh), mover, pose.linear, pose.origin, skip, hidden, close
    )
    return bool(free), float(travel) if travel < np.inf else None, int(met)


@kernel
def free_drop_kernel(forest, placed, count, moving, mover, linear, origin, skip, hidden, close):
    """As ``free_drop``: whether nothing is cut, the travel (inf where unborne), and the row met."""
    query = column_query_kernel(forest, placed, count, mover, origin, skip, 0.0)
    ignored_width = np.full(query.rows.shape[0], FLUSH_WIDTH)
    travel, who, initially_intersecting, within = near_contact_kernel(query, ignored_width, close)
    if not any_of(initially_intersecting):
        if who >= 0 and travel <= CONTACT_EPSILON:
            embedded_kernel(query, ignored_width, initially_intersecting)
        elif hidden:
            flush_kernel(query, placed, -1 if within else who, UNTOUCHED, initially_intersecting)
    free = not any_of(initially_intersecting)
    if free and hidden:
        lo, hi, probes = outline_kernel(moving, linear, origin)
        containers, contained = containers_kernel(
            forest, placed, query.rows, initially_intersecting, skip, lo, hi, probes
        )
        free = not any_of(containers) and not any_of(contained)
    return free, travel, query.rows[who] if who >= 0 else np.int64(-1)
