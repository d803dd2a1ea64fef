"""Servos, motors, starts, equilibria, the stiff integrator and the linear view."""

from dataclasses import replace

import numpy as np
import pytest

import impeto
from impeto.core.errors import GapError, ModelError
from impeto.core.results.sizing import cloud, stalls
from impeto.core.results.system import energy_error
from impeto.core.results.trust import trust
from impeto.core.simulate import simulate
from impeto.core.solvers.implicit import spectral_radius
from impeto.services import model_file
from tests.core.building import DOWN, G, body, frame, joint, run

J = 0.5


def turning(*drives, inertia=J):
    return [body("b", 1.0, (inertia,) * 3), frame("g"), frame("f", "b"),
            joint("axle", "g", "f", "turn z"), *drives]  # fmt: skip


def servo(**values):
    return impeto.Servo(name="servo", joint="axle", **values)


def test_a_proportional_and_derivative_servo_is_a_damped_oscillator():
    p, d = 50.0, 4.0
    r = run(turning(servo(reference="1 rad", proportional=p, derivative=d)), 2.0)
    decay, w = d / (2 * J), np.sqrt(p / J - (d / (2 * J)) ** 2)
    t = r.time
    exact = 1 - np.exp(-decay * t) * (np.cos(w * t) + decay / w * np.sin(w * t))
    np.testing.assert_allclose(r["axle.turn_z.position"], exact, atol=1e-10)
    np.testing.assert_allclose(r["servo.error"], 1 - exact, atol=1e-10)


def test_the_integral_of_a_servo_takes_away_what_a_steady_load_leaves():
    load = impeto.Load(name="load", frame="f", applies="torque", direction=(0, 0, 1), value=-3.0)
    values = {"reference": "1 rad", "proportional": 50.0, "derivative": 10.0}
    without = run([*turning(servo(**values)), load], 5.0, "normal")
    assert without["servo.error"][-1] == pytest.approx(3.0 / 50.0, rel=1e-4)
    with_it = run([*turning(servo(**values, integral=100.0)), load], 5.0, "normal")
    assert abs(with_it["servo.error"][-1]) < 1e-4


def test_the_limit_of_a_servo_holds_and_its_integral_does_not_wind_up():
    values = {"reference": "3 rad", "proportional": 20.0, "derivative": 8.0, "integral": 10.0}
    free = run(turning(servo(**values)), 8.0, "normal")
    held = run(turning(servo(**values, limit=2.0)), 8.0, "normal")
    assert np.abs(held["servo.torque"]).max() == pytest.approx(2.0, rel=1e-9)
    assert free["servo.torque"].max() > 50.0
    assert held["axle.turn_z.position"].max() < 3.6  # winding up would carry it far beyond
    slow = run(turning(servo(**values, limit=2.0, rate_limit="4 N*m/s")), 8.0, "normal")
    assert np.abs(np.gradient(slow["servo.torque"], slow.time)).max() < 4.05


def test_a_sampled_servo_is_the_recursion_of_its_samples():
    """Held effort over each sample: the body's exact double integral, step by step."""
    p, d, ts = 20.0, 5.0, 0.02
    r = run(turning(servo(reference="1 rad", proportional=p, derivative=d, sample_time=ts)), 0.4,
            rate=50.0)  # fmt: skip
    q = v = 0.0
    for k in range(1, 21):
        torque = p * (1.0 - q) - d * v
        q, v = q + v * ts + 0.5 * torque / J * ts**2, v + torque / J * ts
        assert r["axle.turn_z.position"][k] == pytest.approx(q, abs=1e-10)


def motor(**values):
    base = {
        "joint": "axle", "supply": "24 V", "resistance": "1.2 ohm", "inductance": "0 H",
        "torque_constant": "0.05 N*m/A", "ratio": "40",
    }  # fmt: skip
    return impeto.Motor(name="motor", **(base | values))


def test_a_motor_runs_up_to_its_no_load_speed_with_its_time_constant():
    rotor = 2e-5
    r = run(turning(motor(rotor_inertia=rotor)), 1.0)
    inertia = J + rotor * 1600
    constant = 1600 * 0.05**2 / 1.2 / inertia
    exact = 24 / 0.05 / 40 * (1 - np.exp(-constant * r.time))
    np.testing.assert_allclose(r["axle.turn_z.speed"], exact, atol=1e-9)
    np.testing.assert_allclose(r["motor.torque"], J * r["axle.turn_z.acceleration"], atol=1e-8)
    assert energy_error(r) < 1e-9
    electric = r["motor.electric_energy"] - r["motor.copper_loss"]
    stored = r["motor.work"] + 0.5 * rotor * r["motor.rotor_speed"] ** 2
    np.testing.assert_allclose(electric, stored, atol=1e-8)


