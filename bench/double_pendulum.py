"""Double pendulum in space: Impeto against hand-written minimal coordinates in NumPy with
solve_ivp, both at an error of 1e-9. Run: .venv/bin/python bench/double_pendulum.py"""

from __future__ import annotations

import time

import numpy as np
from scipy.integrate import solve_ivp

import impeto
from impeto.core.simulate import simulate

M, L, END, G = 2.0, 1.0, 10.0, 9.81
INERTIA = np.array([0.002, M / 12, M / 12])
SPIN = np.array([0.0, 0.0, 1.0])


def model():
    """Two bars on ball joints, the upper one along x, the lower one along y at first."""
    turned = (0.0, 0.0, float(np.pi / 2))
    inertia = tuple(map(float, INERTIA))
    return impeto.Model("pendulum", [
        impeto.Gravity(name="gravity", size=G),
        impeto.Body(name="a", mass=M, inertia=inertia, position=(L / 2, 0, 0),
                    angular_velocity=tuple(SPIN),
                    velocity=(0, L / 2, 0)),
        impeto.Body(name="b", mass=M, inertia=inertia, position=(L, L / 2, 0), orientation=turned,
                    velocity=(0, L, 0)),
        impeto.Frame(name="top"), impeto.Frame(name="a0", body="a", position=(-L / 2, 0, 0)),
        impeto.Frame(name="a1", body="a", position=(L / 2, 0, 0)),
        impeto.Frame(name="b0", body="b", position=(-L / 2, 0, 0)),
        impeto.Joint(name="j1", frame_a="top", frame_b="a0", free=impeto.PRESETS["spherical"]),
        impeto.Joint(name="j2", frame_a="a1", frame_b="b0", free=impeto.PRESETS["spherical"]),
    ], settings=impeto.RunSettings(outputs="20 Hz"))  # fmt: skip


def rotation(q):
    w, x, y, z = q / np.linalg.norm(q)
    return np.array([
        [1 - 2 * (y * y + z * z), 2 * (x * y - w * z), 2 * (x * z + w * y)],
        [2 * (x * y + w * z), 1 - 2 * (x * x + z * z), 2 * (y * z - w * x)],
        [2 * (x * z - w * y), 2 * (y * z + w * x), 1 - 2 * (x * x + y * y)],
    ])  # fmt: skip


def skew(v):
    return np.array([[0, -v[2], v[1]], [v[2], 0, -v[0]], [-v[1], v[0], 0]])


def turning(q, w):
    """Rate of a quaternion for a spin in the world."""
    s, v = q[0], q[1:]
    return 0.5 * np.concatenate([[-w @ v], s * w + np.cross(w, v)])


def by_hand(t, y):
    """y: quaternions of both bars, then their spins in the world (the minimal speeds)."""
    qa, qb, wa, wb = y[:4], y[4:8], y[8:11], y[11:14]
    Ra, Rb = rotation(qa), rotation(qb)
    ra, end, rb = Ra[:, 0] * L / 2, Ra[:, 0] * L, Rb[:, 0] * L / 2
    Ia, Ib = Ra @ (INERTIA[:, None] * Ra.T), Rb @ (INERTIA[:, None] * Rb.T)
    Ja = np.hstack([-skew(ra), np.zeros((3, 3))])
    Jb = np.hstack([-skew(end), -skew(rb)])
    mass = M * (Ja.T @ Ja + Jb.T @ Jb)
    mass[:3, :3] += Ia
    mass[3:, 3:] += Ib
    gravity = np.array([0, 0, -G])
    ca = np.cross(wa, np.cross(wa, ra))
    cb = np.cross(wa, np.cross(wa, end)) + np.cross(wb, np.cross(wb, rb))
    force = M * (Ja.T @ (gravity - ca) + Jb.T @ (gravity - cb))
    force[:3] -= np.cross(wa, Ia @ wa)
    force[3:] -= np.cross(wb, Ib @ wb)
    return np.concatenate([turning(qa, wa), turning(qb, wb), np.linalg.solve(mass, force)])


def hand_solution(rtol):
    start = np.concatenate([
        [1, 0, 0, 0], [np.sqrt(0.5), 0, 0, np.sqrt(0.5)], SPIN, np.zeros(3)])  # fmt: skip
    times = np.linspace(0, END, 201)
    began = time.perf_counter()
    found = solve_ivp(by_hand, (0, END), start, "DOP853", times, rtol=rtol, atol=rtol)
    wall = time.perf_counter() - began
    tip = np.array([rotation(q[:4])[:, 0] * L + rotation(q[4:8])[:, 0] * L / 2 for q in found.y.T])
    return tip, wall


def our_solution(tol):
    recording = simulate(model(), until=END, tol=tol)
    tip = np.stack([recording[f"b.position.{k}"] for k in "xyz"], axis=1)
    return tip, recording.statistics.wall_seconds


def fastest(solution, settings, exact, bound=1e-9):
    """Wall time of the loosest setting that stays within the bound, best of three."""
    for setting in settings:
        error = np.abs(solution(setting)[0] - exact).max()
        if error < bound:
            return setting, error, min(solution(setting)[1] for _ in range(3))
    raise SystemExit("no setting reaches the bound")


def main():
    our_solution(1e-6)  # load the kernels
    exact = our_solution(1e-13)[0]
    other = hand_solution(1e-13)[0]
    print(f"the two formulations agree to {np.abs(exact - other).max():.1e} m")
    steps = [10.0**-k for k in np.arange(7.0, 13.1, 0.5)]
    ours = fastest(our_solution, steps, exact)
    hand = fastest(hand_solution, steps, exact)
    for name, (setting, error, wall) in (("Impeto", ours), ("by hand", hand)):
        print(f"{name}: {1e3 * wall:.1f} ms at {setting:.0e}, error {error:.1e} m")
    print(f"ratio {hand[2] / ours[2]:.0f}")


if __name__ == "__main__":
    main()
