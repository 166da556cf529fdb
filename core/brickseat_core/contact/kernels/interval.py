"""How far two triangles block each other's travel along the third axis.

Both triangles stand in a frame (u, v, w). P may travel by s against w; at a point of the shared
projection it meets S when s = g = w_P - w_S. Over the overlap of the two projections (a convex polygon
of at most six corners) g is linear, so the corners give the blocked interval [g_min, g_max]. One routine
covers vertex against face, face against vertex and edge against edge.
"""

import numpy as np

from brickseat_core.kernels import inner_kernel

POLYGON_ROOM = 12
LEAST_UPRIGHT_SHARE = 1e-4
"""Share of a normal along w under which heights over its plane are not trusted to ``ROUNDING``."""
ROUNDING = 1e-9


@inner_kernel
def double_area(t):
    """Twice the area of a triangle (3, 3) as it is seen along w; negative when it turns right."""
    return (t[1, 0] - t[0, 0]) * (t[2, 1] - t[0, 1]) - (t[1, 1] - t[0, 1]) * (t[2, 0] - t[0, 0])


@inner_kernel
def diameter(t):
    """The longer side, in metres, of the rectangle of (u, v) round a triangle (3, 3)."""
    du = max(t[0, 0], t[1, 0], t[2, 0]) - min(t[0, 0], t[1, 0], t[2, 0])
    dv = max(t[0, 1], t[1, 1], t[2, 1]) - min(t[0, 1], t[1, 1], t[2, 1])
    return max(du, dv)


@inner_kernel
def height_over(t, area, u, v):
    """w of the plane of ``t`` at (u, v), kept within the triangle's own range."""
    e1u, e1v, e1w = t[1, 0] - t[0, 0], t[1, 1] - t[0, 1], t[1, 2] - t[0, 2]
    e2u, e2v, e2w = t[2, 0] - t[0, 0], t[2, 1] - t[0, 1], t[2, 2] - t[0, 2]
    du, dv = u - t[0, 0], v - t[0, 1]
    b = (du * e2v - dv * e2u) / area
    c = (e1u * dv - e1v * du) / area
    w = t[0, 2] + b * e1w + c * e2w
    return min(max(w, min(t[0, 2], t[1, 2], t[2, 2])), max(t[0, 2], t[1, 2], t[2, 2]))


@inner_kernel
def clip_segment(t, area, au, av, bu, bv, flush):
    """Parameters (t0, t1) of the part of a segment inside the projection of ``t``; t1 < t0 for none."""
    t0, t1 = 0.0, 1.0
    sign = 1.0 if area > 0.0 else -1.0
    for k in range(3):
        n = (k + 1) % 3
        eu, ev = t[n, 0] - t[k, 0], t[n, 1] - t[k, 1]
        da = sign * (eu * (av - t[k, 1]) - ev * (au - t[k, 0]))
        db = sign * (eu * (bv - t[k, 1]) - ev * (bu - t[k, 0]))
        if da < 0.0 and db < 0.0:
            return 1.0, 0.0
        if da < 0.0:
            t0 = max(t0, da / (da - db))
        elif db < 0.0:
            t1 = min(t1, da / (da - db))
    length = np.hypot(bu - au, bv - av)
    if (t1 - t0) * length <= flush:
        return 1.0, 0.0
    # A segment that runs along the rim of the triangle is flush with it and passes.
    m = 0.5 * (t0 + t1)
    mu, mv = au + m * (bu - au), av + m * (bv - av)
    for k in range(3):
        n = (k + 1) % 3
        eu, ev = t[n, 0] - t[k, 0], t[n, 1] - t[k, 1]
        d = sign * (eu * (mv - t[k, 1]) - ev * (mu - t[k, 0])) / np.hypot(eu, ev)
        if d <= flush:
            return 1.0, 0.0
    return t0, t1


@inner_kernel
def add_point(out, n, u, v, w, g):
    """Write one more corner into ``out`` (m, 4): u, v, w and gap; how many there are then."""
    out[n, 0] = u
    out[n, 1] = v
    out[n, 2] = w
    out[n, 3] = g
    return n + 1


@inner_kernel
def upright_against_face(upright, face, area, sign, flush, out):
    """Edges of a triangle seen edge-on against a face. ``sign`` is 1 when the upright one travels."""
    n = 0
    for k in range(3):
        m = (k + 1) % 3
        au, av, aw = upright[k, 0], upright[k, 1], upright[k, 2]
        bu, bv, bw = upright[m, 0], upright[m, 1], upright[m, 2]
        t0, t1 = clip_segment(face, area, au, av, bu, bv, flush)
        if t1 < t0:
            continue
        for s in (t0, t1):
            u, v, w = au + s * (bu - au), av + s * (bv - av), aw + s * (bw - aw)
            other = height_over(face, area, u, v)
            n = add_point(out, n, u, v, w if sign > 0 else other, sign * (w - other))
    return n


@inner_kernel
def upright_against_upright(p, s, flush, out):
    """Two triangles seen edge-on whose lines cross: every crossing of an edge with an edge."""
    n = 0
    for i in range(3):
        j = (i + 1) % 3
        pu, pv = p[j, 0] - p[i, 0], p[j, 1] - p[i, 1]
        pl = np.hypot(pu, pv)
        if pl <= flush:
            continue
        for k in range(3):
            m = (k + 1) % 3
            su, sv = s[m, 0] - s[k, 0], s[m, 1] - s[k, 1]
            sl = np.hypot(su, sv)
            cross = pu * sv - pv * su
            if sl <= flush or abs(cross) <= 1e-9 * pl * sl:
                continue
            du, dv = s[k, 0] - p[i, 0], s[k, 1] - p[i, 1]
            a = (du * sv - dv * su) / cross
            b = (du * pv - dv * pu) / cross
            if min(a, 1.0 - a) * pl <= flush or min(b, 1.0 - b) * sl <= flush:
                continue
            w = p[i, 2] + a * (p[j, 2] - p[i, 2])
            n = add_point(out, n, p[i, 0] + a * pu, p[i, 1] + a * pv, w, w - s[k, 2] - b * (s[m, 2] - s[k, 2]))
    return n


