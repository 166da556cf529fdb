"""Non-negative least squares in six equations: Lawson and Hanson, "Solving Least Squares Problems", 1974, chapter 23.

Columns that help are taken in one by one; where the best mix of those taken would use one of them negatively, it is
let go again. No more than six are ever in use, so each round is a small orthogonalisation.
"""

import numpy as np

from brickseat_core.contact.kernels.flags import length_of
from brickseat_core.kernels import kernel

EQUATIONS = 6
MOST_ROUNDS = 200
NO_HELP = 1e-11
"""A column that goes with what is left over by no more than this takes nothing off it."""
DEPENDENT = 1e-12


@kernel
def mix_of(columns, used, k, wanted, out):
    """Write the weights with which the ``k`` columns in ``used`` come nearest to ``wanted`` into ``out``.

    False when they depend on each other. Modified Gram-Schmidt.
    """
    q = np.empty((EQUATIONS, EQUATIONS))
    r = np.zeros((EQUATIONS, EQUATIONS))
    left = wanted.copy()
    for i in range(k):
        size = 0.0
        for c in range(EQUATIONS):
            q[i, c] = columns[used[i], c]
            size += q[i, c] * q[i, c]
        for j in range(i):
            along = 0.0
            for c in range(EQUATIONS):
                along += q[j, c] * q[i, c]
            r[j, i] = along
            for c in range(EQUATIONS):
                q[i, c] -= along * q[j, c]
        rest = 0.0
        for c in range(EQUATIONS):
            rest += q[i, c] * q[i, c]
        if rest <= DEPENDENT * size:
            return False
        r[i, i] = np.sqrt(rest)
        out[i] = 0.0
        for c in range(EQUATIONS):
            q[i, c] /= r[i, i]
            out[i] += q[i, c] * left[c]
        for c in range(EQUATIONS):
            left[c] -= out[i] * q[i, c]
    for i in range(k - 1, -1, -1):
        for j in range(i + 1, k):
            out[i] -= r[i, j] * out[j]
        out[i] /= r[i, i]
    return True


@kernel
def least_residue(columns, wanted, enough):
    """Least distance from ``wanted`` (6,) to a mix of ``columns`` (n, 6) with no negative weight.

    Stops early at a distance below ``enough``.
    """
    n = columns.shape[0]
    used = np.empty(EQUATIONS + 1, np.int64)
    weight = np.zeros(EQUATIONS + 1)
    mix = np.zeros(EQUATIONS + 1)
    left = wanted.copy()
    refused = np.zeros(n, np.bool_)
    k = 0
    distance = length_of(left)
    for _ in range(MOST_ROUNDS):
        if distance < enough or k == EQUATIONS:
            break
        most, which = NO_HELP, -1
        for j in range(n):
            if refused[j]:
                continue
            help_ = 0.0
            for c in range(EQUATIONS):
                help_ += columns[j, c] * left[c]
            if help_ > most:
                most, which = help_, j
        if which < 0:
            break
        used[k], weight[k] = which, 0.0
        k += 1
        # Rounding can offer a column that the best mix would not use: it is not offered again until something changes.
        if not mix_of(columns, used, k, wanted, mix) or mix[k - 1] <= 0.0:
            refused[which] = True
            k -= 1
            continue
        while True:
            step, worst = 1.0, -1
            for i in range(k):
                if mix[i] <= 0.0:
                    fall = weight[i] - mix[i]
                    share = weight[i] / fall if fall > 0.0 else 0.0
                    if share <= step:
                        step, worst = share, i
            for i in range(k):
                weight[i] += step * (mix[i] - weight[i])
            if worst < 0:
                break
            k -= 1
            for i in range(worst, k):
                used[i], weight[i] = used[i + 1], weight[i + 1]
            if k == 0 or not mix_of(columns, used, k, wanted, mix):
                break
        for c in range(EQUATIONS):
            left[c] = wanted[c]
            for i in range(k):
                left[c] -= weight[i] * columns[used[i], c]
        distance = length_of(left)
        for j in range(n):
            refused[j] = False
        for i in range(k):
            refused[used[i]] = True
    return distance
