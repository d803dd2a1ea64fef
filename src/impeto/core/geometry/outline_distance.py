"""Signed distance to an outline, exact for lines and arcs; in cells that know their nearest edges.

A row of an edge: ax, ay, bx, by, cx, cy, r as in geometry.outlines, then the directions outwards at
its two ends, each the mean of both edges that meet there: they tell inside from outside where an
end is nearest (Bærentzen and Aanæs 2005).
"""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from impeto.core.geometry.compiled import compiled

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
WIDTH = 11


def with_ends(edges: Floats) -> Floats:
    """Edges (E, 11) from (E, 7): with the directions outwards at their ends."""
    at_a = np.array([outward(edge, edge[:2]) for edge in edges])
    at_b = np.array([outward(edge, edge[2:4]) for edge in edges])
    joined = at_a + np.roll(at_b, 1, axis=0)
    return np.column_stack([edges, joined, np.roll(joined, -1, axis=0)])


def outward(edge: Floats, at: Floats) -> Floats:
    """Direction outwards at an end of an edge."""
    if edge[6] == 0.0:
        along = edge[2:4] - edge[:2]
        out = np.array([along[1], -along[0]])
    else:
        out = np.sign(edge[6]) * (at - edge[4:6])
    return np.asarray(out / np.linalg.norm(out))


@compiled
def nearest_on_edge(edges, e, x, y):
    """Distance (without sign), vector from the nearest point, and 1 outside, −1 inside."""
    ax, ay, bx, by = edges[e, 0], edges[e, 1], edges[e, 2], edges[e, 3]
    radius = edges[e, 6]
    if radius == 0.0:
        dx, dy = bx - ax, by - ay
        share = ((x - ax) * dx + (y - ay) * dy) / (dx * dx + dy * dy)
        if 0.0 < share < 1.0:
            vx, vy = x - ax - share * dx, y - ay - share * dy
            side = dx * (y - ay) - dy * (x - ax)
            return np.sqrt(vx * vx + vy * vy), vx, vy, -1.0 if side > 0.0 else 1.0
    else:
        px, py = x - edges[e, 4], y - edges[e, 5]
        qx, qy, rx, ry = ax - edges[e, 4], ay - edges[e, 5], bx - edges[e, 4], by - edges[e, 5]
        turn = 1.0 if radius > 0.0 else -1.0
        if turn * (qx * py - qy * px) > 0.0 and turn * (px * ry - py * rx) > 0.0:
            far = np.sqrt(px * px + py * py)
            off = far - abs(radius)
            return abs(off), px / far * off, py / far * off, 1.0 if turn * off > 0.0 else -1.0
    ux, uy, wx, wy = x - ax, y - ay, x - bx, y - by
    first = ux * ux + uy * uy <= wx * wx + wy * wy
    if not first:
        ux, uy = wx, wy
    k = 7 if first else 9
    out = ux * edges[e, k] + uy * edges[e, k + 1]
    return np.sqrt(ux * ux + uy * uy), ux, uy, 1.0 if out >= 0.0 else -1.0


@compiled
def out_of_edge(edges, e, x, y):
    """Direction outwards at a point of an edge."""
    radius = edges[e, 6]
    vx, vy = edges[e, 3] - edges[e, 1], edges[e, 0] - edges[e, 2]
    if radius != 0.0:
        turn = 1.0 if radius > 0.0 else -1.0
        vx, vy = turn * (x - edges[e, 4]), turn * (y - edges[e, 5])
    size = max(np.sqrt(vx * vx + vy * vy), 1e-300)
    return vx / size, vy / size


@compiled
def outline_distances(edges, points, out):
    """out (N,) = distance [m] of points (N, 2) to an outline of edges (E, 11), negative inside."""
    for k in range(points.shape[0]):
        best, sign = np.inf, 1.0
        for e in range(edges.shape[0]):
            found = nearest_on_edge(edges, e, points[k, 0], points[k, 1])
            if found[0] < best:
                best, sign = found[0], found[3]
        out[k] = sign * best


@compiled
def count_near(edges, points, reach, distance, near):
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
