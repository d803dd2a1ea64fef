"""Problems with trusted solutions, each with what our error is: for a test, and for
docs/verification.md. Errors are relative to the peak of the reference, the worst of all outputs."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from scipy.special import ellipj

import impeto
from impeto.core.results.system import energy_error
from impeto.core.simulate import simulate
from tests.core.building import G, body, frame, joint, run
from tests.reference_problems import model_of, problem, solved, vector, worst


@dataclass(frozen=True)
class Problem:
    title: str
    source: str
    accuracy: str
    bound: float
    solve: Callable  # () -> (error, wall seconds or None)
    slow: bool = False  # takes longer than ten seconds


def _reference(file, case, tol, outputs):
    """Worst error of outputs, given as name in the file -> function of the recording."""

    def held(at):
        """Worst error at an accuracy, and the recording."""
        r, ref, data = solved(file, case, at)
        errors = []
        for name, ours in outputs.items():
            values, exact = ours(r, data), ref[name]
            keep = np.abs(r.time - 0.2) > 1e-9 if file.startswith("15") else slice(None)
            errors.append(worst(values[keep], exact[keep]))
        return max(errors), r

    def solve():
        error, r = held(tol)
        return error, r.statistics.wall_seconds

    solve.held, solve.place = held, (file, case)
    return solve


def _channel(name):
    return lambda r, data: r[name]


def _vector(name):
    return lambda r, data: vector(r, name)


def _plus_offset(name):
    return lambda r, data: r[name] + data["outputs"][0]["offset"]


def _modes(case):
    def solve():
        data = problem("20-linear-modes", case)
        modes = impeto.linear_view(model_of(data)).modes
        ours = [mode.eigenvalue for mode in modes if mode.frequency > 0]
        exact = [complex(*mode["eigenvalue"]) for mode in data["reference"]["modes"]]
        ours += sorted(m.eigenvalue.real for m in modes if m.frequency == 0)
        exact += sorted(data["reference"].get("real_eigenvalues", []))
        return max(abs(a / b - 1) for a, b in zip(ours, exact, strict=True)), None

    return solve


def squeezer():
    """Seven-body squeezing mechanism (Schiehlen 1990; data and values at 0.03 s as in Hairer and
    Wanner 1996): angles of the seven bodies."""
    angle = np.array([
        -0.0617138900142764496, 0.0, 0.455279819163070380, 0.222668390165885885,
        0.487364979543842550, -0.222668390165885885, 1.23054744454982119])  # fmt: skip
    final = np.array([
        15.81077119629904, -15.75637105984298, 0.04082224013073101, -0.5347301163226948,
        0.5244099658805304, 0.5347301163226948, 1.048080741042263])  # fmt: skip
    mass = (0.04325, 0.00365, 0.02373, 0.00706, 0.07050, 0.00706, 0.05498)
    inertia = (2.194e-6, 4.410e-7, 5.255e-6, 5.667e-7, 1.169e-5, 5.667e-7, 1.912e-5)
    A, B, C = np.array([-0.06934, -0.00227]), np.array([-0.03635, 0.03273]), (0.014, 0.072)
    b, th, g, ph, de, om, ep = angle

    def along(a):
        return np.array([np.cos(a), np.sin(a)])

    def across(a):
        return np.array([np.sin(a), -np.cos(a)])

    P = 0.007 * along(b)
    E = P - 0.028 * along(b + th)
    corner5, corner7 = A + 0.04 * along(de), A + 0.04 * across(ep)
    centers = [
        0.00092 * along(b), P - 0.0115 * along(b + th),
        B + 0.01874 * across(g) + 0.01043 * along(g),
        corner5 + (0.02 - 0.01421) * across(ph + de),
        A + 0.02308 * along(de) - 0.00916 * across(de),
        corner7 + (0.02 - 0.01421) * along(om + ep),
        A + 0.01228 * across(ep) - 0.00449 * along(ep),
    ]  # fmt: skip
    elements = [
        body(f"k{i}", m, (j, j, j), position=(*map(float, c), 0.0))
        for i, (m, j, c) in enumerate(zip(mass, inertia, centers, strict=True), start=1)
    ]

    def pin(name, first, second, at):
        for side, owner in (("a", first), ("b", second)):
            local = at if owner == 0 else at - centers[owner - 1]
            on = "ground" if owner == 0 else f"k{owner}"
            elements.append(frame(f"{name}_{side}", on, float(local[0]), float(local[1])))
        elements.append(joint(name, f"{name}_a", f"{name}_b", "turn z"))

    pin("o", 0, 1, np.zeros(2))
    pin("p", 1, 2, P)
    pin("e3", 2, 3, E)
    pin("e4", 2, 4, E)
    pin("e6", 2, 6, E)
    pin("b", 0, 3, B)
    pin("a5", 0, 5, A)
    pin("a7", 0, 7, A)
    pin("c5", 4, 5, corner5)
    pin("c7", 6, 7, corner7)
    D = B + 0.02 * along(g) + 0.018 * across(g)
    local = D - centers[2]
    elements += [
        frame("anchor", x=C[0], y=C[1]), frame("hook", "k3", float(local[0]), float(local[1])),
        impeto.Spring(name="spring", frame_a="anchor", frame_b="hook", stiffness=4530.0,
                      free_length=0.07785),
        impeto.Drive(name="motor", joint="o", prescribes="effort", value=0.033),
    ]  # fmt: skip
    r = run(elements, 0.03, "fine", 10000.0)
    turned = np.unwrap(np.stack([r[f"k{i}.yaw"] for i in range(1, 8)]), axis=1)[:, -1]
    start = np.array([b, b + th, g, ph + de, de, om + ep, ep])
    ours = start + turned
    exact = np.array([final[0], final[0] + final[1], final[2], final[3] + final[4], final[4],
                      final[5] + final[6], final[6]])  # fmt: skip
    return float(np.abs(ours - exact).max() / np.abs(exact).max()), r.statistics.wall_seconds


def torque_free():
    """Spins of an asymmetric body in Jacobi's elliptic functions (Landau and Lifshitz, § 37)."""
    I1, I2, I3 = 0.01, 0.02, 0.03
    w1, w3 = 3.0, 4.0
    r = run([body("b", 1.0, (I1, I2, I3), angular_velocity=(w1, 0.0, w3))], 5.0)
    energy2, momentum2 = I1 * w1**2 + I3 * w3**2, (I1 * w1) ** 2 + (I3 * w3) ** 2
    assert momentum2 > energy2 * I2
    pace = np.sqrt((I3 - I2) * (momentum2 - energy2 * I1) / (I1 * I2 * I3))
    modulus = (I2 - I1) * (energy2 * I3 - momentum2) / ((I3 - I2) * (momentum2 - energy2 * I1))
    sn, cn, dn, _ = ellipj(pace * r.time, modulus)
    second = np.sqrt((energy2 * I3 - momentum2) / (I2 * (I3 - I2)))
    exact = np.stack([w1 * cn, second * sn, w3 * dn], axis=1)
    ours = np.stack([r[f"b.angular_velocity_local.{k}"] for k in "xyz"], axis=1)
    sign = np.sign((ours[1, 1]) * exact[1, 1])
    exact[:, 1] *= sign
    return worst(ours, exact), r.statistics.wall_seconds


