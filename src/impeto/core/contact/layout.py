"""From shapes and rules to the arrays of the kernels."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from itertools import product
from typing import Any

import numpy as np

from impeto.core.contact import fields as kinds
from impeto.core.contact.columns import (
    FEATURE_WIDTH,
    FIRST_FEATURE,
    GRID_VALUES,
    GRID_WIDTH,
    LAST_FEATURE,
    SAMPLE_VALUES,
    SAMPLE_WIDTH,
    SHAPE_WIDTH,
    VALUE_WIDTH,
)
from impeto.core.contact.data import BeltData, PairingData, RuleData, ShapeData
from impeto.core.contact.features import BARREL, LINE, PLACES, POINT, RIM, SURFACE
from impeto.core.contact.law import RULE_WIDTH
from impeto.core.dynamics import tables
from impeto.core.dynamics.layout import Layout, int_rows
from impeto.core.dynamics.mechanism import Mechanism
from impeto.core.dynamics.restitution import damping_factor, damping_limit
from impeto.core.dynamics.tables import Tables
from impeto.core.geometry.arrays import Ints
from impeto.core.geometry.solids import NO_EDGES, NO_NUMBERS, NO_ROWS, Solid

RIM_POINTS = 8
INNER = (
    0.7  # of the radius of a cone's end: the rim itself lies beside what narrows behind its face
)
Feature = tuple[int, tuple[float, ...]]
SLOTS_OF = np.array([1, 2, 2, 1, PLACES])  # points of contact by kind of feature


RULE_SENSORS = {
    "gap": tables.SENSE_GAP,
    "normal": tables.SENSE_NORMAL,
    "slip": tables.SENSE_SLIP,
}


def offer_rules(layout: Layout) -> None:
    """Gap, force and slip of contact rules, for what events watch."""
    for row, rule in enumerate(layout.mechanism.of(RuleData)):
        layout.offer(rule.name, row, RULE_SENSORS)


def contact_arrays(
    m: Mechanism, elements: Mapping[str, int], programs: Mapping[str, int]
) -> dict[str, Any]:
    """The arrays of Tables that belong to contact."""
    rows: list[tuple[int, ...]] = []
    values: list[list[float]] = []
    styles: list[int] = []
    feature_values: list[tuple[float, ...]] = []
    points: list[np.ndarray] = []
    count = 0
    solids = _Solids()
    for shape in m.of(ShapeData):
        first = len(styles)
        for style, value in features(shape):
            styles.append(style)
            feature_values.append(value)
        outline = np.zeros((0, 2)) if shape.profile is None else shape.profile
        program = programs[m.of(BeltData)[shape.belt].name] if shape.belt >= 0 else -1
        rows.append(
            (shape.body, shape.kind, first, len(styles), count, count + len(outline), shape.belt,
             program, *solids.rows(shape.solid))
        )  # fmt: skip
        points.append(outline)
        count += len(outline)
        values.append(_values(m, shape))
    return {
        "shape": np.array(rows, dtype=np.int64).reshape(-1, SHAPE_WIDTH),
        "shape_value": np.array(values, dtype=float).reshape(-1, VALUE_WIDTH),
        "feature": np.array(styles, dtype=np.int64),
        "feature_value": np.array(feature_values, dtype=float).reshape(-1, FEATURE_WIDTH),
        "profile": np.concatenate([np.zeros((0, 2)), *points]),
        **solids.arrays(),
        "rule": int_rows([elements[rule.name] for rule in m.of(RuleData)], 1),
        "rule_value": np.array(
            [
                (r.stiffness, r.exponent, *damping(r.restitution), r.static, r.kinetic, r.rolling,
                 r.restitution)
                for r in m.of(RuleData)
            ],
            dtype=float,
        ).reshape(-1, RULE_WIDTH),
        "pairing": m.of(PairingData)[0].rule,
    }  # fmt: skip


class _Solids:
    """Grids and samples of solids; shapes that are alike share theirs."""

    def __init__(self) -> None:
        self.known: dict[int, tuple[int, int, int]] = {}
        self.grid: list[tuple[int, ...]] = []
        self.grid_value: list[tuple[float, ...]] = []
        self.parts: dict[str, list[np.ndarray]] = {
            "coefficient": [NO_NUMBERS], "edge": [NO_EDGES], "cell": [NO_ROWS],
            "cell_edge": [NO_ROWS],
        }  # fmt: skip
        self.sample: list[np.ndarray] = [np.zeros((0, SAMPLE_WIDTH), dtype=np.int64)]
        self.sample_value: list[np.ndarray] = [np.zeros((0, SAMPLE_VALUES))]
        self.count = 0

    def rows(self, solid: Solid | None) -> tuple[int, int, int]:
        """Row of the grid, first and last sample; −1, 0, 0 without a solid."""
        if solid is None:
            return -1, 0, 0
        if id(solid) not in self.known:
            own, first = solid.samples, self.count
            self.count += len(own.point)
            self.known[id(solid)] = len(self.grid), first, self.count
            begin = self._length("cell" if len(solid.edges) else "coefficient")
            self.grid.append((begin, *solid.nodes))
            self.grid_value.append((*solid.origin, *solid.step))
            edges, rows = self._length("edge"), self._length("cell_edge")
            self.parts["coefficient"].append(solid.coefficients)
            self.parts["cell"].append(solid.cell + rows)
            self.parts["cell_edge"].append(solid.near + edges)
            self.parts["edge"].append(solid.edges)
            near = np.where(own.near >= 0, own.near + first, -1)
            self.sample.append(np.column_stack([own.kind, near]))
            self.sample_value.append(
                np.column_stack(
                    [own.point, own.normal, own.tangent, own.reach, own.roam, own.plane]
                )
            )
        return self.known[id(solid)]

    def _length(self, part: str) -> int:
        return sum(len(array) for array in self.parts[part])

    def arrays(self) -> dict[str, Any]:
        return {
            "grid": np.array(self.grid, dtype=np.int64).reshape(-1, GRID_WIDTH),
            "grid_value": np.array(self.grid_value, dtype=float).reshape(-1, GRID_VALUES),
            **{name: np.concatenate(arrays) for name, arrays in self.parts.items()},
            "sample": np.concatenate(self.sample),
            "sample_value": np.concatenate(self.sample_value),
        }


def slots_of_shapes(T: Tables) -> Ints:
    """(H,) points of contact that the features of each shape can have."""
    total = np.concatenate([[0], np.cumsum(SLOTS_OF[T.feature])])
    return np.asarray(total[T.shape[:, LAST_FEATURE]] - total[T.shape[:, FIRST_FEATURE]])


def damping(restitution: float) -> tuple[float, float]:
    """Factor of the damper, and its limit over √(k m)."""
    factor = damping_factor(restitution)
    return factor, damping_limit(factor)


def _values(m: Mechanism, shape: ShapeData) -> list[float]:
    size = [*shape.size, 0.0, 0.0, 0.0][:4]
    belt = m.of(BeltData)[shape.belt].direction if shape.belt >= 0 else np.zeros(3)
    center = shape.position - m.bodies[shape.body].center
    extents = shape.rounding, shape.bound, shape.thickness
    return [*center, *shape.rotation.ravel(), *size, *extents, *belt]


def features(shape: ShapeData) -> Iterator[Feature]:
    """Kind and values (both ends, core radii there, rounding, weight) of a shape's features."""
    size, rounding = shape.size, shape.rounding
    if shape.kind == kinds.BALL:
        yield POINT, (*np.zeros(8), size[0], 1.0)
    elif shape.kind == kinds.CAPSULE:
        yield LINE, (0.0, 0.0, -size[1], 0.0, 0.0, size[1], 0.0, 0.0, size[0], 1.0)
    elif shape.kind == kinds.BLOCK:
        yield from _edges(size, rounding)
    elif shape.kind == kinds.ROUND:
        yield from _bar(size[0], size[0], size[1], rounding)
    elif shape.kind == kinds.PIPE:
        yield from _bar(size[0], size[0], size[2], rounding)
    elif shape.kind == kinds.CONE:
        yield from _bar(size[0], size[1], size[2], 0.0, (1.0, INNER))
    elif shape.kind == kinds.PROFILE:
        yield from _ridges(shape)
    elif shape.kind in (kinds.SOLID, kinds.DRAWN):
        yield SURFACE, (*np.zeros(8), rounding, 1.0)


