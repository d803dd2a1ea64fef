"""Impeto: multibody dynamics for people who have to say how a machine will move."""

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
from impeto.core.results.recording import Recording
from impeto.core.simulate import check, simulate

__version__ = "0.1.0"
