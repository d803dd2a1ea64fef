"""Numbers of force elements and loads."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from impeto.core.bodies.compilation import Compilation, Numbers
from impeto.core.bodies.compile import unit_vector
from impeto.core.dynamics.mechanism import FrameData
from impeto.core.dynamics.signals import formula_node, signal_node
from impeto.core.errors import ModelError
from impeto.core.forces.data import BushingData, DragData, LinkData, LoadData
from impeto.core.forces.model import (
    Actuator,
    Attraction,
    Bumper,
    Bushing,
    Damper,
    Drag,
    Gravity,
    Load,
    Rope,
    Spring,
    Straight,
)
from impeto.core.model.scope import Scope

Floats = npt.NDArray[np.float64]


def compiled(made: Compilation) -> Numbers:
    """Numbers of all forces between points."""
    rows, points = made.frame_row, made.points
    return {
        LinkData: made.each(Straight, link_data, rows, points),
        BushingData: made.each(Bushing, bushing_data, rows),
        DragData: made.each(Drag, drag_data, rows),
        LoadData: made.each(Load, load_data, rows, made.frames),
    }


def gravity(scope: Scope) -> Floats:
    """Sum of all gravities that are on (3,) [m/s²], world."""
    total = np.zeros(3)
    for part in scope.model.of(Gravity):
        if scope.on(part):
            size = scope.field(part, "size", "acceleration")
            total += size * unit_vector(scope, part)
    return total


def link_data(
    scope: Scope, link: Straight, frame_row: dict[str, int], points: list[Floats]
) -> LinkData:
    """Numbers of a straight force element; an empty length is taken from the drawing."""
    a, b = frame_row[link.frame_a], frame_row[link.frame_b]
    drawn = float(np.linalg.norm(points[b] - points[a]))
    if drawn < 1e-9:
        raise ModelError(
            "its two frames are at the same point, so it has no direction",
            element=link.name,
            field="frame_b",
            remedy="Choose frames that are apart",
        )

    def value(field: str, kind: str) -> float:
        return scope.field(link, field, kind)

    def length(field: str) -> float:
        return drawn if getattr(link, field) is None else value(field, "length")

    values: dict[str, object] = {}
    if isinstance(link, Spring):
        values = {
            "stiffness": value("stiffness", "stiffness"),
            "free_length": length("free_length"),
            "preload": value("preload", "force"),
            "length_curve": scope.curve(link, "curve", "length", "force"),
            "damping": value("damping", "damping"),
        }
    elif isinstance(link, Damper):
        values = {
            "damping": value("damping", "damping"),
            "speed_curve": scope.curve(link, "curve", "speed", "force"),
        }
    elif isinstance(link, (Rope, Bumper)):
        values = {
            "stiffness": value("stiffness", "stiffness"),
            "free_length": length("slack_length" if isinstance(link, Rope) else "length"),
            "damping": value("damping", "damping"),
        }
        for field in ("stiffness", "damping"):
            if float(str(values[field])) < 0.0:
                raise ModelError(
                    "it cannot be negative", element=link.name, field=field, remedy="Type 0 or more"
                )
    elif isinstance(link, Attraction):
        local = {"length": f"{link.name}.length", "rate": f"{link.name}.rate"}
        node = formula_node(scope, link.pull, "force", link.name, "pull", local, forces=False)
        values = {"pull": node}
    elif isinstance(link, Actuator):
        values = {"pull": signal_node(scope, link, forces=False)}
    return LinkData(
        name=link.name,
        kind=link.tag,
        frame_a=a,
        frame_b=b,
        **values,  # type: ignore[arg-type]
    )


def bushing_data(scope: Scope, bushing: Bushing, frame_row: dict[str, int]) -> BushingData:
    """Numbers of a bushing, (3,) each along and about the axes of A."""
    if bushing.frame_a == bushing.frame_b:
        raise ModelError(
            "it joins a frame to itself", element=bushing.name, field="frame_b",
            remedy="Choose a frame on another body",
        )  # fmt: skip
    kinds = {
        "stiffness": "stiffness",
        "damping": "damping",
        "turning_stiffness": "torsional stiffness",
        "turning_damping": "torsional damping",
        "preload": "force",
        "turning_preload": "torque",
    }
    return BushingData(
        name=bushing.name,
        frame_a=frame_row[bushing.frame_a],
        frame_b=frame_row[bushing.frame_b],
        **{field: scope.vector(bushing, field, kind) for field, kind in kinds.items()},
    )


def drag_data(scope: Scope, drag: Drag, frame_row: dict[str, int]) -> DragData:
    """Numbers of a resistance of the air."""
    factor = 0.5
    for field, kind in (("area", "area"), ("coefficient", "number"), ("density", "density")):
        value = scope.field(drag, field, kind)
        if value < 0.0:
            raise ModelError(
                "it cannot be negative", element=drag.name, field=field, remedy="Type 0 or more"
            )
        factor *= value
    wind = scope.vector(drag, "wind", "speed")
    return DragData(name=drag.name, frame=frame_row[drag.frame], factor=factor, wind=wind)


def load_data(
    scope: Scope, load: Load, frame_row: dict[str, int], frames: tuple[FrameData, ...]
) -> LoadData:
    """Numbers of a load; the direction in the axes of the body that it is fixed in."""
    axes = 0
    if load.axes == "body":
        axes = frames[frame_row[load.frame]].body
    elif load.axes == "other":
        if load.axes_frame is None:
            raise ModelError(
                "it does not say whose axes", element=load.name, field="axes_frame",
                remedy="Choose a frame",
            )  # fmt: skip
        axes = frames[frame_row[load.axes_frame]].body
    direction = unit_vector(scope, load)
    if load.axes == "other" and load.axes_frame is not None:
        direction = frames[frame_row[load.axes_frame]].rotation @ direction
    return LoadData(
        name=load.name,
        frame=frame_row[load.frame],
        is_torque=load.applies == "torque",
        axes=axes,
        direction=direction,
        value=signal_node(scope, load),
        counter=-1 if load.counter_frame is None else frame_row[load.counter_frame],
    )
