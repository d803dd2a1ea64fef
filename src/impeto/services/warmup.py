"""Compiling the kernels ahead of time, and knowing whether that has been done."""

from __future__ import annotations

import hashlib
from pathlib import Path

import numba

import impeto.core
from impeto.core.model.elements import Body, Box, ContactRule, Frame, Gravity, Joint, Sphere
from impeto.core.model.model import AUTOMATIC, QUICK, Model, RunSettings
from impeto.core.simulate import simulate

_CORE = Path(impeto.core.__file__).parent


def _stamp() -> Path:
    return _CORE / "mechanics" / "__pycache__" / "prepared"


def _fingerprint() -> str:
    """Changes with the sources of the kernels, as numba's own cache does."""
    digest = hashlib.sha256(numba.__version__.encode())
    for folder in ("geometry", "mechanics", "solvers"):
        for path in sorted((_CORE / folder).rglob("*.py")):
            if "resolving" in path.parts:  # has no kernels
                continue
            digest.update(f"{path.name} {path.stat().st_mtime_ns}".encode())
    return digest.hexdigest()


def is_prepared() -> bool:
    """Whether this installation has compiled its kernels."""
    try:
        return _stamp().read_text() == _fingerprint()
    except OSError:
        return False


def forget() -> None:
    """Remove compiled kernels: numba sees a change of a kernel's own file, but not of those that
    it calls."""
    for folder in ("geometry", "mechanics", "solvers"):
        for kind in ("*.nbi", "*.nbc"):
            for path in (_CORE / folder).rglob(f"__pycache__/{kind}"):
                path.unlink(missing_ok=True)


def prepare() -> None:
    """Compile every kernel by very short runs, and remember that."""
    if not is_prepared():
        forget()
    elements = [
        Gravity(name="gravity"),
        Body(name="bar", shapes=(Box(),)),
        Body(name="ball", shapes=(Sphere(),)),
        ContactRule(name="touch"),
        Frame(name="pivot"),
        Frame(name="eye", body="bar"),
        Joint(name="pin", frame_a="pivot", frame_b="eye"),
    ]
    for integrator in (AUTOMATIC, QUICK):
        settings = RunSettings(integrator=integrator)
        simulate(Model("Warm-up", elements, settings=settings), until=0.01)
    stamp = _stamp()
    stamp.parent.mkdir(exist_ok=True)
    stamp.write_text(_fingerprint())
