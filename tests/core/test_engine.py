"""The engine against closed forms, invariants and a second formulation."""

import numpy as np
import pytest

import impeto
from impeto.core.assembly.build import build_system
from impeto.core.assembly.resolve import resolve
from impeto.core.assembly.workspace import workspace_of
from impeto.core.results.system import energy_error
from impeto.core.simulate import simulate
from impeto.core.solvers.initial_conditions import consistent_start
from tests.core.building import DOWN, G, body, frame, joint, run


def bar(name, **rest):
    """One metre, 2 kg, slender along its x axis."""
    inertia = (0.001, 2 / 12, 2 / 12)
    return impeto.Body(name=name, mass=2.0, inertia=inertia, **rest)


def test_free_double_pendulum_in_space_keeps_its_energy_and_its_joints_together():
    upper_end = np.array([1.0, 0.0, 0.0])
    R = np.array(
        [[0.6, -0.8, 0.0], [0.8, 0.6, 0.0], [0.0, 0.0, 1.0]]
    )  # turned about z by atan2(4, 3)
    lower_center = upper_end + R @ np.array([0.5, 0, 0])
    elements = [
        DOWN,
        bar("upper", position=(0.5, 0, 0), angular_velocity=(0.0, 0.0, 1.0), velocity=(0, 0.5, 0)),
        bar("lower", position=tuple(map(float, lower_center)),
            orientation=(0.0, 0.0, float(np.arctan2(4, 3)))),
        frame("top"), frame("a", "upper", -0.5), frame("b", "upper", 0.5),
        frame("c", "lower", -0.5),
        joint("first", "top", "a", "turn x", "turn y", "turn z"),
        joint("second", "b", "c", "turn x", "turn y", "turn z"),
    ]  # fmt: skip
    r = run(elements, 10.0)
    assert energy_error(r) < 1e-8
    gap = np.stack([r[f"b.position.{k}"] - r[f"c.position.{k}"] for k in "xyz"])
    assert np.abs(gap).max() < 1e-9
    assert r.statistics.worst_gap < 1e-9


def test_pendulum_of_a_minute_keeps_its_energy_to_eight_digits():
    elements = [
        DOWN, bar("bar", position=(0.5, 0, 0)), frame("top"), frame("eye", "bar", -0.5),
        joint("pin", "top", "eye", "turn y"),
    ]  # fmt: skip
    assert energy_error(run(elements, 60.0, rate=20.0)) < 1e-8


def test_error_of_a_pendulum_falls_with_the_tolerance():
    elements = [
        DOWN, bar("bar", position=(0.5, 0, 0)), frame("top"), frame("eye", "bar", -0.5),
        joint("pin", "top", "eye", "turn y"),
    ]  # fmt: skip
    exact = run(elements, 5.0, 1e-13)["pin.turn_y.position"]
    errors = [np.abs(run(elements, 5.0, tol)["pin.turn_y.position"] - exact).max()
              for tol in (1e-4, 1e-6, 1e-8)]  # fmt: skip
    assert errors[1] < 0.05 * errors[0]
    assert errors[2] < 0.05 * errors[1]


def test_torque_free_body_keeps_angular_momentum_and_energy():
    spin = (0.1, 5.0, 0.2)  # near the unstable middle axis
    body = impeto.Body(name="b", mass=1.0, inertia=(0.01, 0.02, 0.03), angular_velocity=spin)
    r = run([body], 10.0)
    for axis in "xyz":
        momentum = r[f"system.angular_momentum.{axis}"]
        assert np.ptp(momentum) < 1e-9 * 0.1
    assert np.ptp(r["system.energy.kinetic"]) < 1e-9 * r["system.energy.kinetic"][0]
    assert r["b.angular_velocity_local.y"].min() < -4  # it has tumbled over


def test_spring_and_damper_ring_down_as_the_closed_form_says():
    m, k, c, free = 2.0, 800.0, 6.0, 0.4
    x0 = 0.5
    elements = [
        impeto.Body(name="b", mass=m, inertia=(1, 1, 1), position=(x0, 0, 0)),
        frame("wall"), frame("eye", "b"),
        joint("slide", "wall", "eye", "slide x"),
        impeto.Spring(name="s", frame_a="wall", frame_b="eye", stiffness=k, free_length=free),
        impeto.Damper(name="d", frame_a="wall", frame_b="eye", damping=c),
    ]  # fmt: skip
    r = run(elements, 3.0)
    decay, natural = c / (2 * m), np.sqrt(k / m)
    damped = np.sqrt(natural**2 - decay**2)
    t, a = r.time, x0 - free
    x = free + a * np.exp(-decay * t) * (np.cos(damped * t) + decay / damped * np.sin(damped * t))
    assert np.abs(r["b.position.x"] - x).max() < 1e-9
    np.testing.assert_allclose(r["s.force"], k * (x - free), atol=1e-6)
    lost = 0.5 * k * a**2 - r["system.energy.kinetic"] - r["system.energy.strain"]
    np.testing.assert_allclose(r["system.energy.dissipated"], lost, atol=1e-8)


