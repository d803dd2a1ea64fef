"""Where the Map puts bodies: in layers by their distance from the ground, few lines crossing."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import numpy.typing as npt

from impeto.app.map.network import Network

Place = tuple[float, float]  # columns to the right, rows up from the ground
APART = 1.0  # columns between parts that nothing joins
SLENDER = 0.35  # columns for each row of a block of single bodies
CLOSE = 0.62  # rows from one to the next in it


def arrange(network: Network) -> dict[str, Place]:
    """A place for every body; the ground is at row 0, bodies joined to it in row 1, and so on.

    Parts that nothing joins to the ground stand beside, from row 1 up, on their most connected
    body; bodies that nothing joins to anything make a block in the order of the model. Layers are
    ordered after Sugiyama et al. (1981).
    """
    import igraph  # half a second, and only where there is a Map

    at = {body: index for index, body in enumerate(network.bodies)}
    edges = {
        (min(ends), max(ends))
        for ends in ((at[link.first], at[link.second]) for link in network.links)
    }
    graph = igraph.Graph(n=len(at), edges=sorted(edges))
    places: dict[str, Place] = {network.bodies[0]: (0.0, 0.0)}
    singles, edge = [], 0.0
    for part in graph.connected_components():
        if len(part) == 1:
            singles += [index for index in part if index]
            continue
        laid = _layers(graph.induced_subgraph(part), grounded=0 in part)
        left, right = min(x for x, _ in laid), max(x for x, _ in laid)
        for index, (x, y) in zip(part, laid, strict=True):
            places[network.bodies[index]] = (edge + x - left, y)
        edge += right - left + 1.0 + APART
    columns = max(math.ceil(math.sqrt(SLENDER * len(singles))), 1)
    for number, index in enumerate(singles):
        row = CLOSE * (number // columns)
        places[network.bodies[index]] = (edge + number % columns, 1.0 + row)
    return places


def _layers(part: Any, grounded: bool) -> list[Place]:
    """Places of a connected part; the ground, if there, is its first body."""
    degrees = part.degree()
    root = 0 if grounded else degrees.index(max(degrees))
    steps = [int(step) for step in part.distances(root)[0]]
    wanted = np.array(part.layout_sugiyama(layers=steps, hgap=1.0, vgap=1.0).coords)[:, 0]
    lowest = 0 if grounded else 1
    places: list[Place] = [(0.0, 0.0)] * len(steps)
    for step in range(max(steps) + 1):
        layer = [index for index in np.argsort(wanted, kind="stable") if steps[index] == step]
        for index, x in zip(layer, _spaced(wanted[layer]), strict=True):
            places[index] = (float(x), float(lowest + step))
    return places


def _spaced(wanted: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
    """Columns 1 apart at least, as near as may be to the wanted ones, which rise."""
    steps = np.arange(len(wanted))
    from scipy.optimize import isotonic_regression

    return np.asarray(isotonic_regression(wanted - steps).x + steps)
