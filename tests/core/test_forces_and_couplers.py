"""Force elements, couplers and special joints against closed forms and invariants."""

import numpy as np
import pytest

import impeto
from impeto.core.results.system import energy_error
from tests.core.building import DOWN, G, body, frame, joint, run


def test_curves_give_the_same_motion_as_the_linear_elements_they_describe():
    free, k, c = 0.4, 500.0, 8.0
    base = [body("b", position=(0.6, 0, 0)), frame("wall"), frame("eye", "b"),
            joint("slide", "wall", "eye", "slide x")]  # fmt: skip
    ends = {"frame_a": "wall", "frame_b": "eye"}
    straight = run([*base,
        impeto.Spring(name="s", stiffness=k, free_length=free, **ends),
        impeto.Damper(name="d", damping=c, **ends)], 2.0)  # fmt: skip
    curved = run([*base,
        impeto.Spring(name="s", stiffness=0.0, free_length=free, **ends,
                      curve="-300 mm: -150 N; 0 mm: 0 N; 300 mm: 150 N"),
        impeto.Damper(name="d", damping=0.0, **ends,
                      curve="-9 m/s: -72 N; 9 m/s: 72 N")], 2.0)  # fmt: skip
    np.testing.assert_allclose(curved["b.position.x"], straight["b.position.x"], atol=1e-9)
    np.testing.assert_allclose(curved["s.energy"], straight["s.energy"], atol=1e-7)
    assert energy_error(curved) < 1e-9


def test_a_smooth_curve_keeps_the_energy_it_stores():
    base = [body("b", position=(0.6, 0, 0)), frame("wall"), frame("eye", "b"),
            joint("slide", "wall", "eye", "slide x")]  # fmt: skip
    spring = impeto.Spring(
        name="s", frame_a="wall", frame_b="eye", stiffness=0.0, free_length=0.4,
        curve="smooth -0.3 m: -200 N; -0.1 m: -20 N; 0 m: 0 N; 0.1 m: 20 N; 0.3 m: 200 N",
    )  # fmt: skip
    r = run([*base, spring], 3.0)
    assert energy_error(r) < 1e-7  # third derivatives jump at the points
    assert r["s.energy"].min() > -1e-12


def test_a_bumper_pushes_only_and_gives_all_its_energy_back():
    v, k, m = 2.0, 5e4, 3.0
    r = run([
        body("b", m, position=(1.0, 0, 0), velocity=(-v, 0, 0)), frame("wall"), frame("eye", "b"),
        joint("slide", "wall", "eye", "slide x"),
        impeto.Bumper(name="p", frame_a="wall", frame_b="eye", length=0.3, stiffness=k)], 1.0,
        rate=2000.0)  # fmt: skip
    assert r["b.velocity.x"][-1] == pytest.approx(v, rel=1e-9)
    assert r["p.force"].max() == 0.0
    assert -r["p.force"].min() == pytest.approx(v * np.sqrt(k * m), rel=1e-3)  # at 2000 per second


def test_an_attraction_by_formula_moves_a_body_on_keplers_ellipse():
    """Period from the major axis, a³ = μ T² / 4π², and the orbit closes."""
    mu, r0, v0 = 4.0, 1.0, 2.2
    axis = 1.0 / (2.0 / r0 - v0**2 / mu)
    period = 2 * np.pi * np.sqrt(axis**3 / mu)
    r = run([
        body("moon", 1.0, position=(r0, 0, 0), velocity=(0, v0, 0)), frame("sun"),
        frame("core", "moon"),
        impeto.Attraction(name="pull", frame_a="sun", frame_b="core",
                          pull="4 N*m^2 / length^2")], period)  # fmt: skip
    assert r["moon.position.x"][-1] == pytest.approx(r0, abs=1e-9)
    assert r["moon.position.y"][-1] == pytest.approx(0.0, abs=1e-8)
    assert r["pull.length"].max() == pytest.approx(2 * axis - r0, rel=1e-4)


