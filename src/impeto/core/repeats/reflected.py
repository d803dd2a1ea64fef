"""Parts of a machine seen in a mirror.

A reflection turns right-handed axes into left-handed ones. So that all stays right-handed, a
body's own y axis is turned round with it, and of a frame one axis: along that its slide changes
sign, and the turns about the two others.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import numpy.typing as npt

from impeto.core.bodies.model import Body
from impeto.core.bodies.shapes import Extrusion, Mesh, PointMass, Shape, Swept
from impeto.core.geometry.swept import BEND, start_axes
from impeto.core.model.outlines import Outline, Path
from impeto.core.model.quantity import Quantity
from impeto.core.model.scope import Scope

Floats = npt.NDArray[np.float64]
Y = np.diag([1.0, -1.0, 1.0])
ACROSS = (1.0, -1.0, 1.0)  # of vectors in the axes of a body
TURNED = (-1.0, 1.0, -1.0)  # of angles and of what goes round
PRODUCTS = (-1.0, 1.0, -1.0)  # of inertia: xy, xz, yz


def reflection(normal: Floats) -> Floats:
    """(3, 3) in a plane through the origin, square to a unit vector."""
    return np.eye(3) - 2.0 * np.outer(normal, normal)


def turned_round(axis: int) -> Floats:
    """(3, 3) that turns one axis of a frame round."""
    signs = np.ones(3)
    signs[axis] = -1.0
    return np.diag(signs)


def signed(values: Any, signs: tuple[float, ...]) -> Any:
    """A vector as written with other signs; None stays."""
    if values is None:
        return None
    return tuple(
        value if sign > 0.0 else negative(value) for value, sign in zip(values, signs, strict=True)
    )


def negative(value: Quantity) -> Quantity:
    text = value.text.strip()
    if text.lstrip("+-").split(" ")[0].strip("0.") == "":
        return value  # nothing has no sign
    plain = text.lstrip("+-").replace(" ", "").replace(".", "").replace("/", "").replace("^", "")
    if text.startswith("-") and plain.isalnum():
        return Quantity(text[1:])
    return Quantity(f"-{text}" if plain.isalnum() and text[0] not in "+-" else f"-({text})")


def body_values(scope: Scope, body: Body) -> dict[str, Any]:
    """What of a body is written in its own axes."""
    return {
        "center": signed(body.center, ACROSS),
        "inertia_products": signed(body.inertia_products, PRODUCTS),
        "shapes": tuple(_shape(scope, shape) for shape in body.shapes),
        "point_masses": tuple(_point(part) for part in body.point_masses),
    }


def _point(part: PointMass) -> PointMass:
    return replace(part, position=signed(part.position, ACROSS))


def _shape(scope: Scope, shape: Shape) -> Shape:
    """A shape whose own axes have their y turned round; most look the same to both sides of it."""
    changes: dict[str, Any] = {
        "position": signed(shape.position, ACROSS),
        "orientation": signed(shape.orientation, TURNED),
    }
    if isinstance(shape, Extrusion):
        changes["outline"] = Outline(_outline(shape.outline, 1))
    elif isinstance(shape, Swept):
        changes["path"] = Path(_outline(shape.path, 1))
        if shape.section is not None:
            axis = 1 if _is_upright(scope, shape) else 0
            changes["section"] = Outline(_outline(shape.section, axis))
    elif isinstance(shape, Mesh):
        changes["mirrored"] = not shape.mirrored
    return replace(shape, **changes)


def _is_upright(scope: Scope, shape: Swept) -> bool:
    """Whether a path begins upright, where its section is held by the y axis, not by z."""
    points = scope.outline(shape, "path")[:, :BEND]
    way = points[0] - points[-1] if shape.closed else points[1] - points[0]
    return bool(np.abs(start_axes(way / np.linalg.norm(way))[1] @ [0.0, 1.0, 0.0]) == 1.0)


def _outline(outline: Any, axis: int) -> str:
    """The text of points with one coordinate turned round."""
    words: tuple[str, ...] = outline.words
    count: int = outline.coordinates
    parts = []
    for point in outline.points:
        place = [value.text for value in signed(
            point[:count], tuple(-1.0 if k == axis else 1.0 for k in range(count))
        )]  # fmt: skip
        further = [
            f"{word} {value.text}" for word, value in zip(words, point[count:], strict=True)
            if value.text != "0"
        ]  # fmt: skip
        parts.append(" ".join([", ".join(place), *further]))
    return "; ".join(parts)
