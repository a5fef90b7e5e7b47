"""Triangle meshes of heights that are fine where the land is and coarse where it is not: greedy insertion.

A mesh of few triangles takes in the sample that is furthest from it, again and again, and stays a Delaunay
triangulation, until no sample is further from it than it may be. The distance of a triangle is measured at every
sample inside it.

References
----------
Garland, M., Heckbert, P. S. (1995): Fast polygonal approximation of terrains and height fields. CMU-CS-95-181.
Lawson, C. L. (1977): Software for C1 surface interpolation (flips of edges after an insertion).
"""

from __future__ import annotations

import math

import numpy as np

from .bands import check, kernel

#: Why a round of insertions came to an end.
_DONE, _FULL, _STOPPED = 0, 1, 2
#: Squares a side that the first mesh is made of at most: larger triangles would be looked through again and again.
FIRST = 16


@kernel
def _scan(h, points, corners, t, at):
    """Finds the sample of a triangle that is furthest from it. at: row and column of it. Returns the distance."""
    a, b, c = corners[t, 0], corners[t, 1], corners[t, 2]
    ar, ac, br, bc = points[a, 0], points[a, 1], points[b, 0], points[b, 1]
    cr, cc = points[c, 0], points[c, 1]
    za, zb, zc = float(h[ar, ac]), float(h[br, bc]), float(h[cr, cc])
    # twice the signed area; the plane through the corners has these slopes a row down and a column right
    area = float((br - ar) * (cc - ac) - (bc - ac) * (cr - ar))
    down = ((zb - za) * (cc - ac) - (zc - za) * (bc - ac)) / area
    right = ((zc - za) * (br - ar) - (zb - za) * (cr - ar)) / area
    worst = 0.0
    for r in range(min(ar, br, cr), max(ar, br, cr) + 1):
        # columns in which the row crosses the triangle: where it cuts the three sides
        low, high = 1e9, -1e9
        for k in range(3):
            pr, pc = (ar, ac) if k == 0 else ((br, bc) if k == 1 else (cr, cc))
            qr, qc = (br, bc) if k == 0 else ((cr, cc) if k == 1 else (ar, ac))
            if (pr > r and qr > r) or (pr < r and qr < r):
                continue
            # a side along the row counts from end to end
            if pr == qr:
                low, high = min(low, pc, qc), max(high, pc, qc)
            else:
                x = pc + (r - pr) * (qc - pc) / (qr - pr)
                low, high = min(low, x), max(high, x)
        z = za + down * (r - ar)
        # rounding must not lose a sample that lies on a side
        for q in range(math.ceil(low - 1e-9), math.floor(high + 1e-9) + 1):
            d = abs(h[r, q] - (z + right * (q - ac)))
            if d > worst:
                worst = d
                at[0], at[1] = r, q
    return worst


@kernel
def _rise(heap, place, error, k):
    """Moves an entry of the heap up as far as it is worse than those above."""
    t = heap[k]
    # binary heap with the worst triangle on top; place says where each triangle is in it
    while k > 0:
        up = (k - 1) // 2
        if error[heap[up]] >= error[t]:
            break
        heap[k] = heap[up]
        place[heap[k]] = k
        k = up
    heap[k] = t
    place[t] = k


@kernel
def _sink(heap, place, error, k, count):
    """Moves an entry of the heap down as far as others below it are worse."""
    t = heap[k]
    while True:
        down = 2 * k + 1
        if down >= count:
            break
        if down + 1 < count and error[heap[down + 1]] > error[heap[down]]:
            down += 1
        if error[heap[down]] <= error[t]:
            break
        heap[k] = heap[down]
        place[heap[k]] = k
        k = down
    heap[k] = t
    place[t] = k


@kernel
def _taken_out(heap, place, error, t, count):
    """Takes a triangle out of the heap. Returns how many are left."""
    k = place[t]
    # it was within the tolerance and never came in
    if k < 0:
        return count
    place[t] = -1
    count -= 1
    if k < count:
        heap[k] = heap[count]
        place[heap[k]] = k
        # the last entry took its place: it may belong further down or further up
        _sink(heap, place, error, k, count)
        _rise(heap, place, error, place[heap[k]])
    return count


