"""Signed distance to an outline, exact for lines and arcs; in cells that know their nearest edges.

A row of an edge: ax, ay, bx, by, cx, cy, r as in geometry.outlines, then the directions outwards at
its two ends, each the mean of both edges that meet there: they tell inside from outside where an
end is nearest (Bærentzen and Aanæs 2005).
"""

from __future__ import annotations

import numpy as np

from impeto.core.geometry.arrays import Floats, IntRows, Ints, Rows
from impeto.core.geometry.compiled import compiled

A, B, CENTRE, RADIUS, OUT_A, OUT_B, WIDTH = 0, 2, 4, 6, 7, 9, 11  # columns of an edge
SIDE = 3  # of what is found: 1 outside, −1 inside


def with_ends(edges: Floats) -> Floats:
    """Edges (E, 11) from (E, 7): with the directions outwards at their ends."""
    at_a = np.array([outward(edge, edge[:2]) for edge in edges])
    at_b = np.array([outward(edge, edge[2:4]) for edge in edges])
    joined = at_a + np.roll(at_b, 1, axis=0)
    return np.column_stack([edges, joined, np.roll(joined, -1, axis=0)])


def outward(edge: Floats, at: Floats) -> Floats:
    """Direction outwards at an end of an edge."""
    if edge[RADIUS] == 0.0:
        along = edge[2:4] - edge[:2]
        out = np.array([along[1], -along[0]])
    else:
        out = np.sign(edge[RADIUS]) * (at - edge[CENTRE : CENTRE + 2])
    return np.asarray(out / np.linalg.norm(out))


@compiled
def nearest_on_edge(edges: Rows, e: int, x: float, y: float) -> tuple[float, float, float, float]:
    """Distance (without sign), vector from the nearest point, and 1 outside, −1 inside."""
    ax, ay, bx, by = edges[e, A], edges[e, A + 1], edges[e, B], edges[e, B + 1]
    radius = edges[e, RADIUS]
    if radius == 0.0:
        dx, dy = bx - ax, by - ay
        share = ((x - ax) * dx + (y - ay) * dy) / (dx * dx + dy * dy)
        if 0.0 < share < 1.0:
            vx, vy = x - ax - share * dx, y - ay - share * dy
            side = dx * (y - ay) - dy * (x - ax)
            return np.sqrt(vx * vx + vy * vy), vx, vy, -1.0 if side > 0.0 else 1.0
    else:
        px, py = x - edges[e, CENTRE], y - edges[e, CENTRE + 1]
        qx, qy, rx, ry = (
            ax - edges[e, CENTRE],
            ay - edges[e, CENTRE + 1],
            bx - edges[e, CENTRE],
            by - edges[e, CENTRE + 1],
        )
        turn = 1.0 if radius > 0.0 else -1.0
        if turn * (qx * py - qy * px) > 0.0 and turn * (px * ry - py * rx) > 0.0:
            far = np.sqrt(px * px + py * py)
            off = far - abs(radius)
            return abs(off), px / far * off, py / far * off, 1.0 if turn * off > 0.0 else -1.0
    ux, uy, wx, wy = x - ax, y - ay, x - bx, y - by
    first = ux * ux + uy * uy <= wx * wx + wy * wy
    if not first:
        ux, uy = wx, wy
    k = OUT_A if first else OUT_B
    out = ux * edges[e, k] + uy * edges[e, k + 1]
    return np.sqrt(ux * ux + uy * uy), ux, uy, 1.0 if out >= 0.0 else -1.0


@compiled
def out_of_edge(edges: Rows, e: int, x: float, y: float) -> tuple[float, float]:
    """Direction outwards at a point of an edge."""
    radius = edges[e, RADIUS]
    vx, vy = edges[e, B + 1] - edges[e, A + 1], edges[e, A] - edges[e, B]
    if radius != 0.0:
        turn = 1.0 if radius > 0.0 else -1.0
        vx, vy = turn * (x - edges[e, CENTRE]), turn * (y - edges[e, CENTRE + 1])
    size = max(np.sqrt(vx * vx + vy * vy), 1e-300)
    return vx / size, vy / size


@compiled
def outline_distances(edges: Rows, points: Rows, out: Floats) -> None:
    """out (N,) = distance [m] of points (N, 2) to an outline of edges (E, 11), negative inside."""
    for k in range(points.shape[0]):
        best, sign = np.inf, 1.0
        for e in range(edges.shape[0]):
            found = nearest_on_edge(edges, e, points[k, 0], points[k, 1])
            if found[0] < best:
                best, sign = found[0], found[SIDE]
        out[k] = sign * best


@compiled
def count_near(edges: Rows, points: Rows, reach: float, distance: Floats, near: IntRows) -> int:
    """How many edges may be nearest somewhere within `reach` [m] of each point (N, 2); returned in
    all. near : (K,) their rows one point after the other, written as far as there is room."""
    total = 0
    for k in range(points.shape[0]):
        least = np.inf
        for e in range(edges.shape[0]):
            distance[e] = nearest_on_edge(edges, e, points[k, 0], points[k, 1])[0]
            least = min(least, distance[e])
        for e in range(edges.shape[0]):
            if distance[e] <= least + 2.0 * reach:
                if total < near.shape[0]:
                    near[total, 0], near[total, 1] = k, e
                total += 1
    return total


def edges_near(edges: Floats, middles: Floats, reach: float) -> tuple[Ints, Ints]:
    """For each cell, by its middle (N, 2) and half diagonal [m], the edges that may be nearest in
    it: where those of each cell begin (N + 1,), and their rows."""
    distance = np.zeros(len(edges))
    count = count_near(edges, middles, reach, distance, np.zeros((0, 2), dtype=np.int64))
    near = np.zeros((count, 2), dtype=np.int64)
    count_near(edges, middles, reach, distance, near)
    return np.searchsorted(near[:, 0], np.arange(len(middles) + 1)), near[:, 1].copy()