def test_the_gear_of_a_motor_loses_its_share_both_ways_and_can_lock():
    load = impeto.Load(name="load", frame="f", applies="torque", direction=(0, 0, 1), value=-30.0)
    driving = run([*turning(motor(efficiency=0.8)), load], 3.0, "normal")
    # Steady: η n Kt i = 30.
    assert driving["motor.current"][-1] == pytest.approx(30 / 0.8 / 40 / 0.05, rel=1e-4)
    off = impeto.Constant(value="0")
    braking = run([*turning(motor(efficiency=0.8, efficiency_back=0.5, duty=off)), load], 8.0,
                  "normal")  # fmt: skip
    assert braking["motor.current"][-1] == pytest.approx(30 * 0.5 / 40 / 0.05, rel=1e-3)
    locked = run([*turning(motor(efficiency=0.4, efficiency_back=0.0, duty=off)), load], 1.0)
    assert np.abs(locked["axle.turn_z.position"]).max() < 1e-12
    np.testing.assert_allclose(locked["motor.torque"], 30.0, rtol=1e-9)


def test_a_motor_on_a_screw_pushes_with_its_lead():
    lead, mass = 0.005, 10.0
    elements = [body("b", mass), frame("g"), frame("f", "b"), joint("axle", "g", "f", "slide x"),
                motor(freedom="slide x", ratio="2", lead=lead)]  # fmt: skip
    r = run(elements, 0.2)
    force = 2 * 2 * np.pi / lead * 0.05 * 24 / 1.2
    assert r["motor.force"][0] == pytest.approx(force, rel=1e-12)
    np.testing.assert_allclose(r["motor.force"], mass * r["b.acceleration.x"], rtol=1e-9, atol=1e-6)


def fourbar(**rest):
    """Crank, coupler and rocker of 0.2, 0.6 and 0.4 m over 0.5 m, drawn with the crank up."""
    start = (0.0, 0.2)
    distance = np.hypot(0.5, 0.2)
    along = (distance**2 + 0.6**2 - 0.4**2) / (2 * distance)
    off = np.sqrt(0.6**2 - along**2)
    e = np.array([0.5, -0.2]) / distance
    pin = np.array(start) + along * e + off * np.array([-e[1], e[0]])

    def bar(name, a, b):
        a, b = np.array(a), np.array(b)
        middle, length = (a + b) / 2, float(np.hypot(*(b - a)))
        angle = float(np.arctan2(*(b - a)[::-1]))
        return [
            body(name, 1.0, (0.01, 0.02, 0.02), position=(*map(float, middle), 0.0),
                 orientation=(0, 0, angle)),
            frame(f"{name}_a", name, -length / 2), frame(f"{name}_b", name, length / 2),
        ]  # fmt: skip

    return [
        *bar("crank", (0, 0), start), *bar("rod", start, pin), *bar("rocker", (0.5, 0), pin),
        frame("o"), frame("q", x=0.5),
        joint("main", "o", "crank_a", "turn z", **rest), joint("pin", "crank_b", "rod_a", "turn z"),
        joint("end", "rod_b", "rocker_b", "turn z"), joint("foot", "q", "rocker_a", "turn z"),
    ]  # fmt: skip


def test_a_start_value_poses_the_whole_mechanism_and_keeps_it_closed():
    value = impeto.StartValue(freedom="turn z", position="40 deg", speed="3 rad/s")
    r = run(fourbar(behaviours=(value,)), 0.1)
    assert r["main.turn_z.position"][0] == pytest.approx(np.radians(40), abs=1e-10)
    assert r["main.turn_z.speed"][0] == pytest.approx(3.0, abs=1e-9)
    gap = [r[f"rod_b.position.{k}"][0] - r[f"rocker_b.position.{k}"][0] for k in "xyz"]
    assert np.abs(gap).max() < 1e-10