@kernel
def _judged(h, points, corners, half, t, tolerance, border, heap, place, error, far, count, at):
    """Looks through a triangle and puts it into the heap when it is too far off. Returns how many are in it."""
    count = _taken_out(heap, place, error, t, count)
    error[t] = _scan(h, points, corners, t, at)
    if border:
        for k in range(3):
            if half[t * 3 + k] < 0:
                a, b = corners[t, k], corners[t, (k + 1) % 3]
                dr, dc = points[b, 0] - points[a, 0], points[b, 1] - points[a, 1]
                # every sample of the border becomes a corner, so that tiles meet without cracks
                if abs(dr) + abs(dc) > 1:
                    error[t] = np.inf
                    at[0], at[1] = points[a, 0] + dr // 2, points[a, 1] + dc // 2
    far[t, 0], far[t, 1] = at[0], at[1]
    if error[t] > tolerance:
        heap[count] = t
        _rise(heap, place, error, count)
        count += 1
    return count


@kernel
def _joined(half, e, f):
    """Makes two half-edges opposites; f may be -1 for the border."""
    half[e] = f
    if f >= 0:
        half[f] = e


@kernel
def _inside(points, a, b, c, p):
    """True when p lies inside the circle around a, b and c, which run counterclockwise in (column, -row)."""
    ax, ay = points[a, 1] - points[p, 1], points[p, 0] - points[a, 0]
    bx, by = points[b, 1] - points[p, 1], points[p, 0] - points[b, 0]
    cx, cy = points[c, 1] - points[p, 1], points[p, 0] - points[c, 0]
    aa, bb, cc = ax * ax + ay * ay, bx * bx + by * by, cx * cx + cy * cy
    # in-circle determinant (Guibas and Stolfi 1985), exact: coordinates are whole numbers below 2^14
    return ax * (by * cc - cy * bb) - ay * (bx * cc - cx * bb) + aa * (bx * cy - cx * by) > 0


@kernel
def _set(corners, t, a, b, c):
    corners[t, 0], corners[t, 1], corners[t, 2] = a, b, c


@kernel
def _flipped(points, corners, half, stack, top, changed, mark, number):
    """Flips edges until all triangles around a new corner, whose outer edges are on the stack, are Delaunay. Notes
    the triangles that changed. Returns how many those are."""
    while top > 0:
        top -= 1
        e = stack[top]
        f = half[e]
        # the border has no triangle to flip with
        if f < 0:
            continue
        t, u = e // 3, f // 3
        e1, e2, f1, f2 = t * 3 + (e + 1) % 3, t * 3 + (e + 2) % 3, u * 3 + (f + 1) % 3, u * 3 + (f + 2) % 3
        # e runs from a to b; p is the new corner, opposite in t; q is opposite in u
        a, b = corners[t, e % 3], corners[t, (e + 1) % 3]
        p, q = corners[t, (e + 2) % 3], corners[u, (f + 2) % 3]
        if not _inside(points, a, b, p, q):
            continue
        bp, pa, aq, qb = half[e1], half[e2], half[f1], half[f2]
        # t becomes p, a, q and u becomes q, b, p
        _set(corners, t, p, a, q)
        _set(corners, u, q, b, p)
        _joined(half, t * 3, pa)
        _joined(half, t * 3 + 1, aq)
        _joined(half, u * 3, qb)
        _joined(half, u * 3 + 1, bp)
        _joined(half, t * 3 + 2, u * 3 + 2)
        for x in (t, u):
            if not mark[x]:
                mark[x] = True
                changed[number] = x
                number += 1
        # the two outer edges on the far side are new neighbours of the corner
        stack[top] = t * 3 + 1
        stack[top + 1] = u * 3
        top += 2
    return number


@kernel
def _noted(t, stack, changed, mark, number):
    """Notes a triangle whose first edge is to be looked at. Returns how many are noted."""
    stack[number] = t * 3
    changed[number] = t
    mark[t] = True
    return number + 1


