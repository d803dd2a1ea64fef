"""Brakes that follow a signal, and threads that lose by their friction angle, by closed forms."""

import numpy as np
import pytest

import impeto
from impeto.core.errors import ModelError
from impeto.core.results.loads import loads_on
from impeto.core.results.system import energy_error
from tests.core.building import DOWN, G, body, frame, joint, run
from tests.core.test_forces_and_couplers import geared

MASS, INERTIA, LEAD, RADIUS = 40.0, 0.02, 0.012, 0.015
SLOPE = LEAD / (2 * np.pi * RADIUS)  # of the thread: 7.3°


def nut(friction, *more, lead=LEAD, **rest):
    """A load that a vertical screw lifts as it turns; friction angle in degrees."""
    screw = impeto.Screw(name="screw", joint="guide", lead=lead, radius=RADIUS,
                         friction_angle=f"{friction} deg")  # fmt: skip
    return [
        DOWN, body("load", MASS, (1.0, 1.0, INERTIA), **rest), frame("base"), frame("eye", "load"),
        joint("guide", "base", "eye", "slide z", "turn z"), screw, *more,
    ]  # fmt: skip


def turned(speed):
    return impeto.Drive(name="crank", joint="guide", freedom="turn z", prescribes="speed",
                        value=speed)  # fmt: skip


@pytest.mark.parametrize("mode", ["automatic", "quick"])
@pytest.mark.parametrize("friction", [0.0, 3.0, 6.0, 12.0])
@pytest.mark.parametrize("hand", [1.0, -1.0])
def test_a_screw_takes_the_torque_of_lead_and_friction_angle(mode, friction, hand):
    lead_angle, angle = np.arctan(SLOPE), np.radians(friction)
    for up in (1.0, -1.0):
        r = run(nut(friction, turned(hand * up * 4.0), lead=hand * LEAD), 0.5, integrator=mode)
        torque = MASS * G * RADIUS * np.tan(lead_angle + up * angle)
        np.testing.assert_allclose(r["crank.torque"][5:], hand * torque, rtol=1e-9)
        assert energy_error(r) < (1e-9 if mode == "automatic" else 1e-3)
        if friction:
            lost = MASS * G * RADIUS * (np.tan(lead_angle + up * angle) - SLOPE) * up * 4.0
            assert r["screw.loss"][-1] == pytest.approx(lost * 0.5, rel=1e-2)


@pytest.mark.parametrize("mode", ["automatic", "quick"])
def test_a_screw_holds_its_load_where_friction_is_steeper_than_the_lead(mode):
    held = run(nut(8.0), 0.5, integrator=mode)
    assert np.abs(held["load.position.z"]).max() < 1e-12
    slides = run(nut(4.0), 0.5, integrator=mode)
    pull = RADIUS * np.tan(np.arctan(SLOPE) - np.radians(4.0))
    rate = -MASS * G * pull / (INERTIA + MASS * LEAD / (2 * np.pi) * pull)
    assert slides["load.angular_velocity.z"][-1] == pytest.approx(0.5 * rate, rel=1e-8)
    assert slides["screw.friction"][-1] > 0.0


@pytest.mark.parametrize("driving", [True, False])
def test_a_worm_has_the_efficiency_of_the_textbook(driving):
    """η = (cos φ − μ tan γ) / (cos φ + μ cot γ) with φ the pressure angle across the thread."""
    lead, radius, friction = 0.04, 0.02, 5.0
    across = {"orientation": (np.pi / 2, 0.0, 0.0)}
    worm = impeto.Worm(name="mesh", joint_a="j1", joint_b="j2", radius_a=radius, lead=lead,
                       friction_angle=f"{friction} deg")  # fmt: skip
    base = [e for e in geared(worm, distance=0.1, second=across) if e.name != "motor"]
    speed = impeto.Drive(name="crank", joint="j1", prescribes="speed", value=6.0)
    frictionless = run([*base, speed], 0.1)
    way = np.sign(frictionless["j2.turn_z.speed"][-1])
    load = impeto.Drive(name="load", joint="j2", prescribes="effort",
                        value=float(-way if driving else way) * 30.0)  # fmt: skip
    r = run([*base, speed, load], 0.2)
    tangent = lead / (2 * np.pi * radius)
    across_thread = np.arctan(np.tan(np.radians(20)) * np.cos(np.arctan(tangent)))
    mu, c = np.tan(np.radians(friction)), np.cos(across_thread)
    put_in, taken = r["crank.power"][-1], -r["load.power"][-1]
    if driving:
        assert taken / put_in == pytest.approx((c - mu * tangent) / (c + mu / tangent), rel=1e-9)
    else:
        back = (c - mu / tangent) / (c + mu * tangent)
        assert put_in / taken == pytest.approx(back, rel=1e-9)
    assert r["mesh.loss_power"][-1] == pytest.approx(put_in - taken, rel=1e-9)


