"""Events that wait for contact, and how near bodies come to each other over a recording."""

import numpy as np
import pytest

import impeto
from impeto.core.errors import ChannelError, ModelError
from impeto.core.results.clearance import worst_instants
from tests.core.building import DOWN, G, body, frame, joint, run
from tests.core.test_contact import FLOOR, ball, rule
from tests.core.test_sampled_contact import made


def watch(name, when, channel, level, **rest):
    return impeto.Event(name=name, when=f"channel {when}", channel=channel, level=level, **rest)


def moments(recording, name):
    return [mark.time for mark in recording.marks if mark.element == name]


def test_events_see_when_bodies_touch_press_and_part():
    elements = [
        FLOOR, DOWN, ball(position=(0, 0, 0.55)), rule(restitution=0.5, stiffness="1 kN/mm"),
        watch("touched", "falls", "touch.gap", "0 mm", again=True),
        watch("parted", "rises", "touch.gap", "0 mm", again=True),
        watch("pressed", "rises", "touch.normal", "2 kN"),
    ]  # fmt: skip
    r = run(elements, 0.8, tol="normal", rate=2000)
    fall, speed = np.sqrt(2 * 0.5 / G), np.sqrt(2 * 0.5 * G)
    touched, parted, pressed = (moments(r, n) for n in ("touched", "parted", "pressed"))
    assert touched[0] == pytest.approx(fall, rel=1e-7)
    assert touched[0] < pressed[0] < parted[0]
    # gravity goes on while it presses, some 6 ms
    assert touched[1] - parted[0] == pytest.approx(2 * 0.5 * speed / G, rel=3e-2)
    assert np.interp(pressed[0], r.time, r["touch.normal"]) == pytest.approx(2000, rel=0.05)


def test_in_quick_mode_events_of_contact_come_with_the_step():
    elements = [
        FLOOR, DOWN, ball(position=(0, 0, 0.55)), rule(restitution=0.0),
        watch("touched", "falls", "touch.gap", "0 mm"),
        watch("pressed", "rises", "touch.normal", "1 N"),
    ]  # fmt: skip
    r = run(elements, 0.8, tol="normal", integrator="quick", step="2 ms")
    for name in ("touched", "pressed"):
        assert moments(r, name) == [pytest.approx(np.sqrt(2 * 0.5 / G), abs=5e-3)]


def test_forces_may_not_follow_channels_of_contact():
    load = impeto.Load(name="push", frame="eye", value=impeto.Formula(formula="touch.normal"))
    eye = impeto.Frame(name="eye", body="ball")
    with pytest.raises(ModelError, match=r"'touch.normal' is not a channel"):
        run([FLOOR, ball(), eye, rule(), load], 0.1)


def test_clearance_of_two_balls_is_known_whether_or_not_they_may_touch():
    other = impeto.Body(name="other", position=(0.5, 0.03, 0), velocity=(-1, 0, 0),
                        shapes=(impeto.Sphere(radius=0.05),))  # fmt: skip
    deep = impeto.Body(name="ground", shapes=(impeto.HalfSpace(position=(0, 0, -9)),))
    watched = [rule(first="ball", second="ground"), watch("low", "falls", "touch.gap", "0 mm")]
    r = run([deep, ball(), other, *watched], 1.0, rate=400)
    distance = np.hypot(0.5 - r.time, 0.03) - 0.1
    assert r["ball.clearance.other"] == pytest.approx(distance, abs=1e-9)
    assert r["other.clearance.ball"] == pytest.approx(distance, abs=1e-9)
    worst = worst_instants(r["ball.clearance.other"])
    assert r.time[worst[0]] == pytest.approx(0.5)
    assert r["ball.clearance.other"][worst[0]] == pytest.approx(-0.07)
    with pytest.raises(ChannelError, match="no channel"):
        r["ball.clearance.nothing"]


def test_clearance_of_a_mesh_and_a_block_follows_their_surfaces():
    ring = impeto.Body(name="ring", shapes=[impeto.Mesh(file="ring", unit="m")])
    pin = impeto.Body(name="pin", velocity=(0.1, 0, 0), shapes=[impeto.Box(size=(0.01, 0.01, 0.3))])
    model = impeto.Model("m", [ring, pin], geometry={"ring": made("ring")})
    r = impeto.simulate(model, until=0.4)
    x, half = r["pin.position.x"], 0.005  # in the hole of the ring at first
    corner = np.hypot(x + half, half)
    flat = np.abs(0.05 - 0.012 - x - half)
    in_hole = x < 0.03
    found = r["ring.clearance.pin"][in_hole]
    lower = 0.038 - corner[in_hole]  # the corner is nearest to the inside of the ring
    assert found == pytest.approx(np.minimum(lower, flat[in_hole]), abs=1e-4)


def test_a_body_without_shapes_has_no_clearance():
    frame = impeto.Body(name="frame", mass=1, inertia=(1, 1, 1))
    r = run([ball(), frame], 0.1)
    with pytest.raises(ChannelError, match="has no shape"):
        r["ball.clearance.frame"]


