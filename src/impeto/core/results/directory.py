"""What stands in each column of a recording's arrays, by names that do not hang on how the solver
numbers things. A file keeps them, so that it can be read by other tools, and by versions of this
program whose arrays are laid out otherwise.
"""

from __future__ import annotations

from impeto.core.dynamics.system import System
from impeto.core.dynamics.tables import EXTRAS, M_END, MEASURED, X_END
from impeto.core.geometry.arrays import Floats, Ints
from impeto.core.model.freedoms import FREEDOMS

Directory = dict[str, list[str]]
POSE = ("x", "y", "z", "q w", "q x", "q y", "q z")
SPEED = ("v x", "v y", "v z", "w x", "w y", "w z")


def directory_of(system: System) -> Directory:
    """Names of the columns of `state`, `multiplier`, `coordinate` and `measured`."""
    T, bodies = system.tables, [body.name for body in system.mechanism.bodies[1:]]
    state = [f"{body}: {part}" for parts in (POSE, SPEED) for body in bodies for part in parts]
    state += _grouped(EXTRAS, T.extra[: X_END + 1])[: len(system.start) - len(state)]
    joints = system.mechanism.joints
    coordinate = [f"teeth: {row}" for row in range(len(T.coordinate))]
    for (joint, freedom), row in system.coordinates.items():
        coordinate[row] = f"{joints[joint].name}: {FREEDOMS[freedom]}"
    return {
        "state": state,
        "multiplier": _counted([f"{r.owner}: {r.freedom} {r.role}".strip() for r in system.rows]),
        "coordinate": coordinate,
        "measured": _grouped(MEASURED, T.measured[: M_END + 1]),
    }


def _grouped(titles: tuple[str, ...], bounds: Ints) -> list[str]:
    """'spring effort: 0', 'spring effort: 1' … for groups that begin at these columns."""
    return [
        f"{title}: {number}"
        for title, first, last in zip(titles, bounds[:-1], bounds[1:], strict=True)
        for number in range(int(last - first))
    ]


def _counted(names: list[str]) -> list[str]:
    """The names, those that come again with a number behind."""
    seen: dict[str, int] = {}
    out = []
    for name in names:
        seen[name] = seen.get(name, 0) + 1
        out.append(name if seen[name] == 1 else f"{name} ({seen[name]})")
    return out


def reordered(values: Floats, written: list[str], wanted: list[str]) -> Floats:
    """Columns (the second axis) as they are wanted, from an array whose columns are as written.
    Raises KeyError with the name of one that is missing."""
    if written == wanted:
        return values
    column = {name: number for number, name in enumerate(written)}
    return values[:, [column[name] for name in wanted]]