def test_threads_that_cannot_be_are_refused():
    for change, said in (
        ({"friction_angle": "95 deg"}, "between 0 and 90"),
        ({"friction_angle": "84 deg"}, "locks both ways"),
        ({"friction_angle": "5 deg", "radius": None}, "needs its pitch radius"),
    ):
        screw = impeto.Screw(**{"name": "screw", "joint": "guide", "lead": LEAD,
                                "radius": RADIUS, **change})  # fmt: skip
        with pytest.raises(ModelError, match=said):
            run([*nut(1.0)[:-1], screw], 0.1)
    worm = impeto.Worm(name="mesh", joint_a="j1", joint_b="j2", backlash="0.1 mm",
                       tooth_stiffness="10 MN/m", friction_angle="5 deg")  # fmt: skip
    with pytest.raises(ModelError, match="teeth without play"):
        run(geared(worm, distance=0.1, second={"orientation": (np.pi / 2, 0.0, 0.0)}), 0.1)


def rotor(*more, inertia=0.5):
    return [body("drum", 1.0, (1.0, 1.0, inertia)), frame("base"), frame("hub", "drum"),
            joint("axle", "base", "hub", "turn z"), *more]  # fmt: skip


@pytest.mark.parametrize("mode", ["automatic", "quick"])
def test_a_brake_that_is_eased_lets_its_drum_go_where_the_load_is_stronger(mode):
    """5 N m down to 1 N m between 1 and 2 s against 3 N m: it slips from 1.5 s on."""
    brake = impeto.Brake(name="brake", joint="axle", value=impeto.Ramp(
        start=5.0, end=1.0, begin="1 s", finish="2 s"))  # fmt: skip
    load = impeto.Drive(name="load", joint="axle", prescribes="effort", value=3.0)
    r = run(rotor(brake, load), 2.0, integrator=mode)
    before = r.time < 1.495
    assert np.abs(r["drum.angular_velocity.z"][before]).max() < 1e-12
    np.testing.assert_allclose(r["brake.torque"][before][1:], -3.0, rtol=1e-9)
    assert r["drum.angular_velocity.z"][-1] == pytest.approx(
        1.0, rel=1e-8 if mode == "automatic" else 2e-2
    )
    assert r["brake.holding"][150] == pytest.approx(3.0)
    assert energy_error(r) < (1e-8 if mode == "automatic" else 2e-2)


def test_a_brake_opens_below_zero_follows_channels_and_is_switched_by_events():
    by_speed = impeto.Formula(formula="drum.angular_velocity.z * 2 N*m*s/rad - 4 N*m")
    brake = impeto.Brake(name="brake", joint="axle", value=by_speed)
    load = impeto.Drive(name="load", joint="axle", prescribes="effort", value=1.0)
    r = run(rotor(brake, load), 8.0)
    assert r["drum.angular_velocity.z"][50] == pytest.approx(
        1.0, rel=1e-9
    )  # open: 2 rad/s² from rest
    rate = 2.0 / 0.5  # then α = (1 − 2 ω + 4) / I from 2 rad/s at 1 s, towards 2.5 rad/s
    assert r["drum.angular_velocity.z"][150] == pytest.approx(
        2.5 - 0.5 * np.exp(-rate * 0.5), rel=1e-6
    )
    off = impeto.Event(name="let_go", time="1 s", action="switch off", target="brake")
    held = impeto.Brake(name="brake", joint="axle", value=9.0)
    r = run(rotor(held, load, off), 2.0)
    assert r["drum.angular_velocity.z"][-1] == pytest.approx(2.0, rel=1e-9)
    with pytest.raises(ModelError, match="cannot be negative"):
        run(rotor(impeto.Brake(name="brake", joint="axle", value=-1.0)), 0.1)
    with pytest.raises(ModelError, match="turn x of axle is locked"):
        run(rotor(impeto.Brake(name="brake", joint="axle", freedom="turn x", value=1.0)), 0.1)


def test_all_that_acts_on_a_body_with_a_thread_sums_to_its_inertia():
    loads = loads_on(run(nut(4.0), 0.3), "load", 0.2)
    assert {load.element for load in loads} >= {"screw", "gravity", "inertia"}
    np.testing.assert_allclose(sum(load.force for load in loads), 0.0, atol=1e-8)
    np.testing.assert_allclose(sum(load.torque for load in loads), 0.0, atol=1e-8)
