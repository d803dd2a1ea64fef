"""The gestures of the Build desk: what each asks for on the Stage."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

from impeto.app.stage.gesture import JOINTS, PLACES, Gesture
from impeto.core.bodies.shapes import (
    Box,
    Capsule,
    Cone,
    Cylinder,
    HalfSpace,
    Plate,
    Road,
    Shape,
    Sphere,
    ToothedWheel,
    Torus,
    Tube,
)
from impeto.core.elements import Belt, Gears, Pulley, Rack, Relation, Term, Worm
from impeto.core.errors import ModelError
from impeto.core.model import fields, units
from impeto.core.model.element import Element
from impeto.core.model.fields import CurveSpec, OutlineSpec, QuantitySpec, VectorSpec
from impeto.core.pairing import JOINT

STRUNG = ("spring", "damper", "rope", "bumper", "bushing", "actuator", "attraction")
GAUGE = "gauge"
ON_JOINT = ("drive", "servo", "motor", "brake")
COUPLERS: dict[str, Callable[..., Element]] = {
    "gears": lambda name, a, b: Gears(name=name, joint_a=a, joint_b=b),
    "worm": lambda name, a, b: Worm(name=name, joint_a=a, joint_b=b),
    "rack": lambda name, a, b: Rack(name=name, joint_a=a, joint_b=b),
    "belt": lambda name, a, b: Belt(name=name, pulleys=(Pulley(joint=a), Pulley(joint=b))),
    "relation": lambda name, a, b: Relation(name=name, terms=(Term(joint=a), Term(joint=b))),
}
SOLIDS: dict[str, type[Shape]] = {
    cls.title: cls
    for cls in (
        Box,
        Cylinder,
        Tube,
        Sphere,
        Capsule,
        Cone,
        Plate,
        Torus,
        ToothedWheel,
        HalfSpace,
        Road,
    )
}
LAID = (HalfSpace, Road)  # onto the ground, as shapes of it
PLACED = ("position", "orientation", "colour")  # not sizes
BUMP = "0 m: 0 m; 2 m: 0 m; 2.2 m: 60 mm; 2.4 m: 0 m"  # what a road begins with
SECOND = "Point at one of another body, or of the ground."

CONNECT = Gesture(
    JOINT, ("Point at a hole, axis, face, edge or corner of a body.", SECOND), apart=True
)
BARS = Gesture(
    "bars",
    (
        "Where does the bar begin? Shift: pinned to the ground there.",
        "Where does it end? Every further point is another bar, pinned to the last. Enter: done.",
    ),
    PLACES, goes_on=True, extra="Section", typed="20 mm",
)  # fmt: skip
BENT = Gesture(
    "bent bar",
    (
        "Where does the bent bar or pipe begin?",
        "Where does it go? It is bent at every point but the ends. Enter: done.",
    ),
    PLACES, goes_on=True, extra="Section", typed="20 mm",
)  # fmt: skip
CHAIN = Gesture(
    "chain",
    (
        "Point at the feature at the end of a body, where the next is to hang on.",
        "Point at that of its beginning, by which each hangs on the one before.",
    ),
    extra="Count", typed="12",
)  # fmt: skip
PASTE = Gesture(
    "paste", ("Where is the copy to come? Point at a feature or place, or type it.",), PLACES
)
LOAD = Gesture("load", ("Point at the face, axis or corner where the load acts.",))
FRAME = Gesture("frame", ("Point at the feature where the frame is to be.",))
MOVE = Gesture(
    "move",
    ("Point at a feature of the body that moves.", "Where is it to come? Point at a feature."),
    apart=True,
)
MEASURE = Gesture("measure", ("Measure from which feature?", "To which feature?"))


def string(tag: str) -> Gesture:
    """A force element between two features."""
    return Gesture(
        tag, (f"Where does the {tag} begin? Point at a feature of a body.", SECOND), apart=True
    )


def on_joint(tag: str) -> Gesture:
    return Gesture(tag, (f"Click the joint that the {tag} acts on.",), JOINTS)


def couple(tag: str) -> Gesture:
    return Gesture(tag, ("Click the first joint.", "Click the second joint."), JOINTS)


def set_down(title: str) -> Gesture:
    """A solid on a face, or on the ground's grid."""
    ask = f"Point at the face or place where {units.article(title)} is to stand."
    return Gesture(title, (ask,), PLACES, extra="Sizes", typed=sizes_of(SOLIDS[title]()))


def sizes_of(shape: Shape) -> str:
    """'radius 50 mm, length 100 mm'; of boxes 'size 100 mm x 100 mm x 100 mm'."""
    words = []
    for name, spec in fields.specs(type(shape)).items():
        value: Any = getattr(shape, name)
        title = fields.title(name, spec).lower()
        if isinstance(spec, CurveSpec) and value is None:
            value = BUMP
        if name in PLACED or value is None:
            continue
        if isinstance(spec, VectorSpec):
            words.append(f"{title} {' x '.join(str(v) for v in value)}")
        elif isinstance(spec, (QuantitySpec, CurveSpec, OutlineSpec)):
            words.append(f"{title} {value}")
    return ", ".join(words)


def shape_of(title: str, text: str) -> Shape:
    """A solid by the sizes that are written, in any order, the others as they begin. Raises
    ModelError for what is no size of it."""
    cls = SOLIDS[title]
    named = {
        fields.title(name, spec).lower(): (name, spec)
        for name, spec in fields.specs(cls).items()
        if name not in PLACED
    }
    values: dict[str, Any] = {}
    for part in filter(None, (p.strip() for p in text.split(","))):
        found = next(
            (n for n in sorted(named, key=len, reverse=True) if part.lower().startswith(n)), None
        )
        if found is None:
            raise ModelError(
                f"'{part}' is no size of {units.article(title)}",
                remedy=f"Type {sizes_of(cls())}",
            )
        name, spec = named[found]
        written = part[len(found) :].strip()
        if isinstance(spec, VectorSpec):
            pieces = re.split(r"\s*[x×]\s*", written)
            unit = pieces[-1].lstrip("+-.0123456789 ")
            values[name] = tuple(p if p[-1:].isalpha() else f"{p} {unit}" for p in pieces)
        else:
            values[name] = written
    return cls(**values)
