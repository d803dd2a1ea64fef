"""Sets of units that values are shown in."""

from __future__ import annotations

from collections.abc import Mapping

from impeto.core.errors import FormulaError
from impeto.core.model.units import KINDS

FITTING, OWN = "as fits the size", "own"
SETS: dict[str, Mapping[str, str]] = {
    FITTING: {},
    "SI": {name: kind.si for name, kind in KINDS.items() if kind.si != "1"},
    "millimetres": {
        "length": "mm", "area": "mm^2", "speed": "mm/s", "acceleration": "mm/s^2", "force": "N",
        "torque": "N*mm", "stiffness": "N/mm", "damping": "N*s/mm", "mass": "kg",
        "inertia": "kg*mm^2", "density": "kg/mm^3", "angle": "deg", "angular speed": "rpm",
        "torsional stiffness": "N*mm/rad", "torsional damping": "N*mm*s/rad",
    },
    "inch and pound": {
        "length": "in", "area": "in^2", "speed": "in/s", "acceleration": "ft/s^2", "mass": "lb",
        "force": "lbf", "torque": "lbf*in", "stiffness": "lbf/in", "damping": "lbf*s/in",
        "inertia": "lb*in^2", "density": "lb/in^3", "angle": "deg", "angular speed": "rpm",
        "torsional stiffness": "lbf*in/rad", "torsional damping": "lbf*in*s/rad",
    },
}  # fmt: skip


def own_set(text: str) -> dict[str, str]:
    """'length mm, force kN': a unit for each kind of quantity that is named, the others as fits
    their size. Raises FormulaError for a kind that there is not."""
    chosen = {}
    for part in filter(None, (piece.strip() for piece in text.split(","))):
        kind, _, unit = part.rpartition(" ")
        if kind not in KINDS:
            raise FormulaError(
                f"'{kind or part}' is no kind of quantity",
                remedy="Write, for example, length mm, force kN, angular speed rpm",
            )
        chosen[kind] = unit
    return chosen