def test_a_bushing_rings_at_its_six_natural_frequencies_and_keeps_its_energy():
    m, inertia = 2.0, np.array([0.02, 0.03, 0.05])
    k, kt = np.array([2e3, 5e3, 8e3]), np.array([20.0, 30.0, 90.0])
    for axis in range(3):
        push = [0.0, 0.0, 0.0]
        push[axis] = 1e-3
        elements = [
            body("b", m, inertia, velocity=tuple(push), angular_velocity=tuple(push)), frame("a"),
            frame("e", "b"),
            impeto.Bushing(
                name="bush", frame_a="a", frame_b="e", stiffness=tuple(map(float, k)),
                damping=(0.0,) * 3, turning_stiffness=tuple(map(float, kt)),
                turning_damping=(0.0,) * 3),
        ]  # fmt: skip
        r = run(elements, 0.5)
        slide, turn = np.sqrt(k[axis] / m), np.sqrt(kt[axis] / inertia[axis])
        exact = 1e-3 / slide * np.sin(slide * r.time)
        np.testing.assert_allclose(r[f"b.position.{'xyz'[axis]}"], exact, atol=1e-12)
        angle = 1e-3 / turn * np.sin(turn * r.time)
        measured = r[f"b.{('roll', 'pitch', 'yaw')[axis]}"]
        np.testing.assert_allclose(measured, angle, atol=1e-12)


def test_a_bushing_conserves_energy_in_large_turns_too():
    r = run([
        body("b", 2.0, (0.02, 0.03, 0.04), position=(0.1, 0, 0), angular_velocity=(3.0, -2.0, 5.0)),
        frame("a"), frame("e", "b", -0.1),
        impeto.Bushing(name="bush", frame_a="a", frame_b="e", stiffness=(2e3, 3e3, 1e3),
                       damping=(0.0,) * 3, turning_stiffness=(1.0, 2.0, 1.5),
                       turning_damping=(0.0,) * 3)], 2.0)  # fmt: skip
    turned = np.arccos(np.clip((np.stack([r[f"b.rotation.{k}{k}"] for k in "xyz"]).sum(0) - 1) / 2,
                               -1, 1))  # fmt: skip
    assert turned.max() > 0.8
    assert energy_error(r) < 1e-9


def test_loads_act_in_the_axes_they_are_given_in_and_with_their_opposite():
    elements = [
        body("a", 2.0, position=(0, 0, 0)), body("b", 3.0, position=(1, 0, 0)),
        frame("fa", "a"), frame("fb", "b"), frame("tilted", orientation=(0, 0, np.pi / 2)),
        impeto.Load(name="pair", frame="fa", axes="other", axes_frame="tilted",
                    direction=(1, 0, 0), counter_frame="fb", value=6.0),
    ]  # fmt: skip
    r = run(elements, 1.0)
    np.testing.assert_allclose(r["a.acceleration.y"], 3.0, rtol=1e-12)
    np.testing.assert_allclose(r["b.acceleration.y"], -2.0, rtol=1e-12)
    np.testing.assert_allclose(r["a.acceleration.x"], 0.0, atol=1e-12)
    assert np.abs(r["system.momentum.y"]).max() < 1e-12


def geared(coupler, *, distance=0.2, second=None, **rest):
    """Two bearings on the ground, a torque on the first."""
    return [
        body("one", 1.5, (0.01, 0.01, 0.02)), body("two", 6.0, (0.2, 0.2, 0.3),
                                                   position=(distance, 0, 0)),
        frame("a1"), frame("b1", "one"), frame("a2", x=distance, **(second or {})),
        frame("b2", "two", **(second or {})),
        joint("j1", "a1", "b1", "turn z"), joint("j2", "a2", "b2", "turn z"),
        impeto.Drive(name="motor", joint="j1", prescribes="effort", value=10.0), coupler,
    ]  # fmt: skip


@pytest.mark.parametrize(("teeth", "radius", "distance"), [("external", 0.15, 0.2),
                                                           ("internal", 0.25, 0.2)])  # fmt: skip