@kernel
def _into_three(corners, half, t, p, count):
    """Takes a corner into the triangle it lies in. Returns how many triangles there are."""
    a, b, c = corners[t, 0], corners[t, 1], corners[t, 2]
    bc, ca = half[t * 3 + 1], half[t * 3 + 2]
    u, v = count, count + 1
    _set(corners, t, a, b, p)
    _set(corners, u, b, c, p)
    _set(corners, v, c, a, p)
    _joined(half, u * 3, bc)
    _joined(half, v * 3, ca)
    _joined(half, t * 3 + 1, u * 3 + 2)
    _joined(half, u * 3 + 1, v * 3 + 2)
    _joined(half, v * 3 + 1, t * 3 + 2)
    return count + 2


@kernel
def _into_four(corners, half, e, p, count):
    """Takes a corner into the edge it lies on, e of a triangle a, b, c and the opposite one of b, a, d; on the border
    there is no other. Returns how many triangles there are."""
    t, f, edge = e // 3, half[e], e % 3
    a, b, c = corners[t, edge], corners[t, (edge + 1) % 3], corners[t, (edge + 2) % 3]
    bc, ca = half[t * 3 + (edge + 1) % 3], half[t * 3 + (edge + 2) % 3]
    u = count
    _set(corners, t, c, a, p)
    _set(corners, u, b, c, p)
    _joined(half, t * 3, ca)
    _joined(half, u * 3, bc)
    _joined(half, t * 3 + 2, u * 3 + 1)
    half[t * 3 + 1] = half[u * 3 + 2] = -1
    if f < 0:
        return count + 1
    w, v, k = f // 3, count + 1, f % 3
    d = corners[w, (k + 2) % 3]
    ad, db = half[w * 3 + (k + 1) % 3], half[w * 3 + (k + 2) % 3]
    _set(corners, w, a, d, p)
    _set(corners, v, d, b, p)
    _joined(half, w * 3, ad)
    _joined(half, v * 3, db)
    _joined(half, w * 3 + 1, v * 3 + 2)
    _joined(half, w * 3 + 2, t * 3 + 1)
    _joined(half, v * 3 + 1, u * 3 + 2)
    return count + 2


