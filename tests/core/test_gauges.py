"""Gauges and formulas over channels, against closed forms and what was recorded otherwise."""

import numpy as np
import pytest

import impeto
from impeto.core.model import over_time
from impeto.core.simulate import simulate

SPIN, FAR = 3.0, 0.4


def turntable(*gauges, events=(), until=2.0):
    """A disc that turns at 3 rad/s with a frame 0.4 m off its axis, and one on the ground."""
    return impeto.Model("turntable", [
        impeto.Parameter(name="gain", value="2"),
        impeto.Body(name="disc", shapes=[impeto.Cylinder(radius="0.5 m", length="40 mm")]),
        impeto.Frame(name="hub"), impeto.Frame(name="hub_on_disc", body="disc"),
        impeto.Joint(name="axle", frame_a="hub", frame_b="hub_on_disc", free=["turn z"]),
        impeto.Drive(name="turning", joint="axle", freedom="turn z", prescribes="speed",
                     value=f"{SPIN} rad/s"),
        impeto.Frame(name="eye", body="disc", position=(FAR, 0, 0)),
        impeto.Frame(name="post", position=(1.0, 0, 0)),
        *gauges, *events,
    ], settings=impeto.RunSettings(until=until, outputs=200))  # fmt: skip


GAP = impeto.Gauge(name="gap", frame_a="post", frame_b="eye")


def test_a_distance_and_its_rates_are_those_of_a_point_on_a_circle():
    r = simulate(turntable(GAP), tol="fine")
    turn = SPIN * r.time
    d = np.sqrt(1.0 + FAR**2 - 2.0 * FAR * np.cos(turn))
    rate = FAR * SPIN * np.sin(turn) / d
    assert r["gap.value"] == pytest.approx(d, abs=1e-7)
    assert r["gap.rate"] == pytest.approx(rate, abs=1e-6)
    assert r["gap.acceleration"] == pytest.approx(
        FAR * SPIN**2 * np.cos(turn) / d - rate**2 / d, abs=1e-5
    )
    assert r["gap.x"] == pytest.approx(FAR * np.cos(turn) - 1.0, abs=1e-7)


def test_angles_of_one_frame_in_another_and_what_a_wheel_is_judged_by():
    tilted = impeto.Frame(name="tilted", body="disc", orientation=("10 deg", 0, "5 deg"))
    gauge = impeto.Gauge(name="set", quantity="angle", frame_a="hub_on_disc", frame_b="tilted")
    r = simulate(turntable(tilted, gauge), until=0.1)
    for name, degrees in (("value", 10), ("roll", 10), ("pitch", 0), ("yaw", 5)):
        assert np.degrees(r[f"set.{name}"]) == pytest.approx(degrees, abs=1e-6)
    axle = np.cos(np.radians(10)) * np.array([-np.sin(np.radians(5)), np.cos(np.radians(5))])
    assert np.degrees(r["set.camber"]) == pytest.approx(-10, abs=1e-6)
    assert r["set.toe"] == pytest.approx(np.arctan2(-axle[0], axle[1]), abs=1e-8)


def test_relative_motion_is_along_the_axes_of_the_first_frame():
    gauge = impeto.Gauge(name="past", quantity="relative motion", frame_a="eye", frame_b="post")
    r = simulate(turntable(gauge), tol="fine")
    assert r["past.value"] == pytest.approx(FAR * SPIN, abs=1e-7)
    assert r["past.y"] == pytest.approx(-FAR * SPIN, abs=1e-7)
    assert r["past.x"] == pytest.approx(0.0, abs=1e-7)
    assert r["past.angular_velocity.z"] == pytest.approx(-SPIN, abs=1e-9)


