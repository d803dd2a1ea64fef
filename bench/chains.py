"""Chains of revolute links: cost of an evaluation per link, and speed against real time.

Run: .venv/bin/python bench/chains.py
"""

from __future__ import annotations

import time

import numpy as np

import impeto
from impeto.core.assembly.build import build_system
from impeto.core.assembly.equations import derivative
from impeto.core.assembly.resolve import resolve
from impeto.core.assembly.workspace import workspace_of
from impeto.core.simulate import simulate

LENGTH = 0.1


def chain(links):
    """A chain that starts stretched out and level, turning about y."""
    elements = [impeto.Gravity(name="gravity"), impeto.Frame(name="a0")]
    for k in range(1, links + 1):
        elements += [
            impeto.Body(name=f"b{k}", position=(LENGTH * (k - 0.5), 0, 0), mass=0.5,
                        inertia=(1e-4, 5e-4, 5e-4)),
            impeto.Frame(name=f"c{k}", body=f"b{k}", position=(-LENGTH / 2, 0, 0)),
            impeto.Frame(name=f"a{k}", body=f"b{k}", position=(LENGTH / 2, 0, 0)),
            impeto.Joint(name=f"j{k}", frame_a=f"a{k - 1}", frame_b=f"c{k}", free=("turn y",),
                         behaviours=(impeto.Behaviour(freedom="turn y", damping=1e-3),)),
        ]  # fmt: skip
    settings = impeto.RunSettings(outputs="100 Hz")
    return impeto.Model("chain", elements, settings=settings)


def evaluation(links, repeat=5):
    """Best seconds per evaluation of the equations."""
    system = build_system(resolve(chain(links)))
    S, y = workspace_of(system), system.start.copy()
    rate = np.zeros_like(y)
    derivative(system.tables, S, 0.0, y, rate)
    count = max(3, 20000 // links)
    best = np.inf
    for _ in range(repeat):
        began = time.perf_counter()
        for _ in range(count):
            derivative(system.tables, S, 0.0, y, rate)
        best = min(best, (time.perf_counter() - began) / count)
    return best, int(system.tables.factor_column[-1])


def main():
    print("links   µs per evaluation   µs per link   entries of L per link")
    costs = {}
    for links in (10, 30, 100, 300, 1000):
        seconds, entries = evaluation(links)
        costs[links] = seconds / links
        each = 1e6 * costs[links]
        print(f"{links:5d}{1e6 * seconds:15.1f}{each:17.2f}{entries / links:18.1f}")
    print(f"from 30 to 1000 links the cost per link changes by {costs[1000] / costs[30]:.2f}")
    for links, until in ((10, 2.0), (30, 2.0), (100, 1.0)):
        recording = simulate(chain(links), until=until, tol="normal")
        s = recording.statistics
        print(
            f"{links} links: {until / s.wall_seconds:.2f} times real time at normal, "
            f"{s.accepted} steps, {s.integrator} {recording.stopped}"
        )


if __name__ == "__main__":
    main()
