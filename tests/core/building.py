"""Short ways to write small mechanisms in tests."""

import impeto
from impeto.core.simulate import simulate

G = 9.81
DOWN = impeto.Gravity(name="gravity", size=G)


def body(name, mass=1.0, inertia=(1.0, 1.0, 1.0), **rest):
    return impeto.Body(name=name, mass=mass, inertia=tuple(map(float, inertia)), **rest)


def frame(name, on="ground", x=0.0, y=0.0, z=0.0, **rest):
    return impeto.Frame(name=name, body=on, position=(x, y, z), **rest)


def joint(name, a, b, *free, **rest):
    return impeto.Joint(name=name, frame_a=a, frame_b=b, free=free, **rest)


def run(elements, until, tol="fine", rate=100.0, case=None, **settings):
    """Recording of a run that went to its end."""
    chosen = impeto.RunSettings(outputs=rate, **settings)
    recording = simulate(impeto.Model("m", elements, settings=chosen), case, until, tol)
    assert not recording.stopped, recording.stopped
    return recording
