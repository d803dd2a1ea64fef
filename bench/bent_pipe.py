"""Links that hang in each other in the bend of a pipe, pulled slowly with 20 kN at one end and
held at the other. As with a rope on a drum, what the anchor holds lies between F e^(−μθ) and
F e^(μθ); chains of links also rub on each other and lie along two lines of the wall.

    python bench/bent_pipe.py quick 1ms 0.5ms
    python bench/bent_pipe.py automatic draft normal
"""

import sys
import time

import numpy as np

import impeto
from impeto.core.model.signals import Ramp

BEND, PITCH, COUNT, FRICTION, PULL = 0.6, 0.0641, 24, 0.2, 20e3
STRAIGHT = (COUNT * PITCH - np.pi / 2 * BEND) / 2


def bent(beyond):
    """The path of the bend with its straight ends, so far [m] beyond the chain."""
    start, end = -(STRAIGHT + BEND + beyond), BEND + STRAIGHT + beyond
    return f"{start} m, 0 m, 0 m; 0 m, 0 m, 0 m round {BEND} m; 0 m, {end} m, 0 m"


def bar(place, turn, length):
    return impeto.Capsule(position=place, orientation=turn, radius=0.008, length=length)


def chain(mode, step):
    along, across = ("0 deg", "90 deg", "0 deg"), ("90 deg", 0, 0)
    start = -(STRAIGHT + BEND) + PITCH / 2
    link = impeto.Body(name="link", position=(start, 0, 0), orientation=("45 deg", 0, 0), shapes=(
        bar((0, 0.022, 0), along, 0.08), bar((0, -0.022, 0), along, 0.08),
        bar((0.04, 0, 0), across, 0.044), bar((-0.04, 0, 0), across, 0.044),
    ))  # fmt: skip
    pipe = impeto.Swept(path=bent(0.1), bar_radius=0.06, inner_radius=0.045)
    rubs = {"stiffness": "20 kN/mm", "restitution": 0.1, "static_friction": FRICTION,
            "kinetic_friction": FRICTION}  # fmt: skip
    settings = impeto.RunSettings(until="0.4 s", integrator=mode, step=step, outputs="200 Hz")
    model = impeto.Model("Bend", [
        impeto.Gravity(name="gravity"), impeto.Body(name="ground", shapes=(pipe,)), link,
        impeto.Repeat(name="chain", bodies=("link",), along="a path", path=bent(0.0), count=COUNT,
                      spacing=PITCH, turn=("-90 deg", 0, 0), turning="to and fro"),
        impeto.Group(name="links", members=("link",)),
        impeto.ContactRule(name="each_other", first=("links",), second=("links",), **rubs),
        impeto.ContactRule(name="wall", first=("links",), second=("ground",), **rubs),
        impeto.Frame(name="eye", body=f"link_{COUNT}", position=(0.03, 0, 0)),
        impeto.Load(name="pull", frame="eye", direction=(0, 1, 0),
                    value=Ramp(start="0 N", end=f"{PULL} N", finish="0.3 s")),
    ], settings=settings)  # fmt: skip
    free = ("turn x", "turn y", "turn z")
    return impeto.joined(model, "anchor", "ground", "link_1", (start - 0.03, 0, 0), free=free)


def main(mode, *ways):
    low, high = (PULL / 1e3 * np.exp(s * FRICTION * np.pi / 2) for s in (-1, 1))
    print(f"a rope is in balance between {low:.2f} and {high:.2f} kN")
    for way in ways:
        quick = mode == "quick"
        began = time.perf_counter()
        model = chain(mode, way.replace("ms", " ms") if quick else "2 ms")
        r = impeto.simulate(model, tol=None if quick else way)
        held = np.linalg.norm(r.vector("anchor.force"), axis=1)[-10:].mean() / 1e3
        print(f"{mode}, {way}: {held:.3f} kN at {r.time[-1]:.3f} s, mark {r.trust.level}, "
              f"{time.perf_counter() - began:.0f} s {r.stopped}", flush=True)  # fmt: skip


if __name__ == "__main__":
    main(*(sys.argv[1:] or ("quick", "1ms", "0.5ms")))