@kernel
def _split(points, corners, half, t, p, count, stack, changed, mark):
    """Takes a corner into the triangle it lies in, or into the two at the edge it lies on. Returns (triangles there
    are, how many changed; as many edges are on the stack)."""
    pr, pc = points[p, 0], points[p, 1]
    edge = -1
    for k in range(3):
        a, b = corners[t, k], corners[t, (k + 1) % 3]
        down, right = points[b, 0] - points[a, 0], points[b, 1] - points[a, 1]
        # no area: the sample lies on this edge
        if down * (pc - points[a, 1]) - right * (pr - points[a, 0]) == 0:
            edge = k
    number = _noted(t, stack, changed, mark, 0)
    if edge < 0:
        after = _into_three(corners, half, t, p, count)
    else:
        other = half[t * 3 + edge]
        if other >= 0:
            number = _noted(other // 3, stack, changed, mark, number)
        after = _into_four(corners, half, t * 3 + edge, p, count)
    for x in range(count, after):
        number = _noted(x, stack, changed, mark, number)
    return after, number


@kernel
def _insert(h, points, corners, half, heap, place, error, far, mark, counts, tolerance, border, most, stop):
    """Takes in samples until none is too far off, there are enough triangles, the arrays are full or a stop is asked
    for. counts: triangles, points, entries of the heap."""
    at = np.zeros(2, np.int64)
    stack, changed = np.empty(4096, np.int64), np.empty(4096, np.int64)
    while counts[2] > 0 and counts[0] + 2 <= most:
        if stop[0]:
            return _STOPPED
        # the caller makes larger arrays and goes on
        if counts[0] + 3 >= corners.shape[0] or counts[1] + 1 >= points.shape[0]:
            return _FULL
        t = heap[0]
        # greedy insertion: the sample that is furthest off in the worst triangle (Garland and Heckbert 1995)
        p = counts[1]
        points[p, 0], points[p, 1] = far[t, 0], far[t, 1]
        counts[1] += 1
        counts[0], number = _split(points, corners, half, t, p, counts[0], stack, changed, mark)
        number = _flipped(points, corners, half, stack, number, changed, mark, number)
        for k in range(number):
            x = changed[k]
            mark[x] = False
            counts[2] = _judged(h, points, corners, half, x, tolerance, border, heap, place, error, far, counts[2], at)
    return _DONE


@kernel
def _judge_all(h, points, corners, half, heap, place, error, far, counts, tolerance, border):
    at = np.zeros(2, np.int64)
    for t in range(counts[0]):
        counts[2] = _judged(h, points, corners, half, t, tolerance, border, heap, place, error, far, counts[2], at)


@kernel
def _halves(corners, half):
    """Opposite half-edges of a mesh with at most 16 triangles at a corner."""
    size = corners.max() + 1
    last = np.full((size, 16), -1, np.int64)  # half-edges that begin at a corner
    number = np.zeros(size, np.int64)
    for e in range(corners.shape[0] * 3):
        a = corners[e // 3, e % 3]
        last[a, number[a]] = e
        number[a] += 1
    for e in range(corners.shape[0] * 3):
        a, b = corners[e // 3, e % 3], corners[e // 3, (e % 3 + 1) % 3]
        half[e] = -1
        for k in range(number[b]):
            f = last[b, k]
            if corners[f // 3, (f % 3 + 1) % 3] == a:
                half[e] = f


def _first(shape: tuple[int, int]) -> tuple[np.ndarray, np.ndarray]:
    """(points, corners) of the mesh that is begun with, a coarse grid."""
    ends = [np.unique(np.round(np.linspace(0, n - 1, min(FIRST, n - 1) + 1)).astype(np.int64)) for n in shape]
    r, c = ends
    points = np.stack(np.meshgrid(r, c, indexing="ij"), -1).reshape(-1, 2)
    at = np.arange(len(points)).reshape(len(r), len(c))
    a, b, d, e = at[:-1, :-1].ravel(), at[:-1, 1:].ravel(), at[1:, :-1].ravel(), at[1:, 1:].ravel()
    corners = np.stack([np.stack([a, d, b], -1), np.stack([b, d, e], -1)], 1).reshape(-1, 3)
    return points, corners


def inserted(
    h: np.ndarray,
    tolerance: float,
    most: int | None = None,
    whole_border: bool = False,
    stop: np.ndarray | None = None,
) -> tuple[np.ndarray, np.ndarray, float]:
    """A mesh that is nowhere further from the heights than it may be, as long as that takes no more triangles than
    there may be.

    Parameters
    ----------
    h :
        (rows, columns) float32, heights in metres.
    tolerance :
        metres that the mesh may be off at a sample.
    most :
        triangles that there may be, or None for as many as it takes.
    whole_border :
        whether every sample of the border becomes a corner, so that neighbouring meshes fit.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    (points, triangles, error): (n, 2) int64 rows and columns of samples; (m, 3) int64 numbers of points,
    counterclockwise seen from above; metres that the mesh is off at most.

    Raises
    ------
    Stopped :
        when a stop was asked for.
    """
    flag = np.zeros(1, np.uint8) if stop is None else stop
    first, corners = _first(h.shape)
    full = 2 * (h.shape[0] - 1) * (h.shape[1] - 1) + 4
    limit = full if most is None else min(full, max(most, len(corners)))
    room = min(limit + 4, max(4 * len(corners), 1 << 18))
    counts = np.array([len(corners), len(first), 0], np.int64)

    def larger(a: np.ndarray, count: int, fill: int = 0) -> np.ndarray:
        out = np.full((count, *a.shape[1:]), fill, a.dtype)
        out[: len(a)] = a
        return out

    half = np.full(3 * len(corners), -1, np.int64)
    _halves(corners, half)
    state = [
        larger(first, room),
        larger(corners, room),
        larger(half, 3 * room, -1),
        np.zeros(room, np.int64),
        np.full(room, -1, np.int64),
        np.zeros(room, np.float32),
        np.zeros((room, 2), np.int64),
        np.zeros(room, np.bool_),
    ]
    _judge_all(h, *state[:7], counts, tolerance, whole_border)
    while _insert(h, *state, counts, tolerance, whole_border, limit, flag) == _FULL:
        room = min(limit + 4, room * 2)
        fills = (0, 0, -1, 0, -1, 0, 0, 0)
        state = [larger(a, 3 * room if k == 2 else room, fill) for k, (a, fill) in enumerate(zip(state, fills))]
    check(stop)
    points, corners, error = state[0][: counts[1]], state[1][: counts[0]], state[5][: counts[0]]
    return points.copy(), corners.copy(), float(error.max())
