"""Runs with contact: wall time of the forwarder, cost of an evaluation, a ball's restitution.

Run: .venv/bin/python bench/contact.py
"""

from __future__ import annotations

import time

import numpy as np

import impeto
from impeto.core.simulate import simulate
from impeto.services import model_file


def forwarder():
    model = model_file.load_demo("log_forwarder")
    simulate(model, until=0.01)
    for case in model.cases:
        began = time.perf_counter()
        r = simulate(model, case)
        spent, s = time.perf_counter() - began, r.statistics
        print(
            f"log forwarder, {case}: 6 s in {spent:.1f} s, {s.accepted} steps, "
            f"{s.rejected} rejected, {1e6 * spent / s.evaluations:.0f} µs per evaluation, "
            f"peak {np.abs(r['trailer.acceleration.z']).max():.2f} m/s², {r.stopped or 'done'}"
        )


def restitution():
    worst = 0.0
    for e in np.arange(0.05, 1.0, 0.05):
        model = impeto.Model("drop", [
            impeto.Body(name="ground", shapes=(impeto.HalfSpace(),)),
            impeto.Body(name="ball", position=(0, 0, 0.06), velocity=(0, 0, -1),
                        shapes=(impeto.Sphere(),)),
            impeto.ContactRule(name="touch", stiffness="1 kN/mm", restitution=float(e)),
        ])  # fmt: skip
        reached = simulate(model, until=0.3)["ball.velocity.z"][-1]
        worst = max(worst, abs(reached / e - 1.0))
    print(f"restitution from 0.05 to 0.95: worst relative error {worst:.1e}")


def spread(count):
    """Balls that lie far apart on a floor; µs per evaluation and body."""
    rows = int(np.sqrt(count))
    balls = [
        impeto.Body(name=f"ball_{k}", position=(0.3 * (k % rows), 0.3 * (k // rows), 0.05),
                    shapes=(impeto.Sphere(),))
        for k in range(count)
    ]  # fmt: skip
    model = impeto.Model("field", [
        impeto.Body(name="ground", shapes=(impeto.HalfSpace(),)), impeto.Gravity(name="g"), *balls,
        impeto.ContactRule(name="touch", stiffness="1 kN/mm"),
    ], settings=impeto.RunSettings(outputs=50))  # fmt: skip
    simulate(model, until=0.02)
    began = time.perf_counter()
    r = simulate(model, until=0.1)
    return 1e6 * (time.perf_counter() - began) / r.statistics.evaluations / count


def main():
    restitution()
    few, many = spread(100), spread(1000)
    print(f"balls apart: {few:.2f} µs per evaluation and body for 100, {many:.2f} for 1000, "
          f"ratio {many / few:.2f}")  # fmt: skip
    forwarder()


if __name__ == "__main__":
    main()
