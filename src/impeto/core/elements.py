"""All kinds of elements that a model is made of, by name."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType

from impeto.core.bodies.model import Body, Frame, Group
from impeto.core.bodies.shapes import (
    COLOURS,
    Box,
    Capsule,
    Cone,
    Cylinder,
    Extrusion,
    HalfSpace,
    Mesh,
    Plate,
    PointMass,
    Road,
    Shape,
    Sphere,
    ToothedWheel,
    Tube,
)
from impeto.core.contact.model import BeltSurface, ContactRule, Surface
from impeto.core.couplers.model import (
    Belt,
    Differential,
    Gears,
    Pulley,
    Rack,
    Relation,
    Screw,
    Term,
    Worm,
)
from impeto.core.drives.model import AtFreedom, Brake, Drive, Motor, Powered, Servo, drive_kind
from impeto.core.events.model import Event
from impeto.core.flow.model import Feeder, Outlet
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
from impeto.core.joints.model import Behaviour, Friction, Joint, Path, PathPoint, StartValue, Stops
from impeto.core.model.dataset import Dataset
from impeto.core.model.element import GROUND, KINDS, Element, Parameter
from impeto.core.model.poses import BodyState, JointValue, Pose

# Kinds of elements by the tag that files have for them.
ELEMENTS: Mapping[str, type[Element]] = MappingProxyType(dict(sorted(KINDS.items())))

__all__ = [
    "COLOURS", "ELEMENTS", "GROUND", "Actuator", "AtFreedom", "Attraction", "Behaviour",
    "Belt",
    "BeltSurface", "Body", "BodyState", "Box", "Brake", "Bumper", "Bushing", "Capsule", "Cone",
    "ContactRule", "Cylinder", "Damper", "Dataset", "Differential", "Drag", "Drive", "Element",
    "Event", "Extrusion", "Feeder", "Frame", "Friction", "Gears", "Gravity", "Group", "HalfSpace",
    "Joint", "JointValue", "Load", "Mesh", "Motor", "Outlet", "Parameter", "Path", "PathPoint",
    "Plate", "PointMass", "Pose", "Powered", "Pulley", "Rack", "Relation", "Road", "Rope", "Screw",
    "Servo", "Shape", "Sphere", "Spring", "StartValue", "Stops", "Straight", "Surface", "Term",
    "ToothedWheel", "Tube", "Worm", "drive_kind",
]  # fmt: skip
