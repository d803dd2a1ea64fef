"""All kinds of elements that a model is made of, by name."""

from __future__ import annotations

from impeto.core.model.bodies import GROUND, Body, Element, Frame, Parameter
from impeto.core.model.contacts import BeltSurface, ContactRule, Group, Surface
from impeto.core.model.couplers import (
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
from impeto.core.model.drives import AtFreedom, Brake, Drive, Motor, Powered, Servo, drive_kind
from impeto.core.model.events import BodyState, Dataset, Event, JointValue, Pose
from impeto.core.model.flow import Feeder, Outlet
from impeto.core.model.forces import (
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
from impeto.core.model.joints import (
    Behaviour,
    Friction,
    Joint,
    Path,
    PathPoint,
    StartValue,
    Stops,
)
from impeto.core.model.shapes import (
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

# Kinds of elements by the tag that files have for them, which never changes.
ELEMENTS: dict[str, type[Element]] = {
    "parameter": Parameter,
    "dataset": Dataset,
    "body": Body,
    "frame": Frame,
    "joint": Joint,
    "path": Path,
    "gears": Gears,
    "worm": Worm,
    "rack": Rack,
    "screw": Screw,
    "belt": Belt,
    "differential": Differential,
    "relation": Relation,
    "gravity": Gravity,
    "spring": Spring,
    "damper": Damper,
    "rope": Rope,
    "bumper": Bumper,
    "attraction": Attraction,
    "actuator": Actuator,
    "bushing": Bushing,
    "drag": Drag,
    "load": Load,
    "drive": Drive,
    "servo": Servo,
    "motor": Motor,
    "brake": Brake,
    "surface": Surface,
    "group": Group,
    "contactrule": ContactRule,
    "beltsurface": BeltSurface,
    "feeder": Feeder,
    "outlet": Outlet,
    "event": Event,
    "pose": Pose,
}
TAGS: dict[type[Element], str] = {cls: tag for tag, cls in ELEMENTS.items()}

__all__ = [
    "COLOURS", "ELEMENTS", "GROUND", "TAGS", "Actuator", "AtFreedom", "Attraction", "Behaviour",
    "Belt",
    "BeltSurface", "Body", "BodyState", "Box", "Brake", "Bumper", "Bushing", "Capsule", "Cone",
    "ContactRule", "Cylinder", "Damper", "Dataset", "Differential", "Drag", "Drive", "Element",
    "Event", "Extrusion", "Feeder", "Frame", "Friction", "Gears", "Gravity", "Group", "HalfSpace",
    "Joint", "JointValue", "Load", "Mesh", "Motor", "Outlet", "Parameter", "Path", "PathPoint",
    "Plate", "PointMass", "Pose", "Powered", "Pulley", "Rack", "Relation", "Road", "Rope", "Screw",
    "Servo", "Shape", "Sphere", "Spring", "StartValue", "Stops", "Straight", "Surface", "Term",
    "ToothedWheel", "Tube", "Worm", "drive_kind",
]  # fmt: skip
