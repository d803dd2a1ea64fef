"""Signed distance to an outline, exact for lines and arcs."""

from __future__ import annotations

import numpy as np
from numba import njit


@njit(cache=True)
def outline_distances(edges, points, out):
    """out (N,) = distance [m] of points (N, 2) to an outline of edges (E, 7), negative inside.

    The sign follows from the nearest edge where its inside is nearest, else from a count of
    crossings with the straight lines between the ends and the arcs beyond them.
    """
    for k in range(points.shape[0]):
        x, y = points[k, 0], points[k, 1]
        best, sign = np.inf, 0.0
        inside = False
        for e in range(edges.shape[0]):
            ax, ay, bx, by = edges[e, 0], edges[e, 1], edges[e, 2], edges[e, 3]
            cx, cy, radius = edges[e, 4], edges[e, 5], edges[e, 6]
            dx, dy = bx - ax, by - ay
            side = dx * (y - ay) - dy * (x - ax)  # positive to the left of the chord
            if (ay > y) != (by > y) and x < ax + (y - ay) / dy * dx:
                inside = not inside
            distance, own = np.hypot(x - ax, y - ay), 0.0
            if radius == 0.0:
                share = ((x - ax) * dx + (y - ay) * dy) / (dx * dx + dy * dy)
                if 0.0 < share < 1.0:
                    distance = abs(side) / np.sqrt(dx * dx + dy * dy)
                    own = -1.0 if side > 0.0 else 1.0
            else:
                out_of_center = np.hypot(x - cx, y - cy)
                beyond = -side if radius > 0.0 else side  # on the side of the chord of the arc
                if beyond > 0.0 and out_of_center < abs(radius):
                    inside = not inside
                if faces_arc(x - cx, y - cy, ax - cx, ay - cy, bx - cx, by - cy, radius):
                    distance = abs(out_of_center - abs(radius))
                    own = 1.0 if (out_of_center > abs(radius)) == (radius > 0.0) else -1.0
            if distance < best:
                best, sign = distance, own
        if sign == 0.0:
            sign = -1.0 if inside else 1.0
        out[k] = sign * best


@njit(cache=True)
def faces_arc(px, py, ax, ay, bx, by, radius):
    """Whether a direction from the centre of an arc points into the arc from a to b, which is at
    most half a turn."""
    turn = 1.0 if radius > 0.0 else -1.0
    from_a = turn * (ax * py - ay * px)
    to_b = turn * (px * by - py * bx)
    return from_a > 0.0 and to_b > 0.0
