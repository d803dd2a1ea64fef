"""Impeto: multibody dynamics for people who have to say how a machine will move."""

from impeto.api import (
    Recording,
    import_csv,
    load,
    mapped,
    masses,
    open_recording,
    read_mesh,
    save,
    simulate,
    simulate_all,
)
from impeto.core import elements as _elements
from impeto.core.check import Health, check, mended
from impeto.core.elements import *
from impeto.core.errors import (
    Cancelled,
    ChannelError,
    FileError,
    FormulaError,
    ImpetoError,
    ModelError,
    SolverError,
)
from impeto.core.geometry.triangles import Triangles
from impeto.core.linear import LinearView, frequency_response, linear_view
from impeto.core.model.freedoms import PRESETS
from impeto.core.model.model import Case, Model, RunSettings
from impeto.core.model.signals import (
    Constant,
    Formula,
    Harmonic,
    Polynomial,
    Pulse,
    Ramp,
    Step,
    Sweep,
    Table,
)
from impeto.core.overlaps import contact_pairs, overlaps, watched_shapes
from impeto.core.placing import frame_at, joined
from impeto.core.plausible import Mend
from impeto.core.results.poses import pose_at

__version__ = "0.1.0"

__all__ = [
    "PRESETS",
    "Cancelled",
    "Case",
    "ChannelError",
    "Constant",
    "FileError",
    "Formula",
    "FormulaError",
    "Harmonic",
    "Health",
    "ImpetoError",
    "LinearView",
    "Mend",
    "Model",
    "ModelError",
    "Polynomial",
    "Pulse",
    "Ramp",
    "Recording",
    "RunSettings",
    "SolverError",
    "Step",
    "Sweep",
    "Table",
    "Triangles",
    "check",
    "contact_pairs",
    "frame_at",
    "frequency_response",
    "import_csv",
    "joined",
    "linear_view",
    "load",
    "mapped",
    "masses",
    "mended",
    "open_recording",
    "overlaps",
    "pose_at",
    "read_mesh",
    "save",
    "simulate",
    "simulate_all",
    "watched_shapes",
]
__all__ += _elements.__all__
