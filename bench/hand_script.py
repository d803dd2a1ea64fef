"""What an analyst would write by hand: absolute coordinates, multipliers, NumPy, solve_ivp.

General in bodies and joints, without tricks: quaternions, constraint rows joint by joint, the
multiplier system solved by least squares (the saw is redundant), drift held by stabilisation.
"""

from __future__ import annotations

import numpy as np
from scipy.integrate import solve_ivp

from impeto.core.drives.data import DriveData
from impeto.core.forces.loads import LoadData

STABILISATION = 20.0  # 1/s


def rotation(q):
    w, x, y, z = q / np.linalg.norm(q)
    return np.array(
        [
            [1 - 2 * (y * y + z * z), 2 * (x * y - w * z), 2 * (x * z + w * y)],
            [2 * (x * y + w * z), 1 - 2 * (x * x + z * z), 2 * (y * z - w * x)],
            [2 * (x * z - w * y), 2 * (y * z + w * x), 1 - 2 * (x * x + y * y)],
        ]
    )


class HandScript:
    """One mechanism with a motor of constant speed on one turn and one load by a function."""

    def __init__(self, mechanism, start, load, speed):
        self.m, self.start, self.load, self.speed = mechanism, start, load, speed
        self.n = len(mechanism.bodies) - 1

    def bodies(self, y):
        n = self.n
        out = [(np.zeros(3), np.eye(3), np.zeros(3), np.zeros(3))]
        for b in range(n):
            R = rotation(y[7 * b + 3 : 7 * b + 7])
            u = y[7 * n + 6 * b : 7 * n + 6 * b + 6]
            out.append((y[7 * b : 7 * b + 3], R, u[:3], R @ u[3:]))
        return out

    def rows(self, t, states):
        """Jacobian (world), right-hand sides, and which row is the motor's."""
        J, gamma = [], []
        motor = None
        for joint in self.m.joints:
            fa, fb = self.m.frames[joint.frame_a], self.m.frames[joint.frame_b]
            a, b = fa.body, fb.body
            (xa, Ra, va, wa), (xb, Rb, vb, wb) = states[a], states[b]
            sa = Ra @ (fa.position - self.m.bodies[a].center)
            sb = Rb @ (fb.position - self.m.bodies[b].center)
            A, B = Ra @ fa.rotation, Rb @ fb.rotation
            d = xb + sb - xa - sa
            dd = vb + np.cross(wb, sb) - va - np.cross(wa, sa)
            for i in range(3):
                if joint.free[i]:
                    continue
                e = A[:, i]
                de = np.cross(wa, e)
                row = (-e, -np.cross(sa + d, e), e, np.cross(sb, e))
                bias = np.cross(wa, de) @ d + 2 * de @ dd
                bias += e @ np.cross(wb, np.cross(wb, sb)) - e @ np.cross(wa, np.cross(wa, sa))
                self.add(J, gamma, a, b, row, bias, e @ d, states)
            free = [k for k in range(3) if joint.free[3 + k]]
            pairs = {0: [(1, 2), (0, 2), (0, 1)], 3: []}.get(len(free))
            if len(free) == 1:
                k = free[0]
                pairs = [((k + 1) % 3, k), ((k + 2) % 3, k)]
            for i, j in pairs:
                u, w = A[:, i], B[:, j]
                c = np.cross(u, w)
                du, dw = np.cross(wa, u), np.cross(wb, w)
                bias = np.cross(wa, du) @ w + u @ np.cross(wb, dw) + 2 * du @ dw
                row = (np.zeros(3), c, np.zeros(3), -c)
                self.add(J, gamma, a, b, row, bias, u @ w, states)
            for drive in self.m.of(DriveData):
                if self.m.joints[drive.joint] is joint:
                    axis = A[:, drive.freedom - 3]
                    row = (np.zeros(3), -axis, np.zeros(3), axis)
                    motor = len(J)
                    self.add(J, gamma, a, b, row, 0.0, 0.0, states)
                    angle = np.arctan2(B[:, 2] @ A[:, 0], B[:, 0] @ A[:, 0])
                    error = (angle - self.speed * t + np.pi) % (2 * np.pi) - np.pi
                    gamma[-1] += 2 * STABILISATION * self.speed - STABILISATION**2 * error
        return np.array(J), np.array(gamma), motor

    def add(self, J, gamma, a, b, row, bias, value, states):
        full = np.zeros(6 * self.n)
        rate = 0.0
        for body, (f, g) in ((a, row[:2]), (b, row[2:])):
            rate += f @ states[body][2] + g @ states[body][3]
            if body:
                full[6 * body - 6 : 6 * body - 3] += f
                full[6 * body - 3 : 6 * body] += g
        J.append(full)
        gamma.append(-bias - 2 * STABILISATION * rate - STABILISATION**2 * value)

    def accelerations(self, t, y):
        states = self.bodies(y)
        n6 = 6 * self.n
        M, f = np.zeros((n6, n6)), np.zeros(n6)
        for b in range(1, self.n + 1):
            body, (_, R, _, w) = self.m.bodies[b], states[b]
            inertia = R @ body.inertia @ R.T
            k = 6 * b - 6
            M[k : k + 3, k : k + 3] = body.mass * np.eye(3)
            M[k + 3 : k + 6, k + 3 : k + 6] = inertia
            f[k : k + 3] = body.mass * self.m.gravity
            f[k + 3 : k + 6] = -np.cross(w, inertia @ w)
        for load in self.m.of(LoadData):
            frame = self.m.frames[load.frame]
            _, R, v, w = states[frame.body]
            body = self.m.bodies[frame.body]
            arm = R @ (frame.position - body.center)
            origin = v + np.cross(w, R @ -body.center)
            force = load.direction * self.load(origin)
            k = 6 * frame.body - 6
            f[k : k + 3] += force
            f[k + 3 : k + 6] += np.cross(arm, force)
        J, gamma, motor = self.rows(t, states)
        inverse = np.linalg.inv(M)
        S = J @ inverse @ J.T
        multipliers = np.linalg.lstsq(S, gamma - J @ inverse @ f, rcond=1e-10)[0]
        return inverse @ (f + J.T @ multipliers), multipliers[motor], states

    def rate(self, t, y):
        a, _, states = self.accelerations(t, y)
        n = self.n
        dy = np.zeros_like(y)
        for b in range(n):
            w, x, yy, z = y[7 * b + 3 : 7 * b + 7]
            R, spin = states[b + 1][1], states[b + 1][3]
            p, q, r = R.T @ spin
            dy[7 * b : 7 * b + 3] = states[b + 1][2]
            dy[7 * b + 3 : 7 * b + 7] = 0.5 * np.array(
                [-x * p - yy * q - z * r, w * p + yy * r - z * q, w * q + z * p - x * r,
                 w * r + x * q - yy * p]
            )  # fmt: skip
            dy[7 * n + 6 * b : 7 * n + 6 * b + 3] = a[6 * b : 6 * b + 3]
            dy[7 * n + 6 * b + 3 : 7 * n + 6 * b + 6] = R.T @ a[6 * b + 3 : 6 * b + 6]
        return dy

    def solve(self, times, rtol):
        """Torque of the motor at the times."""
        solution = solve_ivp(
            self.rate, (0, times[-1]), self.start, "DOP853", t_eval=times, rtol=rtol, atol=rtol
        )
        return np.array(
            [self.accelerations(t, y)[1] for t, y in zip(times, solution.y.T, strict=True)]
        )