def _edges(half: tuple[float, ...], rounding: float) -> Iterator[Feature]:
    """The twelve edges of a block; a face that lies flat weighs 1 in all."""
    for axis in range(3):
        for signs in product((-1.0, 1.0), repeat=2):
            corner = np.zeros(3)
            corner[[(axis + 1) % 3, (axis + 2) % 3]] = signs
            corner *= half
            start, end = corner.copy(), corner.copy()
            start[axis], end[axis] = -half[axis], half[axis]
            yield LINE, (*start, *end, 0.0, 0.0, rounding, 0.25)


def _bar(
    bottom: float, top: float, half: float, rounding: float, rings: tuple[float, ...] = (1.0,)
) -> Iterator[Feature]:
    """Round bar along z, and points on its ends for when it stands on one: on the rims, and on
    rings of other shares of the radius."""
    yield BARREL, (0.0, 0.0, -half, 0.0, 0.0, half, bottom, top, rounding, 1.0)
    for radius, z in ((bottom, -half), (top, half)):
        if radius == 0.0:
            continue
        weight = 1.0 / (RIM_POINTS * len(rings))
        for share, angle in product(rings, 2.0 * np.pi * np.arange(RIM_POINTS) / RIM_POINTS):
            x, y = share * radius * np.cos(angle), share * radius * np.sin(angle)
            yield RIM, (x, y, z, x, y, z, 0.0, 0.0, rounding, weight)


def _ridges(shape: ShapeData) -> Iterator[Feature]:
    """Lines across a road where it bends down."""
    assert shape.profile is not None
    slopes = np.diff(shape.profile[:, 1]) / np.diff(shape.profile[:, 0])
    bends = np.diff(np.concatenate([[0.0], slopes, [0.0]]))
    for (x, z), bend in zip(shape.profile, bends, strict=True):
        if bend < -1e-9:
            yield LINE, (x, -shape.size[0], z, x, shape.size[0], z, 0.0, 0.0, 0.0, 1.0)