def pendulum_minute():
    r = run([
        impeto.Gravity(name="gravity", size=G), body("bar", 2.0, (0.001, 1 / 6, 1 / 6),
                                                     position=(0.5, 0, 0)),
        frame("top"), frame("eye", "bar", -0.5), joint("pin", "top", "eye", "turn y")], 60.0,
        rate=20.0)  # fmt: skip
    return energy_error(r), r.statistics.wall_seconds


def six_hinges():
    """Six hinges around a cube (Bricard 1897): by counting nothing can move, by rank one motion is
    left; it falls, keeps its energy, and its reactions are those of least norm."""
    corners = np.array([(1, 0, 0), (1, 1, 0), (0, 1, 0), (0, 1, 1), (0, 0, 1), (1, 0, 1)], float)
    turns = {"x": "turn x", "y": "turn y", "z": "turn z"}
    elements = [impeto.Gravity(name="gravity", size=G)]
    for k in range(5):
        a, b = corners[k], corners[k + 1]
        along = np.abs(b - a)
        inertia = (1.0 - along) / 12 + 1e-4
        elements += [
            body(f"rod{k}", 1.0, inertia, position=tuple(map(float, (a + b) / 2))),
            frame(f"a{k}", f"rod{k}", *map(float, (a - b) / 2)),
            frame(f"b{k}", f"rod{k}", *map(float, (b - a) / 2)),
        ]
    elements += [frame("first", x=1.0), frame("last", x=1.0, z=1.0)]
    ends = [("first", "a0"), *((f"b{k}", f"a{k + 1}") for k in range(4)), ("b4", "last")]
    for number, ((a, b), axis) in enumerate(zip(ends, "xzyxzy", strict=True)):
        elements.append(joint(f"hinge{number}", a, b, turns[axis]))
    return elements


