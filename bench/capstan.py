"""What friction decides: links over a quarter of a drum, pulled with 20 kN, and what is left of
that at their anchor. Anything between F e^(−μθ) and F e^(μθ) is in balance; which of it comes about
hangs on how the load came. For both modes, by accuracies and steps, for a slow and a sudden pull.

    python bench/capstan.py
"""

import time

import numpy as np

import impeto
from impeto.core.model.signals import Ramp

DRUM, LINK, FRICTION, PULL = 0.5, 0.03, 0.2, 20e3


def links(count, sudden, **settings):
    """Balls on pins over a drum along y: the first held, the last pulled down beside it."""
    over = DRUM + LINK
    angles = np.linspace(0.0, np.pi / 2, count)
    places = [(over * float(np.sin(a)), 0.0, over * float(np.cos(a))) for a in angles]
    drum = impeto.Cylinder(radius=DRUM, length=0.4, orientation=("90 deg", 0, 0))
    value = PULL if sudden else Ramp(start="0 N", end=f"{PULL} N", finish="0.2 s")
    model = impeto.Model("Capstan", [
        impeto.Gravity(name="gravity"), impeto.Body(name="ground", shapes=[drum]),
        *(impeto.Body(name=f"link_{k}", position=place, shapes=[impeto.Sphere(radius=LINK)])
          for k, place in enumerate(places)),
        impeto.Frame(name="hook", body=f"link_{count - 1}"),
        impeto.Load(name="pull", frame="hook", direction=(0, 0, -1), value=value),
        impeto.Group(name="links", members=["link_*"]),
        impeto.ContactRule(
            name="rubs", first=["links"], second=["ground"], stiffness="100 kN/mm", restitution=0,
            static_friction=FRICTION, kinetic_friction=FRICTION, rolling_resistance=0,
        ),
    ], settings=impeto.RunSettings(until="0.4 s", outputs="100 Hz", **settings))  # fmt: skip
    model = impeto.joined(model, "anchor", "ground", "link_0", (-0.2, 0, over), z=(0, 1, 0))
    for k in range(count - 1):
        between = tuple(map(float, (np.array(places[k]) + np.array(places[k + 1])) / 2))
        model = impeto.joined(model, f"pin_{k}", f"link_{k}", f"link_{k + 1}", between, z=(0, 1, 0))
    return model


def main():
    low, high = (PULL / 1e3 * np.exp(s * FRICTION * np.pi / 2) for s in (-1, 1))
    print(f"in balance: {low:.2f} to {high:.2f} kN")
    ways = [("automatic", "draft", "4 ms"), ("automatic", "normal", "4 ms")]
    ways += [("quick", None, step) for step in ("2 ms", "1 ms", "0.25 ms")]
    for sudden in (False, True):
        for mode, accuracy, step in ways:
            began = time.perf_counter()
            r = impeto.simulate(links(12, sudden, integrator=mode, step=step), tol=accuracy)
            print(
                f"{'sudden' if sudden else 'slow'}, {mode}, {accuracy or step}: "
                f"{r['anchor.force'][-1] / 1e3:.3f} kN, {time.perf_counter() - began:.1f} s "
                f"{r.stopped}"
            )


if __name__ == "__main__":
    main()
