"""Settling on contacts against statics: what lies, leans or stands on springs and wheels."""

import numpy as np
import pytest

import impeto
from impeto.core.errors import ModelError
from impeto.core.linear import linear_view
from impeto.core.simulate import Live, simulate
from tests.core.building import DOWN, G, body, frame, joint, run
from tests.core.test_contact import friction, rule

SLOPE = np.deg2rad(10.0)
UNBALANCED = 1e-4  # of gravity: to where settling goes, core/solvers/relaxing.py


def on_a_slope(**settings):
    """A box of 2 kg that is let go just above a slope, in parallel with it."""
    box = body("box", 2.0, (0.01, 0.01, 0.01), position=(0.06 * np.sin(SLOPE), 0, 0.06),
               orientation=(0, SLOPE, 0), shapes=(impeto.Box(size=(0.2, 0.2, 0.1)),))  # fmt: skip
    ground = impeto.Body(name="ground", shapes=(impeto.HalfSpace(orientation=(0, SLOPE, 0)),))
    stick = rule(stiffness="1 kN/mm", **friction(0.5))
    return run([ground, DOWN, box, stick], 0.5, "normal", settle=True, **settings)


def test_a_box_settles_on_a_slope_and_stays_there_from_the_first_instant():
    r = on_a_slope()
    weight = 2.0 * G
    assert r["touch.normal"] == pytest.approx(weight * np.cos(SLOPE), rel=2 * UNBALANCED)
    held = [r[f"box.touch.ground.force.{axis}"] for axis in "xyz"]
    assert np.abs(np.array(held).T - (0.0, 0.0, weight)).max() < 2 * UNBALANCED * weight
    assert np.abs(r["box.acceleration.x"]).max() < 2 * UNBALANCED * G
    assert np.ptp(r["box.position.x"]) < 1e-6
    assert "Settled to equilibrium with contacts" in r.notes[-1]


def test_settling_can_be_looked_at_and_comes_to_where_the_run_begins():
    box = body("box", 2.0, (0.01, 0.01, 0.01), position=(0, 0, 0.3),
               shapes=(impeto.Box(position=(0, 0, 0.01), size=(0.2, 0.2, 0.1)),))  # fmt: skip
    ground = impeto.Body(name="ground", shapes=(impeto.HalfSpace(),))
    settings = impeto.RunSettings(until=0.1, settle=True)
    live, seen = Live(), []

    def look(_share, _solved):
        if live.settling is not None and live.run is None:
            origin, axes = live.settling.places()["box"]
            seen.append((origin[2], live.settling.unbalanced))
            assert axes == pytest.approx(np.eye(3), abs=1e-6)
        return True

    model = impeto.Model("m", [ground, DOWN, box, rule()], settings=settings)
    r = simulate(model, progress=look, live=live)
    heights, unbalanced = np.array(seen).T
    assert heights[0] > 0.2
    assert heights[-1] == pytest.approx(r["box.position.z"][0], abs=1e-3)
    assert unbalanced[0] == 1.0
    assert unbalanced[-1] < 0.1


def test_in_quick_mode_the_run_starts_from_there_too():
    r = on_a_slope(integrator="quick", step="2 ms")
    assert np.ptp(r["box.position.x"]) < 1e-5
    assert np.ptp(r["box.position.z"]) < 1e-5


def wheel_under_a_mass(load="0 N", spin=0.0):
    """A mass of 30 kg on a spring over a wheel of 10 kg, guided upright and pressed down."""
    return [
        impeto.Body(name="ground", shapes=(impeto.HalfSpace(),)), DOWN, rule(**friction(0.8)),
        body("wheel", 10.0, (0.2, 0.4, 0.2), position=(0, 0, 0.32), angular_velocity=(0, spin, 0),
             shapes=(impeto.Cylinder(radius=0.3, length=0.2, orientation=("90 deg", 0, 0)),)),
        body("mass", 30.0, position=(0, 0, 1.0)), frame("rail"), frame("guided", "mass"),
        frame("hub", "wheel"), frame("seat", "mass", z=-0.4),
        joint("guide", "rail", "guided", "slide z"),
        joint("axle", "seat", "hub", "slide z", "turn y"),
        impeto.Spring(name="leg", frame_a="seat", frame_b="hub", stiffness="5 N/mm",
                      free_length=0.3),
        impeto.Load(name="push", frame="guided", value=load),
    ]  # fmt: skip


def test_a_wheel_carries_all_that_stands_on_it_and_time_stands_still_meanwhile():
    later = "200 N * rise(t, 1 s, 2 s)"
    r = run(wheel_under_a_mass(later), 0.2, "normal", settle=True)
    assert r["touch.normal"][0] == pytest.approx(40.0 * G, rel=UNBALANCED)
    assert r["leg.force"][0] == pytest.approx(-30.0 * G, rel=2 * UNBALANCED)
    assert np.ptp(r["mass.position.z"]) < 1e-5


def test_what_turns_at_the_start_still_does_after_settling():
    r = run(wheel_under_a_mass(spin=2.0), 0.01, "normal", settle=True)
    assert r["axle.turn_y.speed"][0] == pytest.approx(2.0)
    assert r["touch.normal"][0] == pytest.approx(40.0 * G, rel=1e-2)


def test_what_has_nothing_to_lie_on_is_named():
    lost = impeto.Body(name="lost", position=(0, 0, 1), shapes=(impeto.Sphere(radius=0.1),))
    with pytest.raises(ModelError, match="lost does not come to rest"):
        run([DOWN, lost, rule()], 0.1, settle=True)


def test_the_linear_view_says_that_it_leaves_contacts_out():
    view = linear_view(impeto.Model("m", wheel_under_a_mass()), settled=False)
    assert "Contacts are left out" in view.note


def test_what_is_left_unbalanced_follows_the_accuracy():
    """Three planks that fall on each other: the floor bears their weight."""
    box = impeto.Box(size=("200 mm", "150 mm", "100 mm"), density="700 kg/m^3")
    planks = [
        impeto.Body(name=f"plank_{k}", position=(0.3 * k, 0, 0.2 + 0.25 * k), shapes=(box,),
                    orientation=(0.1 * k, 0.2, 0.3 * k))
        for k in range(3)
    ]  # fmt: skip
    model = impeto.Model("planks", [
        impeto.Gravity(name="gravity"), impeto.Body(name="ground", shapes=(impeto.HalfSpace(),)),
        *planks, impeto.ContactRule(name="lie", stiffness="1 kN/mm", restitution=0.2),
    ], settings=impeto.RunSettings(settle=True))  # fmt: skip
    weight = 3 * 700 * 0.2 * 0.15 * 0.1 * 9.80665
    missing = []
    for tol, most in (("draft", 1e-4), ("normal", 1e-5), ("fine", 1e-5)):
        solved = simulate(model, None, 0.01, tol)
        missing.append(abs(solved["lie.normal"][0] / weight - 1.0))
        assert missing[-1] < most
    assert missing[0] > missing[1] > missing[2]