def six_bar():
    elements = six_hinges()
    health = impeto.check(impeto.Model("bricard", elements))
    assert (health.free, health.counted) == (1, 0)
    r = run(elements, 3.0)
    assert np.ptp(r["hinge0.turn_x.position"]) > 0.5
    return energy_error(r), r.statistics.wall_seconds


def restitution():
    errors = []
    for e in (0.05, 0.2, 0.5, 0.8, 0.95):
        stops = impeto.Stops(freedom="slide x", upper="100 mm", stiffness="1 MN/m", restitution=e)
        r = run([body("b", velocity=(1.0, 0, 0)), frame("g"), frame("f", "b"),
                 joint("j", "g", "f", "slide x", behaviours=(stops,))], 0.3)  # fmt: skip
        errors.append(abs(-r["b.velocity.x"][-1] / e - 1))
    return max(errors), None


def braking_block():
    angle, mu = np.radians(20), 0.25
    direction = (-float(np.sin(angle)), 0.0, -float(np.cos(angle)))
    dry = impeto.Friction(freedom="slide x", kinetic=mu)
    r = run([
        impeto.Gravity(name="gravity", size=G, direction=direction),
        body("b", 2.0, velocity=(3.0, 0, 0)), frame("g"), frame("f", "b"),
        joint("j", "g", "f", "slide x", behaviours=(dry,))], 1.5)  # fmt: skip
    up, down = G * (np.sin(angle) + mu * np.cos(angle)), G * (np.sin(angle) - mu * np.cos(angle))
    t = np.minimum(r.time, 3 / up)
    exact = 3 * t - 0.5 * up * t**2 - 0.5 * down * np.maximum(r.time - 3 / up, 0) ** 2
    return worst(r["b.position.x"], exact), r.statistics.wall_seconds


def launcher():
    """A spring throws a mass and lets go; its speed and flight in closed form."""
    elements = [
        body("b"), frame("g"), frame("wall", x=1.0), frame("f", "b"),
        joint("j", "g", "f", "slide x"),
        impeto.Spring(name="s", frame_a="wall", frame_b="f", stiffness=100.0, free_length=0.5),
        impeto.Event(name="throw", when="channel rises", channel="b.position.x", level="0.2 m",
                     action="switch off", target="s"),
    ]  # fmt: skip
    r = run(elements, 1.0)
    release = np.arccos(0.3 / 0.5) / 10
    speed = np.sqrt(100 * (0.25 - 0.09))
    exact = np.where(r.time < release, 0.5 - 0.5 * np.cos(10 * r.time),
                     0.2 + speed * (r.time - release))  # fmt: skip
    return worst(r["b.position.x"], exact), r.statistics.wall_seconds