def test_gears_keep_their_ratio_and_load_their_bearings(teeth, radius, distance):
    gears = impeto.Gears(
        name="mesh", joint_a="j1", joint_b="j2", radius_a=0.05, radius_b=radius, teeth=teeth
    )
    r = run(geared(gears, distance=distance), 0.5)
    ratio = (-1 if teeth == "external" else 1) * 0.05 / radius
    acceleration = 10.0 / (0.02 + 0.3 * ratio**2)
    np.testing.assert_allclose(r["one.angular_acceleration.z"], acceleration, rtol=1e-10)
    np.testing.assert_allclose(r["two.angular_acceleration.z"], acceleration * ratio, rtol=1e-10)
    force = abs(0.3 * acceleration * ratio / radius)
    np.testing.assert_allclose(np.abs(r["mesh.force"]), force, rtol=1e-10)
    np.testing.assert_allclose(np.abs(r["j1.force.y"]), force, rtol=1e-9)
    # The pressure angle pushes external gears apart: the bearing of the left one pulls it back.
    apart = force * np.tan(np.radians(20))
    np.testing.assert_allclose(r["j1.force.x"], apart if teeth == "external" else -apart, rtol=1e-9)
    assert energy_error(r) < 1e-12


def test_bevel_gears_turn_shafts_that_meet_at_a_right_angle():
    """Pitch circles of 50 and 100 mm on the z and the x axis, apex at the origin."""
    tilted = (0.0, np.pi / 2, 0.0)  # the shaft's z along x
    elements = [
        body("one", 1.0, (0.01, 0.01, 0.02), position=(0, 0, 0.1)),
        body("two", 2.0, (0.3, 0.2, 0.2), position=(0.05, 0, 0)),
        frame("a1", z=0.1), frame("b1", "one"),
        frame("a2", x=0.05, orientation=tilted), frame("b2", "two", orientation=tilted),
        joint("j1", "a1", "b1", "turn z"), joint("j2", "a2", "b2", "turn z"),
        impeto.Drive(name="motor", joint="j1", prescribes="effort", value=5.0),
        impeto.Gears(name="mesh", joint_a="j1", joint_b="j2", radius_a=0.05, radius_b=0.1,
                     pressure_angle="0 deg"),
    ]  # fmt: skip
    r = run(elements, 0.5)
    acceleration = 5.0 / (0.02 + 0.3 * 0.25)
    np.testing.assert_allclose(r["one.angular_acceleration.z"], acceleration, rtol=1e-9)
    np.testing.assert_allclose(np.abs(r["two.angular_acceleration.x"]), acceleration / 2, rtol=1e-9)


def test_a_planet_gear_rolls_with_the_willis_ratio_on_its_moving_carrier():
    """Sun driven, ring fixed by nothing but the ground: carrier speed = sun / (1 + ring/sun)."""
    sun, planet, ring = 0.04, 0.03, 0.1
    elements = [
        body("carrier", 1.0, (0.1, 0.1, 0.1)), body("sun", 1.0, (0.01, 0.01, 0.01)),
        body("planet", 0.5, (0.001, 0.001, 0.001), position=(sun + planet, 0, 0)),
        body("ring", 2.0, (0.2, 0.2, 0.2)),
        frame("g"), frame("c", "carrier"), frame("s", "sun"), frame("rf", "ring"),
        frame("cs", "carrier"), frame("cp", "carrier", sun + planet), frame("p", "planet"),
        joint("jc", "g", "c", "turn z"), joint("js", "cs", "s", "turn z"),
        joint("jp", "cp", "p", "turn z"), joint("jr", "cs", "rf", "turn z"),
        joint("hold", "g", "rf", "turn z"),
        impeto.Drive(name="still", joint="hold", prescribes="position", value="0 rad"),
        impeto.Gears(name="m1", joint_a="js", joint_b="jp", radius_a=sun, radius_b=planet),
        impeto.Gears(name="m2", joint_a="jp", joint_b="jr", radius_a=planet, radius_b=ring,
                     teeth="internal"),
        impeto.Drive(name="motor", joint="js", prescribes="effort", value=1.0),
    ]  # fmt: skip
    r = run(elements, 1.0)
    ratio = 1.0 / (1.0 + ring / sun)
    np.testing.assert_allclose(
        r["carrier.angular_velocity.z"][1:], ratio * r["sun.angular_velocity.z"][1:], rtol=1e-9
    )
    assert energy_error(r) < 1e-10


