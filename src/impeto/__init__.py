"""Impeto: multibody dynamics for people who have to say how a machine will move."""

from impeto.api import Recording, load, open_recording, save, simulate
from impeto.core.errors import (
    ChannelError,
    FileError,
    FormulaError,
    ImpetoError,
    ModelError,
    SolverError,
)
from impeto.core.model.elements import (
    Behaviour,
    Body,
    Box,
    Cylinder,
    Damper,
    Drive,
    Frame,
    Gravity,
    Joint,
    Load,
    Parameter,
    PointMass,
    Sphere,
    Spring,
    Tube,
)
from impeto.core.model.freedoms import PRESETS
from impeto.core.model.model import Case, Model, RunSettings
from impeto.core.model.signals import Constant, Formula, Harmonic, Ramp
from impeto.core.simulate import check

__version__ = "0.1.0"

__all__ = [
    "PRESETS",
    "Behaviour",
    "Body",
    "Box",
    "Case",
    "ChannelError",
    "Constant",
    "Cylinder",
    "Damper",
    "Drive",
    "FileError",
    "Formula",
    "FormulaError",
    "Frame",
    "Gravity",
    "Harmonic",
    "ImpetoError",
    "Joint",
    "Load",
    "Model",
    "ModelError",
    "Parameter",
    "PointMass",
    "Ramp",
    "Recording",
    "RunSettings",
    "SolverError",
    "Sphere",
    "Spring",
    "Tube",
    "check",
    "load",
    "open_recording",
    "save",
    "simulate",
]