@inner_kernel
def parted_by_edge(t, area, s):
    """Do all of the projection of ``s`` lie beyond one of the edges of ``t``, of that doubled signed area?"""
    sign = 1.0 if area > 0.0 else -1.0
    for k in range(3):
        m = (k + 1) % 3
        eu, ev = sign * (t[m, 0] - t[k, 0]), sign * (t[m, 1] - t[k, 1])
        if (
            eu * (s[0, 1] - t[k, 1]) - ev * (s[0, 0] - t[k, 0]) < 0.0
            and eu * (s[1, 1] - t[k, 1]) - ev * (s[1, 0] - t[k, 0]) < 0.0
            and eu * (s[2, 1] - t[k, 1]) - ev * (s[2, 0] - t[k, 0]) < 0.0
        ):
            return True
    return False


@inner_kernel
def heights_above(p, s):
    """Least and greatest w of the corners of ``p`` above the plane of ``s``; of no bound where that is all but upright."""
    au, av, aw = s[1, 0] - s[0, 0], s[1, 1] - s[0, 1], s[1, 2] - s[0, 2]
    bu, bv, bw = s[2, 0] - s[0, 0], s[2, 1] - s[0, 1], s[2, 2] - s[0, 2]
    nu, nv, nw = av * bw - aw * bv, aw * bu - au * bw, au * bv - av * bu
    if abs(nw) <= LEAST_UPRIGHT_SHARE * (abs(nu) + abs(nv)):
        return -np.inf, np.inf
    gu, gv = nu / nw, nv / nw
    least, most = np.inf, -np.inf
    for k in range(3):
        h = p[k, 2] - s[0, 2] + gu * (p[k, 0] - s[0, 0]) + gv * (p[k, 1] - s[0, 1])
        least, most = min(least, h), max(most, h)
    return least - ROUNDING, most + ROUNDING


@inner_kernel
def gap_span(p, s):
    """What w_P - w_S can be at most and at least where the projections overlap; far cheaper than the overlap itself."""
    least, most = heights_above(p, s)
    low, high = heights_above(s, p)
    return max(least, -high), min(most, -low)


@inner_kernel
def overlap_polygon(p, s, flush, out, work):
    """The corners over which P and S share their projection.

    Returns how many rows (u, v, w_P, g) were written to ``out`` ((12, 4)); 0 when they pass each other.
    ``work`` is scratch of shape (12, 3). Overlaps no wider than ``flush`` do not count.
    """
    p_area = double_area(p)
    s_area = double_area(s)
    p_flat = abs(p_area) > flush * diameter(p)
    s_flat = abs(s_area) > flush * diameter(s)
    if not s_flat:
        if p_flat:
            return upright_against_face(s, p, p_area, -1.0, flush, out)
        return upright_against_upright(p, s, flush, out)
    if not p_flat:
        return upright_against_face(p, s, s_area, 1.0, flush, out)
    if parted_by_edge(s, s_area, p) or parted_by_edge(p, p_area, s):
        return 0
    # Sutherland-Hodgman: clip P by the three edges of S, carrying w.
    n = 3
    for i in range(3):
        for k in range(3):
            out[i, k] = p[i, k]
    sign = 1.0 if s_area > 0.0 else -1.0
    for k in range(3):
        a_u, a_v = s[k, 0], s[k, 1]
        e_u, e_v = s[(k + 1) % 3, 0] - a_u, s[(k + 1) % 3, 1] - a_v
        for i in range(n):
            for c in range(3):
                work[i, c] = out[i, c]
        kept = 0
        d_last = sign * (e_u * (work[n - 1, 1] - a_v) - e_v * (work[n - 1, 0] - a_u))
        last = n - 1
        for i in range(n):
            d = sign * (e_u * (work[i, 1] - a_v) - e_v * (work[i, 0] - a_u))
            if (d >= 0.0) != (d_last >= 0.0):
                f = d_last / (d_last - d)
                for c in range(3):
                    out[kept, c] = work[last, c] + f * (work[i, c] - work[last, c])
                kept += 1
            if d >= 0.0:
                for c in range(3):
                    out[kept, c] = work[i, c]
                kept += 1
            d_last = d
            last = i
        n = kept
        if n < 3:
            return 0
    area = 0.0
    u0, u1, v0, v1 = out[0, 0], out[0, 0], out[0, 1], out[0, 1]
    for i in range(n):
        j = (i + 1) % n
        area += (out[i, 0] - out[0, 0]) * (out[j, 1] - out[0, 1]) - (out[i, 1] - out[0, 1]) * (out[j, 0] - out[0, 0])
        u0 = min(u0, out[i, 0])
        u1 = max(u1, out[i, 0])
        v0 = min(v0, out[i, 1])
        v1 = max(v1, out[i, 1])
    if abs(area) <= flush * max(u1 - u0, v1 - v0):
        return 0
    for i in range(n):
        out[i, 3] = out[i, 2] - height_over(s, s_area, out[i, 0], out[i, 1])
    return n