def test_a_start_value_out_of_reach_is_named():
    limits = impeto.StartValue(freedom="turn z", position="170 deg")
    with pytest.raises(GapError, match="foot: the start value of turn z cannot be reached"):
        simulate(impeto.Model("m", [
            *[e for e in fourbar() if e.name != "foot"],
            joint("foot", "q", "rocker_a", "turn z", behaviours=(limits,))]),
            until=0.1)  # fmt: skip


def test_a_pose_by_name_starts_a_case_from_there():
    pose = impeto.Pose(name="half", joints=(
        impeto.JointValue(joint="main", freedom="turn z", position="90 deg"),))  # fmt: skip
    model = impeto.Model(
        "m",
        [*fourbar(), pose],
        cases=[impeto.Case(name="Base"), impeto.Case(name="Half", pose="half")],
    )
    assert simulate(model, until=0.1)["main.turn_z.position"][0] == pytest.approx(0.0, abs=2)
    start = simulate(model, "Half", until=0.1)["main.turn_z.position"][0]
    assert start == pytest.approx(np.pi / 2, abs=1e-10)


def test_a_run_goes_on_from_an_instant_of_another():
    first = run([DOWN, *fourbar()], 1.0)
    pose = impeto.pose_at(first, 0.4, "kept")
    settings = impeto.RunSettings(pose="kept", outputs=100.0)
    model = impeto.Model("m", [DOWN, *fourbar(), pose], settings=settings)
    second = simulate(model, until=0.5, tol="fine")
    np.testing.assert_allclose(
        second["rocker.position.x"], first["rocker.position.x"][40:91], atol=1e-9
    )


def test_start_speeds_that_do_not_fit_are_changed_and_said():
    elements = [body("b", 1.0, velocity=(1.0, 2.0, 0)), frame("g"), frame("f", "b"),
                joint("j", "g", "f", "slide x")]  # fmt: skip
    r = run(elements, 0.1)
    assert r["b.velocity.x"][0] == pytest.approx(1.0)
    assert r["b.velocity.y"][0] == pytest.approx(0.0, abs=1e-12)
    assert "b did not fit its joints" in r.notes[0]
    assert "e−" not in r.notes[0]  # what is rounding is not told


def test_settling_finds_the_equilibrium_and_says_how_well():
    k = 5.0
    hinge = impeto.Behaviour(freedom="turn y", stiffness=k)
    r = run([DOWN, body("b", 1.0, (0.1,) * 3, position=(0.5, 0, 0)), frame("g"),
             frame("f", "b", -0.5), joint("j", "g", "f", "turn y", behaviours=(hinge,))],
            0.5, settle=True)  # fmt: skip
    angle = r["j.turn_y.position"]
    assert np.ptp(angle) < 1e-9
    assert k * angle[0] == pytest.approx(G * 0.5 * np.cos(angle[0]), rel=1e-9)
    assert "equilibrium" in r.notes[-1]


def test_settling_leaves_an_unstable_pose_and_refuses_what_falls():
    upright = [DOWN, body("b", 1.0, (0.1,) * 3, position=(1e-3, 0, 0.5)), frame("g"),
               frame("f", "b", z=-0.5), joint("j", "g", "f", "turn y")]  # fmt: skip
    assert run(upright, 0.1, settle=True)["b.position.z"][0] == pytest.approx(-0.5, abs=1e-9)
    with pytest.raises(ModelError, match="b does not come to rest"):
        run([DOWN, body("b")], 0.1, settle=True)


def test_the_stiff_integrator_takes_over_by_itself_and_agrees_with_the_smooth_one():
    elements = [
        DOWN, body("b", 1.0, (0.1,) * 3, position=(0, 0, -1)),
        body("p", 2.0, (0.1,) * 3, position=(0.3, 0, -1)), frame("g"), frame("f", "b"),
        frame("h", "b"), frame("e", "p", -0.3), joint("j", "g", "f", "slide z"),
        joint("pin", "h", "e", "turn y"),
        impeto.Spring(name="s", frame_a="g", frame_b="f", stiffness=1e7, free_length=1.0),
        impeto.Damper(name="d", frame_a="g", frame_b="f", damping=2e5),
    ]  # fmt: skip
    smooth = run(elements, 0.5, "fine", 50.0, integrator="smooth")
    automatic = run(elements, 0.5, "normal", 50.0)
    assert smooth.statistics.integrator == "smooth"
    assert automatic.statistics.integrator == "smooth, then stiff"
    assert automatic.statistics.accepted < smooth.statistics.accepted / 5
    for name in ("pin.turn_y.position", "pin.force.x", "j.force.x"):
        scale = np.abs(smooth[name]).max()
        np.testing.assert_allclose(automatic[name], smooth[name], atol=1e-4 * scale)


