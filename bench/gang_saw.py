"""Gang saw: Impeto against a hand-written general script at equal error, both against the
hand-derived equation of the saw's one freedom. Run: .venv/bin/python bench/gang_saw.py"""

from __future__ import annotations

import time

import numpy as np
from hand_script import HandScript

from impeto.core.assembly.build import build_system
from impeto.core.assembly.resolve import resolve
from impeto.core.assembly.workspace import workspace_of
from impeto.core.forces.loads import LoadData
from impeto.core.model.functions import rise
from impeto.core.model.scope import Scope
from impeto.core.simulate import simulate
from impeto.core.solvers.initial_conditions import consistent_start
from impeto.services import model_file


def hand_derived_torque(model, t):
    """Torque at constant speed from the power balance of the planar slider-crank.

    The crank's pin is at r (sin θ, cos θ), θ = ω t from the top; the rod leans by φ with
    sin φ = r/l sin θ.
    """
    scope, m = Scope(model), resolve(model)
    body = {b.name: b for b in m.bodies}
    r, l = (scope.parameter(k).si for k in ("crank_radius", "rod_length"))
    w, peak = (scope.parameter(k).si for k in ("crank_speed", "cutting_force"))
    s, c = np.sin(w * t), np.cos(w * t)
    phi = np.arcsin(r / l * s)
    dphi = r * w * c / (l * np.cos(phi))
    ddphi = (-r * w * w * s + l * dphi**2 * np.sin(phi)) / (l * np.cos(phi))
    # Height of the frame and of the rod's centre (it leans back to the guide: x falls to zero).
    v = -r * w * s - l * np.sin(phi) * dphi
    a = -r * w * w * c - l * (np.cos(phi) * dphi**2 + np.sin(phi) * ddphi)
    rod = body["rod"]
    k = l / 2 + rod.center[2]  # from the lower pin to the rod's centre
    vx, ax = r * w * c - k * np.cos(phi) * dphi, -r * w * w * s
    ax = ax - k * (np.cos(phi) * ddphi - np.sin(phi) * dphi**2)
    vz = -r * w * s - k * np.sin(phi) * dphi
    az = -r * w * w * c - k * (np.cos(phi) * dphi**2 + np.sin(phi) * ddphi)
    g = -m.gravity[2]
    power = rod.mass * (ax * vx + (az + g) * vz) + rod.inertia[1, 1] * ddphi * dphi
    power = power + body["saw_frame"].mass * (a + g) * v
    for name in ("crank", "counterweight"):
        x, z = body[name].center[0], body[name].center[2]
        power = power + body[name].mass * g * (-w * (x * c + z * s))
    force = peak * rise(-v, 0.0, 3.0) * model_direction(m)
    return (power - force * v) / w


def model_direction(m):
    """Share of the cutting force that acts upwards."""
    return m.of(LoadData)[0].direction[2]


def main():
    model = model_file.load_demo("gang_saw")
    simulate(model, until=0.01)  # load the kernels
    began = time.perf_counter()
    whole = simulate(model)
    took = time.perf_counter() - began
    exact = hand_derived_torque(model, whole.time)
    error = np.abs(whole["crank_drive.torque"] - exact).max() / np.abs(exact).max()
    print(f"8 s at normal: {took:.2f} s of wall time, torque error {error:.1e}")
    fine = simulate(model, tol="fine")
    error = np.abs(fine["crank_drive.torque"] - exact).max() / np.abs(exact).max()
    print(f"8 s at fine: {fine.statistics.wall_seconds:.2f} s, torque error {error:.1e}")

    span, rate = 1.0, 500
    times = np.linspace(0, span, int(span * rate) + 1)
    exact = hand_derived_torque(model, times)
    peak = np.abs(exact).max()
    began = time.perf_counter()
    ours = simulate(model, until=span)
    our_time = time.perf_counter() - began
    our_error = np.abs(ours["crank_drive.torque"] - exact).max() / peak
    system = build_system(resolve(model))
    start = consistent_start(system, workspace_of(system)).state[: 13 * system.moving]
    scope = Scope(model)
    force, speed = scope.parameter("cutting_force").si, scope.parameter("crank_speed").si
    script = HandScript(system.mechanism, start, lambda v: force * rise(-v[2], 0.0, 3.0), speed)
    print(f"\nfirst {span:g} s    {'wall s':>10}{'torque error':>16}")
    print(f"{'Impeto':<15}{our_time:>10.3f}{our_error:>16.1e}")
    for rtol in (1e-6, 1e-8, 1e-10):
        began = time.perf_counter()
        torque = script.solve(times, rtol)
        taken = time.perf_counter() - began
        script_error = np.abs(torque - exact).max() / peak
        print(f"{f'script {rtol:g}':<15}{taken:>10.3f}{script_error:>16.1e}")
        if script_error <= our_error:
            break
    print(f"At equal error Impeto is {taken / our_time:.0f} times faster (or more).")


if __name__ == "__main__":
    main()
