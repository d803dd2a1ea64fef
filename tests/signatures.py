"""Runs small models with the kernels not compiled, and holds what they get against their
signatures: `python -m tests.signatures`. Prints what does not fit; ends with 1 if anything does
not."""

import functools
import inspect
import os
import sys
import types
import typing

import numpy as np

CALLS = 25  # of each kernel that are looked at
wrong, seen = {}, {}


def fits(value, wanted):
    """Whether a value is what an annotation says."""
    origin, parts = typing.get_origin(wanted), typing.get_args(wanted)
    if origin in (typing.Union, types.UnionType):
        return any(fits(value, part) for part in parts)
    if origin is typing.Annotated:
        shape = parts[1]
        if not fits(value, parts[0]):
            return False
        return value.ndim == shape if isinstance(shape, int) else value.shape == shape
    if origin is tuple:
        return (isinstance(value, tuple) and len(value) == len(parts)
                and all(map(fits, value, parts)))  # fmt: skip
    if origin is np.ndarray:
        (scalar,) = typing.get_args(parts[1])
        return isinstance(value, np.ndarray) and np.issubdtype(value.dtype, scalar)
    if wanted is float:
        return isinstance(value, (float, int, np.floating, np.integer))
    if wanted is int:
        return isinstance(value, (int, np.integer, np.bool_))
    if wanted is bool:
        return isinstance(value, (bool, np.bool_, int, np.integer))
    return isinstance(value, type(None) if wanted is None else wanted)


def checked(function):
    """A kernel that looks at its first calls."""
    names = list(inspect.signature(function).parameters)
    key = f"{function.__module__}.{function.__name__}"
    seen[key] = 0

    @functools.wraps(function)
    def call(*values):
        result = function(*values)
        if seen[key] < CALLS:
            seen[key] += 1
            hints = typing.get_type_hints(function, include_extras=True)
            given = dict(zip(names, values, strict=True)) | {"return": result}
            for name, value in given.items():
                if not fits(value, hints[name]):
                    got = getattr(value, "shape", type(value).__name__)
                    wrong[key, name] = f"{key}: {name} is {got}, not {hints[name]}"
        return result

    return call


def decorator(*functions, **_options):
    return checked(functions[0]) if functions else checked


def models():
    """Joints, line forces, a servo and friction; shapes that fall, roll and slide."""
    import impeto as im

    block = im.Body(name="block", position=(0.5, 0, 0), shapes=[im.Box(size=(0.4, 0.1, 0.1))])
    dry = im.Friction(freedom="turn y", kinetic=0.2, pin_radius=0.02)
    stop = im.Stops(freedom="turn y", upper="5 deg", stiffness="10 kN*m/rad")
    pin = im.Joint(name="pin", frame_a="hook", frame_b="eye", free=["turn y"],
                   behaviours=[dry, stop])  # fmt: skip
    ends = {"frame_a": "hook", "frame_b": "tip"}
    yield im.Model("arm", [
        im.Gravity(name="gravity"), block, pin, im.Frame(name="hook"),
        im.Frame(name="eye", body="block", position=(-0.5, 0, 0)),
        im.Frame(name="tip", body="block", position=(0.1, 0, 0.1)),
        im.Spring(name="spring", stiffness=100.0, damping=2.0, **ends),
        im.Rope(name="rope", slack_length=0.5, stiffness=1e3, **ends),
        im.Bushing(name="mount", frame_a="hook", frame_b="eye", stiffness=(10.0,) * 3),
        im.Load(name="wind", frame="tip", direction=(1, 0, 0), value="3 N * sin(20 rad/s * t)"),
        im.Servo(name="servo", joint="pin", freedom="turn y", reference=0.05, proportional=50.0),
    ])  # fmt: skip
    shapes = [
        im.Sphere(radius=0.05),
        im.Box(size=(0.1, 0.1, 0.1)),
        im.Cylinder(radius=0.05, length=0.1),
        im.Cone(),
        im.Capsule(radius=0.03, length=0.1),
    ]
    falling = [
        im.Body(name=f"b{k}", position=(0.02 * k, 0, 0.06 + 0.11 * k), shapes=[shape])
        for k, shape in enumerate(shapes)
    ]
    for mode in ("automatic", "quick"):
        yield im.Model("heap", [
            im.Gravity(name="gravity"), *falling, im.ContactRule(name="touch"),
            im.Body(name="ground", shapes=[im.HalfSpace()]),
        ], settings=im.RunSettings(integrator=mode, step="2 ms", accuracy="draft"))  # fmt: skip


def main():
    os.environ["NUMBA_DISABLE_JIT"] = "1"  # before numba is imported
    import numba

    numba.njit = decorator
    import impeto as im
    from impeto.core.geometry.compiled import Kernel

    for model in models():
        im.simulate(model, until=0.02)
    for line in wrong.values():
        print(line)
    modules = [module for name, module in sys.modules.items() if name.startswith("impeto.")]
    kernels = {id(v) for module in modules for v in vars(module).values() if isinstance(v, Kernel)}
    print(f"{len(seen)} of {len(kernels)} kernels were entered; {len(wrong)} values do not fit.")
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main())