def test_stops_and_events_work_in_the_stiff_integrator_too():
    stops = impeto.Stops(freedom="slide x", upper="100 mm", stiffness="1 MN/m", restitution=0.5)
    r = run([body("b", velocity=(1.0, 0, 0)), frame("g"), frame("f", "b"),
             joint("j", "g", "f", "slide x", behaviours=(stops,)),
             impeto.Event(name="back", when="channel falls", channel="b.position.x",
                          level="50 mm", action="end run")],
            1.0, "fine", 1000.0, integrator="stiff")  # fmt: skip
    assert r["b.velocity.x"][-1] == pytest.approx(-0.5, rel=1e-6)
    assert r.time[-1] == pytest.approx(0.1 + 0.0034 + 0.1, abs=1.1e-3)


def test_a_motor_that_is_switched_off_has_no_current_and_a_stalled_one_is_reported():
    load = impeto.Load(name="load", frame="f", applies="torque", direction=(0, 0, 1), value=-50.0)
    dry = impeto.Friction(freedom="turn z", kinetic=0.0, constant=60.0)
    elements = [
        body("b", 1.0, (J,) * 3), frame("g"), frame("f", "b"),
        joint("axle", "g", "f", "turn z", behaviours=(dry,)), motor(inductance="2 mH"), load,
        impeto.Event(name="cut", time="0.5 s", action="switch off", target="motor"),
    ]  # fmt: skip
    r = run(elements, 1.0)
    assert r["motor.current"][45] == pytest.approx(20.0, rel=1e-6)
    assert np.abs(r["motor.current"][51:]).max() == 0.0
    assert np.ptp(r["motor.electric_energy"][52:]) < 1e-12
    assert "motor stalls from 0 s: 20" in stalls(r)[0]
    assert any("stalls" in line for line in trust(r).lines)
    assert not stalls(run(turning(motor()), 1.0))


def test_a_motor_that_holds_with_a_little_of_its_voltage_is_not_stalled():
    """It turns at full duty, then at a tenth of it the dry friction holds it."""
    dry = impeto.Friction(freedom="turn z", kinetic=0.0, constant=10.0)
    slowed = motor(duty=impeto.Formula(formula="where(t < 0.5 s, 1, 0.1)"))
    r = run([body("b", 1.0, (J,) * 3), frame("g"), frame("f", "b"),
             joint("axle", "g", "f", "turn z", behaviours=(dry,)), slowed], 2.0)  # fmt: skip
    standing = np.abs(r["axle.turn_z.speed"]) < 1e-9
    assert standing[-20:].all()
    assert not standing[5:40].any()
    assert np.abs(r["motor.current"][-1]) > 1.0
    assert not stalls(r)


def test_a_drive_is_held_against_its_limit_curve():
    curve = "0 rad/s: 100 N*m; 20 rad/s: 20 N*m"
    drive = impeto.Drive(name="d", joint="axle", prescribes="effort", value=30.0,
                         limit_curve=curve)  # fmt: skip
    r = run(turning(drive), 0.25)
    found = cloud(r, "d")
    fastest = 30.0 / J * 0.25
    assert found.speed.max() == pytest.approx(fastest, rel=1e-9)
    assert found.margin == pytest.approx(100 - 4 * fastest - 30, rel=1e-9)
    np.testing.assert_allclose(r["d.margin"].min(), found.margin)


def test_unused_coordinates_and_used_ones_agree():
    """The same swing with and without something along the joint's coordinate."""
    plain = [DOWN, body("b", 2.0, (0.1, 0.2, 0.3), position=(0.3, 0, 0),
                        angular_velocity=(1, 2, 3)),
             frame("g"), frame("f", "b", -0.3)]  # fmt: skip
    free = ("turn x", "turn y", "turn z")
    weak = tuple(impeto.Behaviour(freedom=f, stiffness=0.0) for f in free)
    one = run([*plain, joint("ball", "g", "f", *free)], 0.5)
    two = run([*plain, joint("ball", "g", "f", *free, behaviours=weak)], 0.5)
    for name in one.channels("ball"):
        np.testing.assert_allclose(one[name], two[name], atol=1e-8, err_msg=name)