def gimbals():
    """Fast top in two gimbals, pushed by a torque during a window: it precesses by
    ∫ torque dt / (spin · inertia) on the average, nutation aside."""
    spin, inertia = 400.0, 0.02
    elements = [
        body("outer", 0.5, (1e-5,) * 3), body("inner", 0.5, (1e-5,) * 3),
        body("rotor", 1.0, (0.01, 0.01, inertia)),
        frame("g"), frame("o", "outer"), frame("o2", "outer"), frame("i", "inner"),
        frame("i2", "inner"), frame("r", "rotor"),
        joint("yaw", "g", "o", "turn x"), joint("tilt", "o2", "i", "turn y"),
        joint("axle", "i2", "r", "turn z", behaviours=(
            impeto.StartValue(freedom="turn z", speed=spin),)),
        impeto.Drive(name="push", joint="tilt", freedom="turn y", prescribes="effort",
                     value=impeto.Pulse(value="0.4 N*m", begin="0.1 s", finish="0.5 s")),
    ]  # fmt: skip
    return elements, spin * inertia


def gyroscope():
    elements, momentum = gimbals()
    r = run(elements, 0.8, rate=2000.0)
    late = r.time > 0.52
    exact = 0.4 * 0.4 / momentum
    return abs(abs(r["yaw.turn_x.position"][late].mean()) / exact - 1), r.statistics.wall_seconds


def stiff_governor():
    """Two-ball governor whose arms hang on a spring of 1e8 N/m with a damper: against the smooth
    integrator with a hundred times as many steps."""

    def model(**settings):
        elements = [impeto.Gravity(name="gravity", size=G), body("spindle", 2.0, (0.02,) * 3),
                    frame("g"), frame("s", "spindle"), joint("axis", "g", "s", "turn z"),
                    impeto.Drive(name="drive", joint="axis", value="8 rad/s"),
                    body("sleeve", 0.5, (0.001,) * 3, position=(0, 0, -0.4)),
                    frame("s2", "spindle"), frame("v", "sleeve", z=0.4),
                    joint("guide", "s2", "v", "slide z"),
                    frame("top", "spindle"), frame("low", "sleeve"),
                    impeto.Spring(name="post", frame_a="top", frame_b="low", stiffness=1e8,
                                  free_length=0.4),
                    impeto.Damper(name="oil", frame_a="top", frame_b="low", damping=2e5),
        ]  # fmt: skip
        for sign in (1, -1):
            n = "r" if sign > 0 else "l"
            elements += [
                body(f"ball_{n}", 1.0, (0.001,) * 3, position=(0.2 * sign, 0, -0.4)),
                frame(f"h_{n}", "sleeve"), frame(f"b_{n}", f"ball_{n}", -0.2 * sign),
                joint(f"arm_{n}", f"h_{n}", f"b_{n}", "turn y", behaviours=(
                    impeto.Behaviour(freedom="turn y", stiffness=3.0, damping=0.05),)),
            ]  # fmt: skip
        return impeto.Model("governor", elements,
                            settings=impeto.RunSettings(outputs="50 Hz", **settings))  # fmt: skip

    exact = simulate(model(integrator="smooth"), until=0.4, tol=1e-13)
    ours = simulate(model(), until=0.4, tol="fine")
    assert "stiff" in ours.statistics.integrator
    names = ("arm_r.turn_y.position", "post.force", "drive.torque", "guide.torque.z")
    error = max(worst(ours[n][1:], exact[n][1:]) for n in names)
    return error, ours.statistics.wall_seconds


