"""The edges of a mesh against a plain count of them, whatever the triangles are."""

from collections import Counter, defaultdict

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from brickseat_core.geometry.edges import edges_of, grouped, sharp_directions
from brickseat_core.geometry.mesh import Mesh
from shapes import ball, box

corners = st.integers(0, 9)
triangles = st.lists(st.tuples(corners, corners, corners), max_size=40)


@given(triangles)
def test_edges_lie_together_and_open_ones_are_counted(faces: list[tuple[int, int, int]]) -> None:
    edges = edges_of(np.array(faces, dtype=np.int64).reshape(-1, 3))
    uses: dict[tuple[int, int], list[int]] = defaultdict(list)
    balance: Counter[tuple[int, int]] = Counter()
    for f, face in enumerate(faces):
        if len(set(face)) == 3:
            for k in range(3):
                a, b = face[k], face[(k + 1) % 3]
                uses[min(a, b), max(a, b)].append(3 * f + k)
                balance[min(a, b), max(a, b)] += 1 if a < b else -1
    together = np.split(edges.uses, edges.begins[1:]) if len(edges.begins) else []
    assert [group.tolist() for group in together] == [uses[ends] for ends in sorted(uses)]
    assert edges.unmatched() == sum(1 for total in balance.values() if total)


@given(triangles)
def test_rows_are_sorted_and_every_group_of_equals_found(rows: list[tuple[int, int, int]]) -> None:
    order, begins = grouped(np.array(rows, dtype=np.int64).reshape(-1, 3))
    inorder = [rows[i] for i in order]
    assert inorder == sorted(rows)
    assert [inorder[i] for i in begins] == sorted(set(rows))


def test_sharp_edges_run_along_the_sides_of_a_box_and_a_ball_has_none() -> None:
    def ways(mesh: Mesh) -> list[list[float]]:
        return np.abs(sharp_directions(mesh.vertices, mesh.faces, edges_of(mesh.faces.astype(np.int64)))).tolist()

    mesh = box(0.3, 0.2, 0.1)
    assert sorted(ways(mesh)) == [[0.0, 0.0, 1.0], [0.0, 1.0, 0.0], [1.0, 0.0, 0.0]]
    assert mesh.edge_directions.shape == (3, 3)
    assert ball(0.2).edge_directions.shape == (0, 3)