def test_a_settled_start_keeps_the_speeds_that_drives_and_joints_ask_for():
    model = model_file.load_demo("scale_platform")
    for case in model.cases:
        r = simulate(model, case, until=0.5)
        assert not r.stopped, r.stopped
        assert r["rotor_bearing.turn_z.speed"][0] == pytest.approx(10 * np.pi, rel=1e-9)
        assert r["platform.velocity"][0] < 0.1  # the out-of-balance pushes a little
        assert energy_error(r) < 1e-5
    # Steady: the platform's bounce has the rotor's frequency.
    r = simulate(model, until=4.0)
    late = r.time > 3.0
    spectrum = np.abs(np.fft.rfft(r["platform.position.z"][late] * np.hanning(late.sum())))
    assert 1 + np.argmax(spectrum[2:]) + 1 == pytest.approx(5, abs=1)


def geared(degrees, *acts, **settings):
    """Two wheels on axles, the first with a start value; it turns twice as far as the second."""
    elements = []
    for name, x in (("a", 0.0), ("b", 0.3)):
        elements += [body(name, position=(x, 0, 0)), frame(f"{name}_g", x=x),
                     frame(f"{name}_f", name)]  # fmt: skip
    start = impeto.StartValue(freedom="turn z", position=f"{degrees} deg")
    elements += [
        joint("first", "a_g", "a_f", "turn z", behaviours=(start, *acts)),
        joint("second", "b_g", "b_f", "turn z"),
        impeto.Gears(name="pair", joint_a="first", joint_b="second", radius_a=0.1, radius_b=0.2),
    ]
    return run(elements, 0.2, **settings)


@pytest.mark.parametrize("degrees", [40, 200, -260, 500])
def test_start_values_beyond_half_a_turn_are_those_that_were_asked(degrees):
    """200° is not −160°: a gear pair and a torsion spring would stand elsewhere."""
    spring = impeto.Behaviour(freedom="turn z", stiffness="2 N*m/rad")
    r = geared(degrees, spring)
    asked = np.radians(degrees)
    assert r["first.turn_z.position"][0] == pytest.approx(asked, rel=1e-9)
    assert r["second.turn_z.position"][0] == pytest.approx(-asked / 2, rel=1e-9)
    assert r["first.turn_z.effort"][0] == pytest.approx(-2.0 * asked, rel=1e-9)


def test_settling_keeps_the_turns_of_the_start():
    """The spring is relaxed at one turn and a half: there it comes to rest, not at half a turn."""
    spring = impeto.Behaviour(
        freedom="turn z", stiffness="2 N*m/rad", damping="1 N*m*s/rad", free_position="540 deg"
    )
    r = geared(500, spring, settle=True)
    assert r["first.turn_z.position"][-1] == pytest.approx(np.radians(540), rel=1e-6)
    assert r["second.turn_z.position"][-1] == pytest.approx(-np.radians(270), rel=1e-6)


def test_the_stiff_integrator_hands_back_where_nothing_is_stiff():
    """At first nearly nothing moves and stability alone limits the steps; then accuracy does."""
    deck = model_file.load_demo("chipper_deck")
    r = impeto.simulate(deck, "Base")
    assert "stiff" in r.statistics.integrator
    smooth = deck.changed(settings=replace(deck.settings, integrator="smooth"))
    alone = impeto.simulate(smooth, "Base")
    assert alone.statistics.integrator == "smooth"
    assert r.statistics.accepted < 1.5 * alone.statistics.accepted  # ten times as many before
    way = np.ptp(alone["deck.position.z"])
    np.testing.assert_allclose(r["deck.position.z"], alone["deck.position.z"], atol=1e-5 * way)


@pytest.mark.parametrize("seed", range(5))
def test_the_dominant_eigenvalue_of_a_jacobian_is_about_right(seed):
    rng = np.random.default_rng(seed)
    a = rng.normal(size=(30, 30)) * 10.0 ** rng.uniform(-3, 3, size=30)
    largest = np.abs(np.linalg.eigvals(a)).max()
    assert spectral_radius(a) == pytest.approx(largest, rel=0.5)
    assert spectral_radius(np.zeros((4, 4))) == 0.0