def test_a_worm_drives_its_wheel_by_its_lead():
    lead, wheel = 0.02, 0.08
    across = {"orientation": (np.pi / 2, 0.0, 0.0)}  # the wheel's axis along −y
    elements = geared(
        impeto.Worm(name="mesh", joint_a="j1", joint_b="j2", radius_a=0.02, lead=lead),
        distance=0.1, second=across,
    )  # fmt: skip
    r = run(elements, 0.5)
    ratio = lead / (2 * np.pi) / wheel
    np.testing.assert_allclose(
        np.abs(r["two.angular_velocity.y"][1:] / r["one.angular_velocity.z"][1:]), ratio, rtol=1e-9
    )
    acceleration = 10.0 / (0.02 + 0.2 * ratio**2)
    np.testing.assert_allclose(r["one.angular_acceleration.z"], acceleration, rtol=1e-9)


def test_rack_screw_belt_and_differential_obey_their_relations():
    m, inertia, radius = 2.0, 0.03, 0.04
    rack = run([
        body("pinion", 1.0, (1.0, 1.0, inertia)), body("rack", m, position=(0, radius, 0)),
        frame("a"), frame("b", "pinion"), frame("c", y=radius), frame("d", "rack"),
        joint("jp", "a", "b", "turn z"), joint("jr", "c", "d", "slide x"),
        impeto.Rack(name="mesh", joint_a="jp", joint_b="jr", freedom_b="slide x", radius_a=radius),
        impeto.Drive(name="effort", joint="jp", prescribes="effort", value=3.0)], 0.5)  # fmt: skip
    acceleration = 3.0 / (inertia + m * radius**2)
    np.testing.assert_allclose(rack["rack.acceleration.x"], -radius * acceleration, rtol=1e-10)
    np.testing.assert_allclose(rack["mesh.tooth_force"] * np.cos(np.radians(20)),
                               m * radius * acceleration, rtol=1e-9)  # fmt: skip
    pulleys = (impeto.Pulley(joint="j1", radius=0.05), impeto.Pulley(joint="j2", radius=0.1))
    belt = run(geared(impeto.Belt(name="belt", pulleys=pulleys)), 0.5)
    acceleration = 10.0 / (0.02 + 0.3 / 4)
    np.testing.assert_allclose(belt["two.angular_acceleration.z"], acceleration / 2, rtol=1e-10)
    np.testing.assert_allclose(np.abs(belt["belt.force"]), 0.3 * acceleration / 2 / 0.1, rtol=1e-9)
    shafts = [
        element
        for k in "abc"
        for element in (
            body(k, 1.0, (0.1, 0.1, 0.1)),
            frame(f"f{k}", k),
            joint(f"j{k}", "g", f"f{k}", "turn z"),
        )
    ]
    spread = run([
        frame("g"), *shafts, impeto.Differential(name="d", cage="ja", side_a="jb", side_b="jc"),
        impeto.Drive(name="effort", joint="ja", prescribes="effort", value=6.0),
        impeto.Drive(name="brake", joint="jb", prescribes="effort", value=-1.0)], 0.5)  # fmt: skip
    cage, side_a, side_b = (spread[f"{k}.angular_acceleration.z"] for k in "abc")
    np.testing.assert_allclose(cage, (side_a + side_b) / 2, rtol=1e-12)
    # A differential shares its torque T evenly: 0.1 α = 6 − T, = T/2 − 1 and T/2.
    np.testing.assert_allclose(0.1 * side_b - 0.1 * side_a, 1.0, rtol=1e-9)


