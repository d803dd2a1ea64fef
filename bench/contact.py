"""Runs with contact: wall time of the forwarder, cost of an evaluation, a ball's restitution.

Run: .venv/bin/python bench/contact.py
"""

from __future__ import annotations

import time

import numpy as np
import trimesh

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


def heap(count, kinds):
    """Bodies dropped into a tray, quick mode with steps of 5 ms: times real time."""
    rng, side = np.random.default_rng(0), int(np.ceil(np.sqrt(count / 4)))
    walls = [impeto.HalfSpace()]
    for along, across in ((0, 1), (1, 0)):
        for place in (-0.2, 0.17 * side):
            position, size = [0.0, 0.0, 0.3], [0.1, 0.1, 0.6]
            position[along], position[across] = place, 0.085 * side
            size[across] = 0.17 * side + 1.0
            walls.append(impeto.Box(position=tuple(position), size=tuple(size)))
    bodies = []
    for k in range(count):
        s = 0.1 * rng.uniform(0.8, 1.2)
        shapes = (impeto.Box(size=(1.4 * s, s, 0.8 * s)), impeto.Sphere(radius=0.55 * s),
                  impeto.Capsule(radius=0.4 * s, length=0.8 * s),
                  impeto.Cylinder(radius=0.45 * s, length=s))  # fmt: skip
        place = 0.17 * (k % side), 0.17 * (k // side % side), 0.1 + 0.17 * (k // side**2)
        bodies.append(impeto.Body(name=f"part_{k}", position=place, shapes=(shapes[k % kinds],),
                                  orientation=tuple(rng.uniform(-0.5, 0.5, 3))))  # fmt: skip
    rule = impeto.ContactRule(name="touch", stiffness="10 kN/mm", restitution=0.3,
                              static_friction=0.4, kinetic_friction=0.4)  # fmt: skip
    tray = impeto.Body(name="ground", shapes=tuple(walls))
    settings = impeto.RunSettings(integrator="quick", step="5 ms", outputs="50 Hz")
    model = impeto.Model("heap", [tray, impeto.Gravity(name="g"), *bodies, rule],
                         settings=settings)  # fmt: skip
    simulate(model, until=0.02)
    r = simulate(model, until=3.0)
    return 3.0 / r.statistics.wall_seconds, r["touch.depth"].max()


def rings():
    """Two linked rings of triangles, the upper one turned: ripple of the force between them."""
    made = trimesh.creation.torus(0.05, 0.012, major_sections=192, minor_sections=64)
    surface = impeto.Triangles(np.asarray(made.vertices), np.asarray(made.faces, dtype=np.int64))
    ring = (impeto.Mesh(file="ring", unit="m"),)
    model = impeto.Model("rings", [
        impeto.Gravity(name="g"),
        impeto.Body(name="upper", orientation=("90 deg", 0, 0), shapes=ring),
        impeto.Body(name="lower", position=(0, 0, -0.0759), orientation=(0, "90 deg", 0),
                    shapes=ring),
        impeto.Frame(name="hub"),
        impeto.Frame(name="own", body="upper", orientation=("-90 deg", 0, 0)),
        impeto.Joint(name="axle", frame_a="hub", frame_b="own", free=("turn y",)),
        impeto.Drive(name="turn", joint="axle", freedom="turn y", prescribes="speed",
                     value="0.5 rad/s * rise(t, 0 s, 0.3 s)"),
        impeto.ContactRule(name="touch", stiffness="1 kN/mm", restitution=0.2,
                           static_friction=0.1, kinetic_friction=0.1),
    ], geometry={"ring": surface})  # fmt: skip
    r = simulate(model, until=3.0)
    force = r["touch.normal"][r.time > 1.5]
    each = 1e6 * r.statistics.wall_seconds / r.statistics.evaluations
    ripple, peaks = 100 * force.std() / force.mean(), 100 * np.ptp(force) / force.mean()
    print(f"linked rings: ripple {ripple:.2f} % rms, {peaks:.2f} % peak to peak, "
          f"{each:.0f} µs per evaluation")  # fmt: skip


def copies(number):
    """Balls that fall into an outlet one by one, ten at a time in the air: µs per evaluation."""
    model = impeto.Model("flow", [
        impeto.Gravity(name="g"),
        impeto.Body(name="ground", shapes=(impeto.HalfSpace(position=(0, 0, -3)),)),
        impeto.Body(name="ball", shapes=(impeto.Sphere(),)),
        impeto.ContactRule(name="touch", first=("ball",), second=("ground",)),
        impeto.Feeder(name="feed", body="ball", interval="64 ms", number=number),
        impeto.Frame(name="bin_at", position=(0, 0, "-2.5 m")),
        impeto.Outlet(name="bin", frame="bin_at"),
    ], settings=impeto.RunSettings(outputs=20))  # fmt: skip
    simulate(model, until=0.1)
    r = simulate(model, until=2.5)
    return 1e6 * r.statistics.wall_seconds / r.statistics.evaluations


def sorter():
    model = model_file.load_demo("log_sorter")
    for case in model.cases:
        r = simulate(model, case)
        print(f"log sorter, {case}: 12 s in {r.statistics.wall_seconds:.1f} s, "
              f"{r['thick_stack.count'][-1]:.0f} and {r['thin_stack.count'][-1]:.0f} taken, "
              f"{r.stopped or 'done'}")  # fmt: skip


def teeth():
    model = model_file.load_demo("winch_gears")
    for case in model.cases:
        r = simulate(model, case)
        steady = r.time > 0.5
        ratio = r["wheel_axle.turn_z.speed"][steady].mean() / -r["motor.speed"][steady].mean()
        print(f"winch gears, {case}: 0.8 s in {r.statistics.wall_seconds:.1f} s, ratio off by "
              f"{abs(ratio * 43 / 17 - 1):.1e}, {r.stopped or 'done'}")  # fmt: skip


def main():
    rings()
    teeth()
    for count, kinds in ((50, 4), (100, 4), (100, 1), (500, 4)):
        ratio, depth = heap(count, kinds)
        name = "mixed" if kinds > 1 else "boxes"
        print(f"heap of {count} {name}: {ratio:.2f} times real time, {1e3 * depth:.1f} mm deep")
    chain = model_file.load_demo("drag_chain")
    simulate(chain, until=0.02)
    print(f"drag chain, quick: 3 s in {simulate(chain).statistics.wall_seconds:.1f} s")
    for tol in (1e-4, "draft"):
        s = simulate(chain, "Normal, accurate", until=3.0, tol=tol).statistics
        print(
            f"drag chain, accurate, {tol}: 3 s in {s.wall_seconds:.1f} s, {s.accepted} steps, "
            f"{s.rejected} rejected, {1e6 * s.wall_seconds / s.evaluations:.0f} µs per evaluation"
        )
    sorter()
    few, many = copies(40), copies(400)
    print(f"40 and 400 copies to come: {few:.0f} and {many:.0f} µs per evaluation")
    restitution()
    few, many = spread(100), spread(1000)
    print(f"balls apart: {few:.2f} µs per evaluation and body for 100, {many:.2f} for 1000, "
          f"ratio {many / few:.2f}")  # fmt: skip
    forwarder()


if __name__ == "__main__":
    main()
