"""Linear programs in three variables: Seidel, "Small-dimensional linear programming and convex hulls made easy", 1991.

The conditions are taken one after another in a shuffled order; when one is not met, the best point lies on its
plane, and the same is solved there in one dimension less. Expected time is linear in their number.
"""

import numpy as np

from brickseat_core.kernels import inner_kernel, kernel

NOTHING = 1e-12


@inner_kernel
def best_on_line(a, b, n, c, low, high):
    """Maximise c·x over low <= x <= high with a[i]·x <= b[i]; (x, feasible)."""
    for i in range(n):
        if a[i] > NOTHING:
            high = min(high, b[i] / a[i])
        elif a[i] < -NOTHING:
            low = max(low, b[i] / a[i])
        elif b[i] < -NOTHING:
            return 0.0, False
    if low > high + NOTHING:
        return 0.0, False
    return (high if c > 0.0 else low if c < 0.0 else min(max(0.0, low), high)), True


@inner_kernel
def best_in_plane(a, b, n, c0, c1, reach, line_a, line_b):
    """Maximise c·x, |x| <= reach in each variable, with a[i]·x <= b[i], i < n; (x0, x1, feasible)."""
    x0 = reach if c0 > 0.0 else -reach if c0 < 0.0 else 0.0
    x1 = reach if c1 > 0.0 else -reach if c1 < 0.0 else 0.0
    for i in range(n):
        if a[i, 0] * x0 + a[i, 1] * x1 <= b[i] + NOTHING:
            continue
        # On the line a0 x0 + a1 x1 = b one variable follows from the other.
        k = 0 if abs(a[i, 0]) >= abs(a[i, 1]) else 1
        j = 1 - k
        lead = a[i, k]
        if abs(lead) <= NOTHING:
            return 0.0, 0.0, False
        ratio, base = -a[i, j] / lead, b[i] / lead
        for m in range(i):
            line_a[m] = a[m, j] + a[m, k] * ratio
            line_b[m] = b[m] - a[m, k] * base
        line_a[i], line_b[i] = ratio, reach - base
        line_a[i + 1], line_b[i + 1] = -ratio, reach + base
        c = (c1 if j == 1 else c0) + (c0 if k == 0 else c1) * ratio
        y, feasible = best_on_line(line_a, line_b, i + 2, c, -reach, reach)
        if not feasible:
            return 0.0, 0.0, False
        if j == 1:
            x0, x1 = base + ratio * y, y
        else:
            x0, x1 = y, base + ratio * y
    return x0, x1, True


@kernel
def best_in_space(a, b, c, reach):
    """Maximise c·x ((3,)), |x| <= ``reach`` in each variable, with a·x <= b ((n, 3), (n,)).

    Returns (x, feasible). The order of the conditions is shuffled with a fixed seed, so that equal
    problems have equal answers.
    """
    n = a.shape[0]
    order = np.arange(n)
    state = np.uint64(88172645463325252)
    for i in range(n - 1, 0, -1):
        state ^= state << np.uint64(13)
        state ^= state >> np.uint64(7)
        state ^= state << np.uint64(17)
        j = int(state % np.uint64(i + 1))
        order[i], order[j] = order[j], order[i]
    x = np.zeros(3)
    for k in range(3):
        x[k] = reach if c[k] > 0.0 else -reach if c[k] < 0.0 else 0.0
    plane_a = np.empty((n + 2, 2))
    plane_b = np.empty(n + 2)
    line_a = np.empty(n + 4)
    line_b = np.empty(n + 4)
    for i in range(n):
        q = order[i]
        if a[q, 0] * x[0] + a[q, 1] * x[1] + a[q, 2] * x[2] <= b[q] + NOTHING:
            continue
        k = 0
        for m in range(1, 3):
            if abs(a[q, m]) > abs(a[q, k]):
                k = m
        lead = a[q, k]
        if abs(lead) <= NOTHING:
            return x, False
        j0, j1 = (1 if k == 0 else 0), (1 if k == 2 else 2)
        r0, r1, base = -a[q, j0] / lead, -a[q, j1] / lead, b[q] / lead
        for m in range(i):
            p = order[m]
            plane_a[m, 0] = a[p, j0] + a[p, k] * r0
            plane_a[m, 1] = a[p, j1] + a[p, k] * r1
            plane_b[m] = b[p] - a[p, k] * base
        plane_a[i, 0], plane_a[i, 1], plane_b[i] = r0, r1, reach - base
        plane_a[i + 1, 0], plane_a[i + 1, 1], plane_b[i + 1] = -r0, -r1, reach + base
        y0, y1, feasible = best_in_plane(
            plane_a, plane_b, i + 2, c[j0] + c[k] * r0, c[j1] + c[k] * r1, reach, line_a, line_b
        )
        if not feasible:
            return x, False
        x[j0], x[j1], x[k] = y0, y1, base + r0 * y0 + r1 * y1
    return x, True