@pytest.mark.parametrize(
    ("text", "kind", "closed"),
    [
        ("gain*eye.position.x", "length", lambda t: 2.0 * FAR * np.cos(SPIN * t)),
        ("rate(eye.position.x)", "speed", lambda t: -FAR * SPIN * np.sin(SPIN * t)),
        ("integral(eye.velocity.x)", "length", lambda t: FAR * (np.cos(SPIN * t) - 1.0)),
        ("average(eye.position.x, 0.2 s)", "length",
         lambda t: FAR * np.cos(SPIN * t) * np.sin(0.1 * SPIN) / (0.1 * SPIN)),
        ("highest(t*eye.velocity)/1 s", "speed", lambda t: t * FAR * SPIN),
        ("eye.position.x - first(eye.position.x)", "length",
         lambda t: FAR * (np.cos(SPIN * t) - 1.0)),
        ("count(eye.position.y > 0 m)", "number", lambda t: 1.0 + np.floor(SPIN * t / (2 * np.pi))),
    ],
)  # fmt: skip
def test_a_formula_over_channels_has_its_unit_and_values(text, kind, closed):
    r = simulate(turntable(), until=4.0, tol="fine")
    channel = r.channel(text)
    inside = slice(20, -20)  # windows are shorter at both ends
    assert channel.kind == kind
    step = SPIN / 200  # differences and sums are of second order in the output step
    allowed = FAR * SPIN * step**2 if "(" in text else 1e-7
    assert channel.values[inside] == pytest.approx(closed(r.time)[inside], abs=allowed)


def test_the_envelope_is_the_largest_value_within_its_window():
    chance = np.random.default_rng(1)
    time = np.cumsum(chance.uniform(0.5, 1.5, 300))
    values = chance.normal(size=300)
    for window in (0.0, 3.0, 40.0, 1e4):
        near = np.abs(time[:, None] - time) <= 0.5 * window
        assert (over_time.envelope(time, values, window) == np.where(near, values, -9).max(1)).all()


def test_a_gauge_that_comes_after_the_run_reads_it_without_solving_again():
    before = simulate(turntable(), until=0.5)
    later = turntable(GAP, impeto.Gauge(name="twice", quantity="formula", formula="2*gap.value"))
    moved = later.with_element(impeto.Frame(name="post", position=(2.0, 0, 0)))
    assert not before.has("gap.value")
    assert before.gauging(later)["twice.value"][0] == pytest.approx(2.0 * (1.0 - FAR))
    assert before.gauging(moved)["gap.value"][0] == pytest.approx(2.0 - FAR)
    np.testing.assert_array_equal(before.gauging(later)["eye.position.x"], before["eye.position.x"])


def test_a_model_that_is_broken_meanwhile_does_not_take_the_run_away():
    r = simulate(turntable(GAP), until=0.05)
    case = impeto.Case(name="Base", values={"gain": "3"})
    model = turntable(GAP).with_case(case)
    broken = model.changed(elements=[e for e in model.elements.values() if e.name != "gain"])
    read = r.gauging(broken)
    assert read["eye.position.x"][0] == pytest.approx(FAR)
    assert not read.has("gap.value")
    assert "changes 'gain', which is not a parameter" in read.complaint("gap.value")


PAST = impeto.Gauge(name="past", quantity="relative motion", frame_a="eye", frame_b="moved")
SPAN = impeto.Gauge(name="span", quantity="formula", formula="gain*gap.value")


@pytest.mark.parametrize(("channel", "level"), [("gap.value", "1.2 m"), ("span.value", "2.4 m")])
def test_events_may_watch_what_hangs_on_the_instant(channel, level):
    event = impeto.Event(name="near", when="channel rises", channel=channel, level=level)
    r = simulate(turntable(GAP, SPAN, events=(event,)), tol="fine")
    turn = np.arccos((1.0 + FAR**2 - 1.2**2) / (2.0 * FAR))
    assert [m.time for m in r.marks] == pytest.approx([turn / SPIN], abs=1e-7)


