"""Stops, friction, events and everything else that changes abruptly."""

import numpy as np
import pytest

import impeto
from impeto.core.errors import ModelError
from impeto.core.results.system import energy_error
from impeto.core.simulate import simulate
from tests.core.building import DOWN, G, body, frame, joint, run


def sliding(*behaviours, mass=1.0, speed=0.0, extra=()):
    """A body on a slide along x."""
    return [
        body("b", mass, velocity=(speed, 0, 0)), frame("rail"), frame("shoe", "b"),
        joint("slide", "rail", "shoe", "slide x", behaviours=behaviours), *extra,
    ]  # fmt: skip


def slope(angle, kinetic, static=None, speed=3.0):
    """The same on an incline: gravity tilted, friction from the reaction."""
    direction = (-float(np.sin(angle)), 0.0, -float(np.cos(angle)))
    dry = impeto.Friction(freedom="slide x", kinetic=kinetic, static=static)
    gravity = impeto.Gravity(name="gravity", size=G, direction=direction)
    return sliding(dry, mass=2.0, speed=speed, extra=(gravity,))


@pytest.mark.parametrize("restitution", [0.05, 0.3, 0.5, 0.8, 0.95, 1.0])
def test_a_stop_gives_back_the_restitution_that_was_asked(restitution):
    stops = impeto.Stops(
        freedom="slide x", upper="100 mm", stiffness="1 MN/m", restitution=restitution
    )
    r = run(sliding(stops, speed=1.0), 0.3)
    assert -r["b.velocity.x"][-1] == pytest.approx(restitution, rel=1e-10)
    assert energy_error(r) < 1e-9
    assert [mark.element for mark in r.marks] == ["slide", "slide"]
    assert r.marks[0].time == pytest.approx(0.1, abs=1e-10)


def test_a_ball_on_a_stop_bounces_lower_each_time_and_comes_to_rest():
    e, h = 0.6, 1.0
    stops = impeto.Stops(freedom="slide z", lower="0 m", stiffness="1 GN/m", restitution=e)
    r = run([
        DOWN, body("b", 1.0, position=(0, 0, h)), frame("g"), frame("f", "b"),
        joint("j", "g", "f", "slide z", behaviours=(stops,))], 4.0, "normal", 1000.0)  # fmt: skip
    z, v = r["b.position.z"], r["b.velocity.z"]
    tops = z[1:-1][(v[1:-1] >= 0) & (v[2:] < 0)]
    np.testing.assert_allclose(tops[:4], h * e ** (2 * np.arange(1, 5)), rtol=5e-3)
    assert abs(v[-1]) < 1e-4
    assert abs(z[-1]) < 1e-6


def test_dry_friction_stops_a_block_on_a_slope_and_holds_it_still():
    angle, mu = np.radians(20), 0.5
    r = run(slope(angle, mu, 0.6), 1.5)
    stop = 3.0 / (G * (np.sin(angle) + mu * np.cos(angle)))
    assert r["b.position.x"][-1] == pytest.approx(1.5 * stop, rel=1e-12)
    assert abs(r["slide.slide_x.speed"][-1]) < 1e-15  # it does not creep
    assert r["slide.slide_x.friction"][-1] == pytest.approx(2 * G * np.sin(angle), rel=1e-12)
    assert [mark.time for mark in r.marks] == pytest.approx([stop], rel=1e-10)
    assert energy_error(r) < 1e-10


def test_a_block_that_cannot_hold_slides_back_with_less_acceleration():
    angle, mu, end = np.radians(20), 0.25, 1.5
    r = run(slope(angle, mu), end)
    up, down = G * (np.sin(angle) + mu * np.cos(angle)), G * (np.sin(angle) - mu * np.cos(angle))
    exact = 4.5 / up - 0.5 * down * (end - 3.0 / up) ** 2
    assert r["b.position.x"][-1] == pytest.approx(exact, rel=1e-10)


def test_friction_in_a_bearing_comes_from_its_load_and_its_pin():
    mass, inertia, mu, radius = 4.0, 0.02, 0.2, 0.01
    dry = impeto.Friction(freedom="turn y", kinetic=mu, pin_radius=radius)
    r = run([
        DOWN, body("wheel", mass, (inertia,) * 3, angular_velocity=(0, 10.0, 0)), frame("g"),
        frame("f", "wheel"), joint("pin", "g", "f", "turn y", behaviours=(dry,))], 4.0)  # fmt: skip
    braking = mu * radius * mass * G / inertia
    assert r["pin.turn_y.position"][-1] == pytest.approx(100 / (2 * braking), rel=1e-11)
    assert r["pin.turn_y.friction_loss"][-1] == pytest.approx(0.5 * inertia * 100, rel=1e-9)


