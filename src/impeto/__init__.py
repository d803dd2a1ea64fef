"""Impeto: multibody dynamics for people who have to say how a machine will move."""

from importlib import import_module
from typing import TYPE_CHECKING, Any

from impeto.core import elements as _elements
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
from impeto.core.model.cases import Case
from impeto.core.model.differing import Difference, differences
from impeto.core.model.freedoms import PRESETS
from impeto.core.model.model import Model
from impeto.core.model.run_settings import RunSettings
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

if TYPE_CHECKING:
    from impeto.api import (
        Recording,
        brought_in,
        import_csv,
        import_geometry,
        load,
        mapped,
        masses,
        merged,
        open_recording,
        read_mesh,
        report,
        save,
        simulate,
        simulate_all,
    )
    from impeto.core.check import Health, check, mended
    from impeto.core.connecting import connected, features, framed, loaded, strung
    from impeto.core.linear import LinearView, frequency_response, linear_view
    from impeto.core.overlaps import contact_pairs, overlaps, watched_shapes
    from impeto.core.pasting import copied, pasted
    from impeto.core.placing import frame_at, joined
    from impeto.core.plausible import Mend
    from impeto.core.posing import Posing
    from impeto.core.repeating import chained, detached, repeated
    from impeto.core.results.poses import pose_at
    from impeto.core.sketching import bars, bent, set_on
    from impeto.core.sorting import assembled, freed, gathered
    from impeto.core.uniting import united
    from impeto.core.weighing import weighed, weights
    from impeto.services.studies.searching import (
        Found,
        fit,
        optimise,
        sensitivities,
        trade_off,
        variance,
    )
    from impeto.services.studies.sweeping import sweep

# What needs the solver comes when it is asked for: a window opens sooner without.
_LATER: dict[str, tuple[str, ...]] = {
    "impeto.api": (
        "Recording",
        "import_csv",
        "import_geometry",
        "load",
        "mapped",
        "masses",
        "brought_in",
        "merged",
        "open_recording",
        "read_mesh",
        "report",
        "save",
        "simulate",
        "simulate_all",
    ),
    "impeto.core.check": ("Health", "check", "mended"),
    "impeto.core.connecting": ("connected", "features", "framed", "loaded", "strung"),
    "impeto.core.linear": ("LinearView", "frequency_response", "linear_view"),
    "impeto.core.overlaps": ("contact_pairs", "overlaps", "watched_shapes"),
    "impeto.core.pasting": ("copied", "pasted"),
    "impeto.core.placing": ("frame_at", "joined"),
    "impeto.core.plausible": ("Mend",),
    "impeto.core.posing": ("Posing",),
    "impeto.core.repeating": ("chained", "detached", "repeated"),
    "impeto.core.results.poses": ("pose_at",),
    "impeto.core.sketching": ("bars", "bent", "set_on"),
    "impeto.core.sorting": ("assembled", "freed", "gathered"),
    "impeto.core.uniting": ("united",),
    "impeto.core.weighing": ("weighed", "weights"),
    "impeto.services.studies.searching": (
        "Found", "fit", "optimise", "sensitivities", "trade_off", "variance",
    ),
    "impeto.services.studies.sweeping": ("sweep",),
}  # fmt: skip
_HOME = {name: module for module, names in _LATER.items() for name in names}

__version__ = "0.1.0"

__all__ = [
    "PRESETS",
    "Cancelled",
    "Case",
    "ChannelError",
    "Constant",
    "Difference",
    "FileError",
    "Formula",
    "FormulaError",
    "Found",
    "Harmonic",
    "Health",
    "ImpetoError",
    "LinearView",
    "Mend",
    "Model",
    "ModelError",
    "Polynomial",
    "Posing",
    "Pulse",
    "Ramp",
    "Recording",
    "RunSettings",
    "SolverError",
    "Step",
    "Sweep",
    "Table",
    "Triangles",
    "assembled",
    "bars",
    "bent",
    "brought_in",
    "chained",
    "check",
    "connected",
    "contact_pairs",
    "copied",
    "detached",
    "differences",
    "features",
    "fit",
    "frame_at",
    "framed",
    "freed",
    "frequency_response",
    "gathered",
    "import_csv",
    "import_geometry",
    "joined",
    "linear_view",
    "load",
    "loaded",
    "mapped",
    "masses",
    "mended",
    "merged",
    "open_recording",
    "optimise",
    "overlaps",
    "pasted",
    "pose_at",
    "read_mesh",
    "repeated",
    "report",
    "save",
    "sensitivities",
    "set_on",
    "simulate",
    "simulate_all",
    "strung",
    "sweep",
    "trade_off",
    "united",
    "variance",
    "watched_shapes",
    "weighed",
    "weights",
]
__all__ += _elements.__all__


def __getattr__(name: str) -> Any:
    if name not in _HOME:
        raise AttributeError(f"module 'impeto' has no attribute '{name}'")
    return getattr(import_module(_HOME[name]), name)