def test_a_load_may_hang_on_a_relative_speed_but_nothing_on_a_value_from_the_start():
    free = impeto.Body(name="cart", mass=2, inertia=(1, 1, 1))
    moved = impeto.Frame(name="moved", body="cart")
    force = impeto.Formula(formula="past.value*1 N*s/m")
    load = impeto.Load(name="push", frame="moved", direction=(0, 0, 1), axes="world", value=force)
    r = simulate(turntable(free, moved, PAST, load), until=0.5, tol="fine")
    assert r["push.force"] == pytest.approx(r["past.value"], rel=1e-9)
    assert r["past.value"][0] == pytest.approx(FAR * SPIN)
    since = impeto.Gauge(
        name="since", frame_a="post", frame_b="eye", counts_from="its value at the start"
    )
    event = impeto.Event(name="near", when="channel rises", channel="since.value", level="0.1 m")
    assert simulate(turntable(since), until=0.1)["since.value"][0] == 0.0
    with pytest.raises(impeto.ImpetoError, match=r"since\.value' is not a channel"):
        simulate(turntable(since, events=(event,)), until=0.1)


def test_a_formula_has_a_gap_where_it_has_no_value_and_its_window_stays_the_same():
    r = simulate(turntable(), until=0.5)
    values = r["1 m^2/eye.position.y"]
    assert np.isnan(values[0])
    assert np.isfinite(values[1:]).all()
    with pytest.raises(impeto.ImpetoError, match="he window of 'average' must stay the same"):
        r.channel("average(eye.velocity, t)")


@pytest.mark.parametrize(
    ("gauge", "sentence"),
    [
        (impeto.Gauge(name="g", frame_a="eye"), "it measures a distance and needs more"),
        (impeto.Gauge(name="g", frame_a="eye", frame_b="gone"), "no frame called 'gone'"),
        (impeto.Gauge(name="g", quantity="formula", formula="eye.position.x + 2 N"),
         "'+' mixes a length and a force"),
        (impeto.Gauge(name="g", quantity="formula", formula="no.such"), "no channel 'no.such'"),
        (impeto.Gauge(name="g", quantity="formula", formula="average(eye.velocity, 2 m)"),
         "the window of 'average' is a time"),
        (impeto.Gauge(name="g", quantity="formula", formula="2*g.value"), "in a circle"),
    ],
)  # fmt: skip
def test_a_gauge_that_cannot_be_worked_out_says_why_and_stops_nothing(gauge, sentence):
    r = simulate(turntable(), until=0.05)
    lame = r.gauging(turntable().with_element(gauge))
    with pytest.raises(impeto.ImpetoError, match=r"(?s).*") as told:
        lame.channel("g.value")
    assert sentence in str(told.value)
    assert lame["eye.position.x"][0] == pytest.approx(FAR)


def test_a_load_may_not_use_a_function_that_needs_the_whole_run():
    force = impeto.Formula(formula="average(eye.velocity, 1 s)*1 N*s/m")
    load = impeto.Load(name="push", frame="eye", value=force)
    with pytest.raises(impeto.ImpetoError, match="'average' needs a whole run"):
        simulate(turntable(load), until=0.1)


def test_health_tells_of_gauges_that_measure_nothing():
    lame = impeto.Gauge(name="lame"), impeto.Gauge(name="lost", quantity="formula", formula="a.b")
    found = {f.element: f.message for f in impeto.check(turntable(*lame)).findings}
    assert found["lame"] == "it has no frame a"
    assert "reads a, which does not exist" in found["lost"]


def test_the_clearance_of_two_bodies_is_a_gauge_too():
    ball = impeto.Body(name="ball", position=(2, 0, 0), shapes=[impeto.Sphere(radius="0.1 m")])
    gauge = impeto.Gauge(name="room", quantity="clearance", body_a="disc", body_b="ball")
    r = simulate(turntable(ball, gauge), until=0.1)
    assert r["room.value"] == pytest.approx(2.0 - 0.5 - 0.1, abs=1e-6)