def test_friction_and_reaction_find_each_other_when_they_depend_on_each_other():
    """A pendulum with a thick pin: the pin force holds the braking torque's own reaction."""
    dry = impeto.Friction(freedom="turn y", kinetic=0.3, pin_radius="100 mm")
    r = run([
        DOWN, body("bar", 2.0, (0.01, 2 / 12, 2 / 12), position=(0.5, 0, 0)), frame("g"),
        frame("f", "bar", -0.5), joint("pin", "g", "f", "turn y", behaviours=(dry,))],
        0.2)  # fmt: skip
    load = np.hypot(r["pin.force.x"], r["pin.force.z"])
    np.testing.assert_allclose(np.abs(r["pin.turn_y.friction"][1:]), 0.03 * load[1:], rtol=1e-12)
    assert energy_error(r) < 1e-10


def test_stick_and_slip_alternate_where_static_friction_is_higher():
    """A block pulled through a spring at constant speed jumps forward by twice the excess."""
    k, mass, kinetic, excess, v = 100.0, 1.0, 2.0, 1.0, 0.1
    dry = impeto.Friction(
        freedom="slide x", kinetic=kinetic / G / mass, static=(kinetic + excess) / G / mass
    )
    r = run([
        impeto.Gravity(name="gravity", size=G), body("b", mass), body("puller", 1.0,
                                                                      position=(1, 0, 0)),
        frame("rail"), frame("shoe", "b"), frame("g2", x=1.0), frame("hook", "puller"),
        joint("slide", "rail", "shoe", "slide x", behaviours=(dry,)),
        joint("pull", "g2", "hook", "slide x"),
        impeto.Drive(name="drive", joint="pull", freedom="slide x", value=v),
        impeto.Spring(name="s", frame_a="shoe", frame_b="hook", stiffness=k, free_length=1.0)],
        2.0, rate=2000.0)  # fmt: skip
    # Slip from rest under the excess: speed is zero again at ω τ = 2π − 2 atan(excess ω / k v).
    w = np.sqrt(k / mass)
    slip = (2 * np.pi - 2 * np.arctan(excess * w / (k * v))) / w
    breaks = (kinetic + excess) / (k * v)
    assert [m.time for m in r.marks][:2] == pytest.approx([breaks, breaks + slip], rel=1e-9)
    jump = excess / k * (1 - np.cos(w * slip)) + v * (slip - np.sin(w * slip) / w)
    resting = (r.time > breaks + slip + 1e-3) & (r.time < breaks + slip + 0.1)
    np.testing.assert_allclose(r["b.position.x"][resting], jump, rtol=1e-9)


def test_events_switch_release_lock_and_end_where_their_condition_is_met():
    elements = [
        body("b"), frame("g"), frame("wall", x=1.0), frame("f", "b"),
        joint("j", "g", "f", "slide x"),
        impeto.Spring(name="s", frame_a="wall", frame_b="f", stiffness=100.0, free_length=0.5),
        impeto.Event(name="throw", when="channel rises", channel="b.position.x", level="0.2 m",
                     action="switch off", target="s"),
        impeto.Event(name="far", when="channel rises", channel="b.position.x", level="2 m",
                     action="end run"),
    ]  # fmt: skip
    r = run(elements, 5.0)
    speed = np.sqrt(100 * (0.25 - 0.09))
    assert r["b.velocity.x"][-1] == pytest.approx(speed, rel=1e-11)
    thrown = np.arccos(0.3 / 0.5) / 10
    assert [m.time for m in r.marks] == pytest.approx([thrown, thrown + 1.8 / speed], rel=1e-10)
    assert r.time[-1] < thrown + 1.8 / speed
    assert energy_error(r) < 1e-9  # the spring's energy went to the account of events


@pytest.mark.parametrize(
    "kept", [impeto.Path(name="kept"), impeto.Group(name="kept"), impeto.Parameter(name="kept",
             value="1")]
)  # fmt: skip
def test_what_cannot_be_switched_is_refused_as_the_target_of_an_event(kept):
    event = impeto.Event(name="never", time="0.5 s", action="switch off", target="kept")
    with pytest.raises(ModelError, match="'kept' is not a joint, coupler, force"):
        run([body("b"), kept, event], 1.0)


def test_a_locked_joint_stops_like_an_inelastic_impact_and_goes_on_when_released():
    elements = [
        DOWN, body("b"), frame("g"), frame("f", "b"), joint("j", "g", "f", "slide z"),
        impeto.Event(name="catch", time="0.5 s", action="lock joint", target="j"),
        impeto.Event(name="drop", time="0.8 s", action="switch on", target="j"),
    ]  # fmt: skip
    r = run(elements, 1.3)
    fallen = -0.5 * G * 0.25
    held = (r.time > 0.501) & (r.time < 0.799)
    np.testing.assert_allclose(r["b.position.z"][held], fallen, rtol=1e-10)
    np.testing.assert_allclose(r["j.force.z"][held], G, rtol=1e-10)
    assert r["b.position.z"][-1] == pytest.approx(2 * fallen, rel=1e-10)
    assert r["system.energy.events"][-1] == pytest.approx(-0.5 * (0.5 * G) ** 2, rel=1e-9)
    assert energy_error(r) < 1e-10


