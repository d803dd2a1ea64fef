"""Repeats by gesture: what is selected, or a body tied to the next of its kind by two features."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
import numpy.typing as npt

from impeto.core.bodies.placement import written
from impeto.core.bodies.solid_features import Feature
from impeto.core.connecting import features
from impeto.core.elements import Body, Joint, Repeat
from impeto.core.errors import ModelError
from impeto.core.model.element import GROUND
from impeto.core.model.fields import Written
from impeto.core.model.freedoms import PRESETS
from impeto.core.model.model import Model
from impeto.core.model.names import free_name
from impeto.core.model.scope import Scope
from impeto.core.placing import frame_at
from impeto.core.repeats.moves import END_TO_END

Floats = npt.NDArray[np.float64]
ALONG = 0.99  # component beyond which a direction counts as along the chain
ROOM = 1.25  # of its length: from one member to the next


def repeated(
    model: Model, bodies: Sequence[str], *, name: str = "", case: str | None = None, **about: Any
) -> tuple[Model, Repeat]:
    """The model with bodies repeated, and that Repeat; about : fields of it.

    Without a step each stands beside the last along x, with some room between. Raises ModelError.
    """
    if not bodies or GROUND in bodies:
        raise ModelError("choose the bodies to repeat", remedy="Select them first")
    if not about:
        reach = np.concatenate([[f.point for f in features(model, body, case)] for body in bodies])
        size = float(np.ptp(reach[:, 0])) or float(np.ptp(reach, axis=0).max()) or 0.1
        about = {"step": written(np.array([float(f"{ROOM * size:.2g}"), 0.0, 0.0]), "length")}
    title = name or free_name(model, f"{bodies[0]}_repeat")
    made = Repeat(name=title, bodies=tuple(bodies), **about)
    return model.with_element(made), made


def chained(
    model: Model, end: Feature, begin: Feature, count: Written, *, name: str = "",
    free: Sequence[str] | None = None, case: str | None = None,
) -> tuple[Model, Repeat]:  # fmt: skip
    """The model with a body repeated end to end, and that Repeat: a joint ties its one feature to
    the other of the next, both in the world, as drawn.

    free : freedoms of the joints; a pin where the features have a direction across the chain, else
    a ball. Raises ModelError for features of two bodies, or at one point.
    """
    if end.body != begin.body or end.body == GROUND:
        raise ModelError(
            "a chain is made of one body", remedy="Pick two features of the body to repeat"
        )
    body = end.body
    if not isinstance(model.elements.get(body), Body):
        raise ModelError(f"{body} is repeated already", element=body, remedy="Change its Repeat")
    way = end.point - begin.point
    length = float(np.linalg.norm(way))
    if length == 0.0:
        raise ModelError("both features lie at one point", remedy="Pick one at each end")
    way /= length
    chosen = free
    if chosen is None:
        across = all(not f.is_point and abs(f.direction @ way) < ALONG for f in (end, begin))
        chosen = PRESETS["revolute" if across else "spherical"]
    title = name or free_name(model, f"{body}_chain")
    tie = free_name(model, f"{body}_tie", ("", "_a", "_b"))
    for side, feature in (("a", end), ("b", begin)):
        z, x = _axes(feature, end, way)
        frame = frame_at(
            model, f"{tie}_{side}", body, tuple(feature.point), z=tuple(z), x=tuple(x), case=case
        )
        model = model.with_element(frame)
    joint = Joint(name=tie, frame_a=f"{tie}_a", frame_b=f"{tie}_b", free=tuple(chosen))
    made = Repeat(name=title, bodies=(body,), along=END_TO_END, count=count, between=(tie,))
    return model.with_element(joint).with_element(made), made


def _axes(feature: Feature, other: Feature, way: Floats) -> tuple[Floats, Floats]:
    """z along a feature, to the side to which that of the other looks, and x along the chain."""
    z = feature.direction
    if feature.is_point or abs(z @ way) >= ALONG:
        z = np.eye(3)[int(np.argmin(np.abs(way)))]
    elif z @ other.direction < 0.0:
        z = -z
    return z - (z @ way) * way if feature.is_point else z, way


def detached(model: Model, member: str, case: str | None = None) -> Model:
    """The model with a member of a Repeat as an element of its own, as it now is: it can be changed
    while the others stay. Raises ModelError where there is no such member."""
    scope = Scope(model, case)
    if scope.original(member) == member:
        raise ModelError(f"{member} is no member of a Repeat", element=member)
    return model.with_element(scope.model[member])