def test_torsion_spring_counts_revolutions_and_rings_at_its_natural_frequency():
    inertia, k = 0.2, 3.0
    turned = 5 * np.pi  # wound up two and a half turns
    elements = [
        impeto.Body(name="b", mass=1.0, inertia=(inertia,) * 3),
        frame("seat"), frame("shaft", "b"),
        joint("pin", "seat", "shaft", "turn z", behaviours=(
            impeto.Behaviour(freedom="turn z", stiffness=k, free_position=turned),)),
    ]  # fmt: skip
    r = run(elements, 4.0, rate=50.0)
    expected = turned * (1 - np.cos(np.sqrt(k / inertia) * r.time))
    assert np.abs(r["pin.turn_z.position"] - expected).max() < 1e-8
    np.testing.assert_allclose(r["pin.turn_z.effort"], -k * (expected - turned), atol=1e-6)


def test_universal_joint_turns_by_the_classical_speed_ratio():
    """Two shafts at an angle β; the driving yoke's axis starts in the plane of the bend:
    ω2/ω1 = cos β / (1 − sin²β cos²θ)."""
    beta, speed = np.radians(30.0), 10.0
    tilt = (0.0, float(beta), 0.0)
    elements = [
        impeto.Body(name="one", mass=1.0, inertia=(0.1,) * 3),
        impeto.Body(name="two", mass=1.0, inertia=(0.1,) * 3, orientation=tilt),
        frame("seat_one"), frame("seat_two", orientation=tilt),
        frame("shaft_one", "one"), frame("shaft_two", "two"),
        joint("bearing_one", "seat_one", "shaft_one", "turn z"),
        joint("bearing_two", "seat_two", "shaft_two", "turn z", "slide x", "slide y", "slide z"),
        joint("cross", "shaft_one", "shaft_two", "turn x", "turn y"),
        impeto.Drive(name="motor", joint="bearing_one", freedom="turn z", value="10 rad/s"),
    ]  # fmt: skip
    r = run(elements, 1.0)
    cosine = np.cos(speed * r.time)
    ratio = np.cos(beta) / (1 - np.sin(beta) ** 2 * cosine**2)
    assert np.abs(r["bearing_two.turn_z.speed"] / speed - ratio).max() < 1e-8
    bend = np.hypot(r["cross.turn_x.position"], r["cross.turn_y.position"])
    assert bend.max() < beta * 1.02


def test_statically_redundant_beam_on_three_supports_gets_minimum_norm_reactions():
    elements = [
        DOWN,
        impeto.Body(name="beam", mass=12.0, inertia=(0.1, 1.0, 1.0)),
        *(frame(f"g{k}", x=x) for k, x in enumerate((-1.0, 0.0, 1.0))),
        *(frame(f"b{k}", "beam", x=x) for k, x in enumerate((-1.0, 0.0, 1.0))),
        *(joint(f"j{k}", f"g{k}", f"b{k}", "slide x", "slide y", "turn x", "turn y", "turn z")
          for k in range(3)),
        frame("gc"), frame("bc", "beam"),
        joint("hold", "gc", "bc", "slide z", "turn y"),
    ]  # fmt: skip
    r = run(elements, 0.1)
    # Equal rows share a symmetric load equally: that is their minimum norm.
    for k in range(3):
        np.testing.assert_allclose(r[f"j{k}.force.z"], 12 * G / 3, rtol=1e-6)