def test_a_released_joint_lets_go_and_reads_zero_from_then_on():
    elements = [
        DOWN, body("b", 2.0), frame("g"), frame("f", "b"), joint("hook", "g", "f"),
        impeto.Event(name="cut", time="0.4 s", action="switch off", target="hook"),
    ]  # fmt: skip
    r = run(elements, 1.0)
    assert r["hook.force.z"][10] == pytest.approx(2 * G, rel=1e-12)
    assert np.abs(r["hook.force"][41:]).max() < 1e-9
    assert r["b.position.z"][-1] == pytest.approx(-0.5 * G * 0.36, rel=1e-10)


def test_an_event_changes_a_parameter_and_refuses_one_that_shapes_bodies():
    elements = [
        body("b"), frame("g"), frame("f", "b"), joint("j", "g", "f", "slide x"),
        impeto.Parameter(name="push", value="10 N"),
        impeto.Load(name="load", frame="f", direction=(1, 0, 0), value="push"),
        impeto.Event(name="back", time="0.5 s", action="set parameter", target="push",
                     value="-20 N"),
    ]  # fmt: skip
    r = run(elements, 1.0)
    assert r["b.velocity.x"][-1] == pytest.approx(-5.0, rel=1e-12)
    np.testing.assert_allclose(r["load.value"][[10, 90]], [10.0, -20.0])
    wrong = [*elements, impeto.Parameter(name="weight", value="3 kg"),
             impeto.Body(name="c", mass="weight", inertia=(1, 1, 1)),
             impeto.Event(name="e2", time="0.2 s", action="set parameter", target="weight",
                          value="4 kg")]  # fmt: skip
    with pytest.raises(ModelError, match="shapes bodies"):
        simulate(impeto.Model("m", wrong), until=1.0)


def test_signals_that_jump_are_met_exactly():
    """Impulse of a pulse, of a ramp and of a formula with a comparison, to rounding."""
    for value, impulse in (
        (impeto.Pulse(value="8 N", begin="0.1037 s", finish="0.2111 s"), 8 * 0.1074),
        (impeto.Ramp(start="0 N", end="6 N", begin="0.1 s", finish="0.313 s"),
         6 * (0.213 / 2 + 1 - 0.313)),
        (impeto.Formula(formula="where(t > 0.7071 s, 5 N, -1 N)"), 5 * 0.2929 - 0.7071),
        (impeto.Step(start="0 N", end="4 N", begin="0.2 s", finish="0.6 s"), 4 * (0.2 + 0.4)),
    ):  # fmt: skip
        push = impeto.Load(name="push", frame="shoe", direction=(1, 0, 0), value=value)
        r = run(sliding(extra=(push,)), 1.0)
        assert r["b.velocity.x"][-1] == pytest.approx(impulse, rel=1e-10)


def test_a_drive_whose_speed_jumps_takes_its_body_along_and_the_books_balance():
    speed = impeto.Formula(formula="where(t > 0.3 s, 2 m/s, 0 m/s)")
    drive = impeto.Drive(name="d", joint="slide", freedom="slide x", value=speed)
    r = run(sliding(mass=3.0, extra=(drive,)), 1.0)
    assert r["b.position.x"][-1] == pytest.approx(1.4, rel=1e-10)
    assert r["system.energy.events"][-1] == pytest.approx(6.0, rel=1e-9)
    assert energy_error(r) < 1e-9


def test_a_formula_that_chatters_ends_with_a_sentence_and_no_endless_run():
    push = impeto.Load(
        name="brake", frame="shoe", direction=(1, 0, 0), value="-5 N * sign(b.velocity.x)"
    )
    model = impeto.Model("m", sliding(speed=1.0, extra=(push,)))
    r = simulate(model, until=1.0)
    assert "switches back and forth" in r.stopped
    assert "brake" in r.stopped
    assert r.time[-1] > 0.15


def test_drives_that_contradict_each_other_are_both_named_with_the_time():
    other = impeto.Drive(name="second", joint="slide", freedom="slide x",
                         value="where(t > 0.31 s, 2 m/s, 1 m/s)")  # fmt: skip
    first = impeto.Drive(name="first", joint="slide", freedom="slide x", value="1 m/s")
    r = simulate(impeto.Model("m", sliding(speed=1.0, extra=(first, other))), until=1.0)
    assert "first" in r.stopped
    assert "second" in r.stopped
    assert "0.31" in r.stopped
    assert r.time[-1] > 0.3


def test_friction_of_a_turn_without_a_lever_is_refused_and_not_silently_nothing():
    dry = impeto.Friction(freedom="turn z", kinetic=0.2)
    with pytest.raises(ModelError, match="needs a pin radius or a constant part"):
        run([body("b"), frame("g"), frame("f", "b"),
             joint("j", "g", "f", "turn z", behaviours=(dry,))], 0.1)  # fmt: skip