def test_backlash_lets_the_second_gear_wait_and_then_takes_it_along():
    play = 2e-3
    gears = impeto.Gears(
        name="mesh", joint_a="j1", joint_b="j2", radius_a=0.05, radius_b=0.15, backlash=play,
        tooth_stiffness="20 MN/m", restitution=0.2,
    )  # fmt: skip
    r = run(geared(gears), 0.3, rate=1000.0)
    first = np.flatnonzero(r["mesh.tooth_force"] > 0.0)[0]
    alone = np.sqrt(2 * (play / 2) / 0.05 / (10.0 / 0.02))
    assert r.time[first] == pytest.approx(alone, abs=1.1e-3)
    assert np.abs(r["two.angular_velocity.z"][: first - 1]).max() == 0.0
    end = r["two.angular_velocity.z"][-1] / r["one.angular_velocity.z"][-1]
    assert end == pytest.approx(-1 / 3, rel=1e-3)
    assert energy_error(r) < 1e-7


def test_a_rod_of_fixed_distance_swings_like_a_pendulum_and_pulls_as_hard():
    length = 0.8
    r = run([
        DOWN, body("bob", 2.0, position=(length, 0, 0)), frame("top"), frame("eye", "bob"),
        joint("rod", "top", "eye", special="fixed distance")], 1.0)  # fmt: skip
    drop = -r["bob.position.z"]
    speed = np.sqrt(2 * G * np.maximum(drop, 0))
    np.testing.assert_allclose(r["bob.velocity"], speed, atol=1e-9)
    np.testing.assert_allclose(r["rod.force"], 3 * 2.0 * G * drop / length, atol=1e-7)


def test_a_constant_velocity_joint_passes_speed_on_evenly_where_a_universal_one_does_not():
    bend = np.radians(30)
    axis = (0.0, bend, 0.0)
    shafts = [
        body("left", 1.0, (0.1, 0.1, 0.1)), body("right", 1.0, (0.1, 0.1, 0.1), orientation=axis),
        frame("gl"), frame("l", "left"), frame("gr", orientation=axis), frame("r", "right"),
        frame("lr", "left"), frame("rl", "right"), joint("jl", "gl", "l", "turn z"),
        joint("jr", "gr", "r", "turn z"),
        impeto.Drive(name="turn", joint="jl", value="5 rad/s"),
    ]  # fmt: skip
    even = run([*shafts, joint("cv", "lr", "rl", special="constant velocity")], 2.0)
    np.testing.assert_allclose(even["jr.turn_z.speed"], 5.0, rtol=1e-10)
    cross = run([*shafts, joint("u", "lr", "rl", "turn x", "turn y")], 2.0)
    assert cross["jr.turn_z.speed"].max() == pytest.approx(5.0 / np.cos(bend), rel=1e-3)
    assert cross["jr.turn_z.speed"].min() == pytest.approx(5.0 * np.cos(bend), rel=1e-3)


def test_three_free_turns_have_coordinates_whose_rates_and_springs_are_consistent():
    springs = tuple(
        impeto.Behaviour(freedom=f"turn {k}", stiffness=s)
        for k, s in zip("xyz", (20.0, 30.0, 10.0), strict=True)
    )
    r = run([
        body("b", 2.0, (0.02, 0.03, 0.04), position=(0.1, 0, 0), angular_velocity=(3.0, -2.0, 5.0)),
        frame("a"), frame("e", "b", -0.1),
        joint("ball", "a", "e", "turn x", "turn y", "turn z", behaviours=springs)], 1.0,
        rate=5000.0)  # fmt: skip
    assert energy_error(r) < 1e-9  # the springs are conservative
    for k in "xyz":
        angle, speed, acceleration = (
            r[f"ball.turn_{k}.{q}"] for q in ("position", "speed", "acceleration")
        )
        slope = np.gradient(angle, r.time)
        np.testing.assert_allclose(slope[2:-2], speed[2:-2], atol=2e-4 * np.abs(speed).max())
        slope = np.gradient(speed, r.time)
        np.testing.assert_allclose(
            slope[2:-2], acceleration[2:-2], atol=2e-3 * np.abs(acceleration).max()
        )