def test_reactions_hold_the_balance_of_every_body_in_the_gang_saw(gang_saw):
    """Second formulation: Newton and Euler for the saw frame from channels alone."""
    r = simulate(gang_saw, until="0.5 s", tol="fine")
    mass = r.system.tables.mass[r.bodies["saw_frame"]]
    total = np.zeros((len(r.time), 3))
    for axis, letter in enumerate("xyz"):
        pull = -r[f"frame_pin.force.{letter}"]  # the frame is A of this joint
        pull = pull + r[f"guide_left.force.{letter}"] + r[f"guide_right.force.{letter}"]
        pull = pull + r[f"cutting.force.{letter}"]
        total[:, axis] = pull
    total[:, 2] -= mass * 9.80665
    for axis, letter in enumerate("xyz"):
        np.testing.assert_allclose(
            total[:, axis], mass * r[f"saw_frame.center.acceleration.{letter}"], atol=1e-3
        )


@pytest.mark.parametrize(
    ("prescribes", "value", "position"),
    [
        ("position", "0.1 m * sin(3 rad/s * t)", lambda t: 0.1 * np.sin(3 * t)),
        ("speed", "0.3 m/s * cos(3 rad/s * t)", lambda t: 0.1 * np.sin(3 * t)),
        ("acceleration", "2 m/s^2 * t / 1 s", lambda t: t**3 / 3),
    ],
)
def test_prescribed_motions_are_followed_and_their_force_is_mass_times_acceleration(
    prescribes, value, position
):
    elements = [
        impeto.Body(name="b", mass=3.0, inertia=(1, 1, 1)),
        frame("wall"), frame("eye", "b"), joint("guide", "wall", "eye", "slide x"),
        impeto.Drive(
            name="d", joint="guide", freedom="slide x", prescribes=prescribes, value=value
        ),
    ]  # fmt: skip
    r = run(elements, 2.0)
    assert np.abs(r["b.position.x"] - position(r.time)).max() < 1e-9
    np.testing.assert_allclose(r["d.force"], 3.0 * r["b.acceleration.x"], atol=1e-8)
    np.testing.assert_allclose(r["d.work"], r["b.energy.kinetic"] - r["b.energy.kinetic"][0],
                               atol=1e-8)  # fmt: skip


def test_loads_ramp_follow_the_body_and_torques_turn_it():
    elements = [
        impeto.Body(name="b", mass=1.0, inertia=(0.5, 0.5, 0.5)),
        frame("eye", "b"),
        impeto.Load(
            name="twist", frame="eye", applies="torque", direction=(0, 0, 1), value="2 N*m"
        ),
        impeto.Load(name="push", frame="eye", axes="body", direction=(1, 0, 0),
                    value=impeto.Ramp(start="0 N", end="4 N", begin="0 s", finish="2 s")),
    ]  # fmt: skip
    r = run(elements, 2.0)
    angle = 0.5 * 4.0 * r.time**2
    np.testing.assert_allclose(r["b.yaw"], np.unwrap(np.angle(np.exp(1j * angle))), atol=1e-8)
    np.testing.assert_allclose(r["push.force.x"], 2 * r.time * np.cos(angle), atol=1e-8)
    assert energy_error(r) < 1e-9


def test_energy_audit_turns_red_when_a_force_is_broken_on_purpose():
    elements = [
        DOWN, bar("bar", position=(0.5, 0, 0)), frame("top"), frame("eye", "bar", -0.5),
        joint("pin", "top", "eye", "turn y"),
    ]  # fmt: skip
    good = run(elements, 2.0)
    broken_tables = good.system.tables.replaced(gravity=np.array([0.0, 0.0, -G * 1.01]))
    from dataclasses import replace

    broken = replace(good, system=replace(good.system, tables=broken_tables))
    assert energy_error(good) < 1e-9
    assert energy_error(broken) > 1e-3


def test_start_closes_small_gaps_and_refuses_large_ones_by_name():
    def pair(offset):
        return impeto.Model("m", [
            bar("bar", position=(0.5 + offset, 0, 0)), frame("top"), frame("eye", "bar", -0.5),
            joint("pin", "top", "eye", "turn y"),
        ])  # fmt: skip

    system = build_system(resolve(pair(1e-3)))
    start = consistent_start(system, workspace_of(system))
    assert start.moved == pytest.approx(1e-3, rel=1e-6)
    with pytest.raises(impeto.ModelError, match=r"pin: its frames are 100.*mm apart in slide x"):
        simulate(pair(0.1), until=1)


def test_health_names_the_redundant_rows_and_the_floating_body(gang_saw):
    health = impeto.check(gang_saw)
    assert [(row.owner, row.freedom) for row in health.redundant] == [
        ("guide_right", "slide x"), ("guide_right", "slide y"),
    ]  # fmt: skip
    assert (health.free, health.driven, health.counted) == (0, 1, -2)
    assert impeto.check(gang_saw, "Motor with droop").free == 1
    loose = impeto.check(impeto.Model("m", [bar("stray")]))
    assert loose.floating == ("stray",)
    assert loose.free == 6