def test_events_watch_the_size_of_velocities_and_spins():
    """A ball thrown up is slowest at its top; a rotor on a tilted axle reaches its speed."""
    thrown = body("ball", velocity=(3.0, 0, 4.0))
    r = run([DOWN, thrown, impeto.Event(name="slow", when="channel falls", channel="ball.velocity",
                                      level="3.5 m/s")], 0.5)  # fmt: skip
    (mark,) = r.marks
    up = np.sqrt(3.5**2 - 3.0**2)
    assert mark.time == pytest.approx((4.0 - up) / G, abs=1e-6)
    turned = (0.3, 0.7, 0.2)
    rotor = [body("rotor", orientation=turned), frame("base", orientation=turned),
             frame("hub", "rotor"), joint("axle", "base", "hub", "turn z"),
             impeto.Drive(name="drive", joint="axle", prescribes="acceleration", value=2.0),
             impeto.Event(name="fast", when="channel rises", channel="rotor.angular_velocity",
                          level="5 rad/s", action="end run")]  # fmt: skip
    assert run(rotor, 10.0).time[-1] == pytest.approx(2.5, abs=1e-6)
    with pytest.raises(impeto.ModelError, match="not a channel that a formula can use"):
        run([body("b"), frame("f", "b"), impeto.Event(name="e", when="channel rises",
                                                      channel="f.angular_velocity", level=1)],
                                                      0.1)  # fmt: skip


@pytest.mark.parametrize("damping", [0.0, 30.0])
def test_an_event_on_the_force_of_a_rope_tells_when_it_goes_slack(damping):
    """k x + c v = 0 where tan(ω_d t) = ω_d/σ for a body that springs back along its slide."""
    mass, k = 2.0, 800.0
    elements = [
        body("b", mass, position=(0.6, 0, 0)), frame("wall"), frame("eye", "b"),
        joint("slide", "wall", "eye", "slide x"),
        impeto.Rope(name="rope", frame_a="wall", frame_b="eye", slack_length=0.5, stiffness=k,
                    damping=damping),
        watch("slack", "falls", "rope.force", 0), watch("half", "falls", "rope.force", 40),
    ]  # fmt: skip
    r = run(elements, 0.3)
    decay = damping / (2 * mass)
    rate = np.sqrt(k / mass - decay**2)
    expected = np.arctan2(rate, decay) / rate
    assert moments(r, "slack") == [pytest.approx(expected, abs=1e-8)]
    assert np.interp(moments(r, "half")[0], r.time, r["rope.force"]) == pytest.approx(40, rel=0.02)
    pull = impeto.Formula(formula="rope.tension")
    with pytest.raises(ModelError, match="not a channel"):
        run([*elements, impeto.Load(name="l", frame="eye", value=pull)], 0.1)


def test_events_watch_energies_and_levels_without_a_unit_are_si():
    """A body that falls onto a spring: its energies pass their levels where closed forms say."""
    mass, k, spin = 2.0, 500.0, 3.0
    falling = body("b", mass, (0.1, 0.2, 0.3), angular_velocity=(0, 0, spin))
    watched = [watch("fast", "rises", "system.energy.kinetic", 30),
               watch("low", "falls", "system.energy.potential", "-20 J"),
               watch("never", "rises", "system.energy.strain", 1.0)]  # fmt: skip
    r = run([DOWN, falling, *watched], 1.0)
    turning = 0.5 * 0.3 * spin**2
    assert moments(r, "fast") == [pytest.approx(np.sqrt(2 * (30 - turning) / mass) / G, abs=1e-9)]
    assert moments(r, "low") == [pytest.approx(np.sqrt(2 * 20 / (mass * G)) / np.sqrt(G), abs=1e-9)]
    assert not moments(r, "never")
    swings = [body("b", mass, position=(0.6, 0, 0)), frame("wall"), frame("eye", "b"),
              joint("slide", "wall", "eye", "slide x"),
              impeto.Spring(name="s", frame_a="wall", frame_b="eye", stiffness=k, free_length=0.5),
              watch("half", "falls", "system.energy.strain", 0.25 * k * 0.01),
              watch("total", "falls", "system.energy.total", 0.49 * k * 0.01)]  # fmt: skip
    r = run(swings, 0.2)
    assert moments(r, "half") == [pytest.approx(np.pi / 4 / np.sqrt(k / mass), abs=1e-9)]
    assert not moments(r, "total")
    with pytest.raises(ModelError, match="level"):
        run([falling, watch("e", "rises", "b.position.z", "3 N")], 0.1)


@pytest.mark.parametrize(("mode", "close"), [("automatic", 1e-4), ("quick", 2e-3)])
def test_an_event_on_slip_tells_when_a_contact_sticks(mode, close):
    """A block that slides over the floor with μ = 0.4 slows by μ g."""
    block = impeto.Body(name="block", position=(0, 0, 0.05), velocity=(1.0, 0, 0),
                        shapes=(impeto.Box(size=(0.4, 0.4, 0.1)),))  # fmt: skip
    dry = rule(static_friction=0.4, kinetic_friction=0.4, restitution=0.0)
    sticks = watch("sticks", "falls", "touch.slip", "10 mm/s", again=True)
    r = run([FLOOR, DOWN, block, dry, sticks], 0.4, integrator=mode)
    assert moments(r, "sticks")[-1] == pytest.approx(0.99 / (0.4 * G), rel=50 * close)
