"""All special joints. A new one is its own file, and named here: by the title that files have for
it, and in what a step does."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from impeto.core.dynamics.columns import Coordinate
from impeto.core.dynamics.kernel import inlined
from impeto.core.dynamics.layout import Layout
from impeto.core.dynamics.mechanism import Mechanism
from impeto.core.dynamics.tables import ACROSS_PATH, TRAVEL, TWIST, WITH_PATH, Tables, Workspace
from impeto.core.geometry.arrays import Floats
from impeto.core.joints import constant_velocity, distances, locking, on_path
from impeto.core.joints.constant_velocity import twist_row
from impeto.core.joints.distances import distance_row
from impeto.core.joints.on_path import across_row, set_paths, travel, travel_row, with_path_row
from impeto.core.joints.rows import freedom_row
from impeto.core.joints.special import Special

SPECIALS: Mapping[str, Special] = {
    "none": locking.PLAIN,
    distances.TITLE: distances.FIXED_DISTANCE,
    constant_velocity.TITLE: constant_velocity.CONSTANT_VELOCITY,
    on_path.POINT: on_path.POINT_ON_PATH,
    on_path.BODY: on_path.BODY_ON_PATH,
}
ACTING = {kind: acts for s in SPECIALS.values() for kind, acts in s.acting.items()}
OWN_COORDINATES = (TRAVEL,)  # kinds of coordinates that only special joints have


def arrays(layout: Layout) -> dict[str, Any]:
    """Arrays of Tables that only special joints have."""
    return on_path.path_arrays(layout)


def scratch(T: Tables) -> dict[str, Floats]:
    """Arrays of Workspace that only special joints have."""
    return on_path.path_scratch(T)


def begin(m: Mechanism, S: Workspace) -> None:
    """What special joints remember of the last evaluation, as they are drawn."""
    S.along[:] = on_path.along_paths(m)


@inlined
def update_specials(T: Tables, S: Workspace) -> None:
    """What special joints keep for their rows and coordinates, once gaps and axes are known."""
    set_paths(T, S)


@inlined
def own_coordinate(T: Tables, S: Workspace, kind: int, joint: int) -> tuple[float, float]:
    """Value and rate of one of OWN_COORDINATES."""
    return travel(T, S, joint)


@inlined
def special_row(
    T: Tables, S: Workspace, kind: int, joint: int, i: int, j: int, out: Floats
) -> tuple[float, float]:
    """Factors (world) of a row that a special joint has, into out (12,); its bias and value."""
    wa, wb = S.spin[T.joint_body[joint, 0]], S.spin[T.joint_body[joint, 1]]
    if kind == ACROSS_PATH:
        return across_row(T, S, joint, i, out)
    if kind == WITH_PATH:
        return with_path_row(T, S, joint, i, j, out)
    if kind == TWIST:
        return twist_row(S.axes[joint], wa, wb, out)
    return distance_row(S.gap[joint], S.gap_rate[joint], S.arm[joint], wa, wb, out)


@inlined
def coordinate_row(T: Tables, S: Workspace, c: int, out: Floats) -> float:
    """Factors (world) of a joint's coordinate into out (12,); its bias."""
    kind, joint = T.coordinate[c, Coordinate.KIND], T.coordinate[c, Coordinate.JOINT]
    if kind == TRAVEL:
        return travel_row(T, S, joint, out)
    return freedom_row(
        S.axes[joint], S.gap[joint], S.gap_rate[joint], S.arm[joint],
        S.spin[T.joint_body[joint, 0]], S.spin[T.joint_body[joint, 1]], kind,
        T.coordinate[c, Coordinate.AXIS], out,
    )  # fmt: skip