def test_singular_start_pose_is_told_from_a_redundancy():
    from tests.reference_problems import model_of, problem

    folded = problem("12-n-four-bar", "N2")
    health = impeto.check(model_of(folded))
    assert health.free == 1


def test_what_cannot_run_is_a_finding_and_not_an_exception():
    health = impeto.check(impeto.Model("m", [impeto.Body(name="b")]))
    assert [f.severity for f in health.findings] == ["bad"]
    assert "no mass" in health.findings[0].message


@pytest.mark.parametrize("until", [0, -1, "0 s", "1 kg"])
def test_end_times_that_make_no_sense_are_refused(gang_saw, until):
    with pytest.raises(impeto.ModelError, match="until"):
        simulate(gang_saw, until=until)


def test_cancelling_keeps_what_was_solved(gang_saw):
    seen = []

    def stop_at_once(share, solved):
        seen.append(solved)
        return len(seen) < 2

    r = simulate(gang_saw, until="200 s", progress=stop_at_once)
    assert r.stopped.startswith("Cancelled at")
    assert 0 < r.time[-1] <= seen[-1] + 1e-9
    assert np.isfinite(r.state).all()


def test_a_formula_that_blows_up_stops_the_run_with_time_and_suspect():
    elements = [
        impeto.Body(name="rocket", mass=1.0, inertia=(1, 1, 1)),
        frame("nozzle", "rocket"),
        impeto.Load(name="push", frame="nozzle", direction=(1, 0, 0), value="1 N*s / (1 s - t)"),
    ]
    r = simulate(impeto.Model("m", elements), until="2 s")
    assert "rocket" in r.stopped
    assert "The run stopped at 1" in r.stopped or "at 0.99" in r.stopped
    assert np.isfinite(r.state).all()


def test_an_empty_model_and_a_joint_on_the_ground_run_without_moving():
    assert len(simulate(impeto.Model(), until="0.1 s").time) == 51
    r = run([bar("b"), frame("one"), frame("two"), joint("weld", "one", "two")], 0.1)
    assert np.abs(r["weld.force"]).max() == 0
    assert [row.owner for row in impeto.check(r.model).redundant] == ["weld"] * 6


def test_the_jerk_of_a_frame_is_the_rate_of_its_acceleration():
    """On a circle it is −ω² v; parabolas miss the rate by h²/6 of the third derivative, h²/3 at
    the ends."""
    omega, radius, step = 8.0, 0.3, 0.002
    r = run([body("disc", angular_velocity=(0.0, 0.0, omega)), frame("rim", "disc", radius)], 0.5,
            rate=1.0 / step)  # fmt: skip
    missed = step**2 / 3.0 * radius * omega**5
    for letter in "xyz":
        want = -(omega**2) * r[f"rim.velocity.{letter}"]
        np.testing.assert_allclose(r[f"rim.jerk.{letter}"], want, atol=missed)
    np.testing.assert_allclose(r["rim.jerk"], radius * omega**3, atol=np.sqrt(2.0) * missed)
    short = run([body("disc"), frame("rim", "disc", radius)], 0.01, rate=100.0)
    assert len(short.time) == 2
    assert np.isnan(short["rim.jerk"]).all()


def test_the_coefficients_of_the_explicit_methods_are_those_of_scipy():
    from scipy.integrate import DOP853, RK45

    from impeto.core.solvers.runge_kutta import method

    m = method()
    np.testing.assert_array_equal(m.a[:12, :12], DOP853.A)
    np.testing.assert_array_equal(m.a[12, :12], DOP853.B)
    np.testing.assert_array_equal(m.a[13:], DOP853.A_EXTRA)
    np.testing.assert_array_equal(m.c, [*DOP853.C, 1.0, *DOP853.C_EXTRA])
    for ours, theirs in ((m.b, DOP853.B), (m.d, DOP853.D), (m.e3, DOP853.E3[:12]),
                         (m.e5, DOP853.E5[:12]), (m.short_a, RK45.A), (m.short_b, RK45.B),
                         (m.short_c, RK45.C), (m.short_e, RK45.E)):  # fmt: skip
        np.testing.assert_array_equal(ours, theirs)
        assert not np.signbit(ours[ours == 0.0]).any()
