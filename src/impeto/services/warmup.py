"""Compiling the kernels ahead of time, and knowing whether that has been done."""

from __future__ import annotations

import compileall
import contextlib
import hashlib
import re
from importlib.metadata import version
from pathlib import Path

import impeto.core
from impeto.core.elements import Body, Box, ContactRule, Frame, Gravity, Joint, Sphere
from impeto.core.geometry.compiled import can_be_kept
from impeto.core.model.model import Model
from impeto.core.model.run_settings import AUTOMATIC, QUICK, RunSettings
from impeto.services.caches import cache_folder

_CORE = Path(impeto.core.__file__).parent
_KERNELS = ("from impeto.core.dynamics.kernel import", "from impeto.core.geometry.compiled import")
_IMPORTED = re.compile(r"^from impeto\.core\.([\w.]+) import", re.MULTILINE)


def _stamps() -> list[Path]:
    """Where it is noted that the kernels are compiled: beside them, or among the user's caches
    where the installation cannot be written (numba keeps its own there then, too)."""
    place = hashlib.sha256(str(_CORE).encode()).hexdigest()[:16]
    return [_CORE / "dynamics" / "__pycache__" / "prepared", cache_folder() / place]


def _fingerprint() -> str:
    """Changes with the sources of the kernels and of what they take their constants from, as
    numba's own cache does."""
    digest = hashlib.sha256(version("numba").encode())
    sources = {path: path.read_text(encoding="utf-8") for path in sorted(_CORE.rglob("*.py"))}
    kernels = [text for text in sources.values() if _has_kernels(text)]
    used = {name for text in kernels for name in _IMPORTED.findall(text)}
    for path, text in sources.items():
        if _has_kernels(text) or ".".join(path.relative_to(_CORE).with_suffix("").parts) in used:
            digest.update(f"{path.name} {text}".encode())
    return digest.hexdigest()


def _has_kernels(text: str) -> bool:
    return any(line in text for line in _KERNELS)


def is_prepared() -> bool:
    """Whether this installation has compiled its kernels."""
    wanted = _fingerprint()
    for stamp in _stamps():
        with contextlib.suppress(OSError):
            if stamp.read_text() == wanted:
                return True
    return False


def forget() -> None:
    """Remove compiled kernels: numba sees a change of a kernel's own file, but not of those that
    it calls."""
    for kind in ("*.nbi", "*.nbc"):
        for path in _CORE.rglob(f"__pycache__/{kind}"):
            with contextlib.suppress(OSError):  # not ours to remove
                path.unlink(missing_ok=True)


def compile_modules() -> None:
    """As an installation has them: a checkout without starts a second later. Does nothing where
    that has been done, or nothing may be written."""
    compileall.compile_dir(_CORE.parent, quiet=2)


def prepare() -> bool:
    """Compile every kernel by very short runs, and remember that; returns whether it could be
    remembered."""
    from impeto.core.check import check

    if not is_prepared():
        forget()
    model = run_all_kinds()
    check(model)
    for stamp in _stamps() if can_be_kept() else []:
        with contextlib.suppress(OSError):
            stamp.parent.mkdir(parents=True, exist_ok=True)
            stamp.write_text(_fingerprint())
            return True
    return False


def run_all_kinds() -> Model:
    """Very short runs that compile the kernels, or read them where they are compiled."""
    from impeto.core.simulate import simulate

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
        model = Model("Warm-up", elements, settings=settings)
        simulate(model, until=0.01)
    return model