PROBLEMS = [
    Problem("Large planar pendulum: angle, speed, pin force", "elliptic integral, file 01", "fine",
            1e-8, _reference("01-planar-pendulum", "pendulum", "fine", {
                "theta": _plus_offset("pin.turn_z.position"),
                "theta_dot": _channel("pin.turn_z.speed"), "pin_force": _vector("pin.force")})),
    Problem("Pendulum, 60 s: energy", "invariant", "fine", 1e-8, pendulum_minute),
    *(Problem(f"Driven slider-crank of spatial joints: torque and all reactions ({tol})",
              "closed form, file 03", tol, bound,
              _reference("03-slider-crank-driven", "driven", tol, {
                  "drive_torque": _channel("motor.torque"),
                  "slider_acceleration": _vector("slider.acceleration"),
                  **{f"{n}_force": _vector(f"{n}.force")
                     for n in ("crank_bearing", "crank_pin", "wrist_pin", "guide")}}))
      for tol, bound in (("normal", 1e-5), ("fine", 1e-8))),
    *(Problem(f"Heavy top, {case}", "file 06", "fine", 1e-7,
              _reference("06-heavy-top", case, "fine", {
                  "com": _vector("top.center.position"), "omega": _vector("top.angular_velocity"),
                  "pivot_force": _vector("pivot.force")}))
      for case in ("steady-precession", "nutation")),
    Problem("Two masses, harmonic force: transient and steady tensions", "file 08", "fine", 1e-8,
            _reference("08-two-mass-chain", "chain", "fine", {
                "x1": _vector("m1.position"), "v2": _vector("m2.velocity"),
                "tension1": lambda r, d: r["s1.force"] + r["s1_damper.force"]})),
    *(Problem(f"Four-bar of {n} loops through its singular poses", "file 12", tol, bound,
              _reference("12-n-four-bar", f"N{n}", tol, {
                  "angle": _plus_offset("base0.turn_z.position")}), slow=n > 2)
      for n, tol, bound in ((2, "fine", 1e-6), (10, "fine", 1e-6), (40, "normal", 1e-4))),
    *(Problem(f"DC motor, gear and arm after a voltage step ({tol})", "file 15", tol, bound,
              _reference("15-dc-motor-arm", "motor-arm", tol, {
                  "current": _channel("motor.current"), "torque": _channel("motor.torque"),
                  "copper_loss": _channel("motor.copper_loss"),
                  "shaft_force": _vector("shaft.force")}))
      for tol, bound in (("normal", 1e-4), ("fine", 1e-7))),
    *(Problem(f"Rope drop, {case}", "file 16", "fine", 1e-10,
              _reference("16-rope-drop", case, "fine", {
                  "z": _channel("mass.position.z"), "tension": _channel("rope.force")}))
      for case in ("undamped", "damped")),
    Problem("Quarter vehicle over a bump", "matrix exponential, file 19", "fine", 1e-8,
            _reference("19-quarter-vehicle", "half-sine-bump", "fine", {
                "v_sprung": _channel("sprung.velocity.z"),
                "suspension_force":
                    lambda r, d: -(r["suspension.force"] + r["suspension_damper.force"])})),
    *(Problem(f"Eigenvalues: {case}", "file 20", "–", 1e-8, _modes(case))
      for case in ("three-mass-chain", "double-pendulum", "double-pendulum-damped",
                   "inverted-pendulum", "inverted-pendulum-unstable")),
    Problem("Nut on a screw", "closed form, file 22", "fine", 1e-10,
            _reference("22-screw-gear", "screw-nut", "fine", {
                "com": _vector("nut.center.position")})),
    *(Problem(f"Gears: {case}", "closed form, file 22", "fine", 1e-9,
              _reference("22-screw-gear", case, "fine", {
                  "angle1": _channel("bearing1.turn_z.position"),
                  "tooth_force": _channel("mesh.force")}))
      for case in ("gear-pair", "gear-pair-loaded")),
    Problem("Seven-body planar squeezer, angles at 0.03 s", "Hairer and Wanner 1996", "fine", 1e-7,
            squeezer),
    Problem("Torque-free asymmetric body", "Jacobi's elliptic functions", "fine", 1e-8,
            torque_free),
    Problem("Overconstrained six-bar loop in space: energy, free motions", "invariant", "fine",
            1e-8, six_bar),
    Problem("Restitution of stops, e = 0.05 … 0.95", "definition", "fine", 1e-10, restitution),
    Problem("Block with friction up a slope and back", "closed form", "fine", 1e-10,
            braking_block),
    Problem("Spring launcher with release", "closed form", "fine", 1e-10, launcher),
    Problem("Gyroscope in gimbals, torque during a window", "precession of a fast top", "fine",
            1e-2, gyroscope),
    Problem("Stiff governor, reactions included", "smooth integrator at 1e-13", "fine", 1e-5,
            stiff_governor),
]  # fmt: skip
