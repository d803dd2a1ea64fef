"""Signals of time alone: nothing that they do is leapt over, however short it is."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.interpolate import PchipInterpolator

import impeto
from impeto.core.dynamics.programs import Timed, Timing
from impeto.core.model import formula
from impeto.core.model.enclosure import enclose, values
from impeto.core.simulate import simulate
from impeto.core.solvers.timetable import TOO_MANY, Timetable
from tests.core.building import body, frame, joint, run
from tests.core.test_programs import trees

MOMENTS, FORCES = (0.0, 5.0, 5.025, 5.05, 15.0), (0.0, 0.0, 60.0, 0.0, 0.0)
DATA = impeto.Dataset(name="knock", columns={"t [s]": MOMENTS, "F [N]": FORCES})
MASS = 10.0


def momentum(value, tol, until=15.0, **settings):
    """What a load gives a body that rests at first [N s]."""
    r = run([
        body("b", MASS), frame("g"), frame("f", "b"), joint("j", "g", "f", "slide x"), DATA,
        impeto.Load(name="push", frame="f", direction=(1, 0, 0), value=value),
    ], until, tol, 10.0, **settings)  # fmt: skip
    return MASS * r["b.velocity.x"][-1]


def table(between):
    return impeto.Table(dataset="knock", column="F", between=between)


KNOCKS = {
    "straight table": (table("linear"), 1.5),
    "smooth table": (table("shape-keeping"), PchipInterpolator(MOMENTS, FORCES).integrate(0, 15)),
    "pulse with edges": (
        impeto.Pulse(value="60 N", begin="5 s", finish="5.025 s", edge="10 ms"), 60 * 0.025,
    ),
    "rises": ("60 N * (rise(t, 5 s, 5.01 s) - rise(t, 5.03 s, 5.04 s))", 60 * 0.03),
    "tips of a wave": ("max(0 N, 60 N * sin(3 rad/s * t) - 59.99 N)", None),
}  # fmt: skip


@pytest.mark.parametrize("tol", ["draft", "normal", "fine"])
@pytest.mark.parametrize("kind", KNOCKS)
def test_a_short_load_is_felt_whole(kind, tol):
    """All are polynomials of low degree between the instants, but for the last."""
    value, exact = KNOCKS[kind]
    if exact is None:  # ∫ of 60 sin(x) − 59.99 over where it is positive, five or seven times
        half = np.arccos(59.99 / 60.0)
        tips = sum(0.0 < (np.pi / 2 + 2 * np.pi * k) / 3 < 15.0 for k in range(10))
        exact = tips * (120.0 * np.sin(half) - 59.99 * 2 * half) / 3.0
    assert momentum(value, tol) == pytest.approx(exact, rel=1e-9)


@pytest.mark.parametrize("width", ["100 ms", "1 ms", "1 us"])
@pytest.mark.parametrize(("tol", "near"), [("draft", 1e-3), ("normal", 1e-6), ("fine", 1e-8)])
def test_a_smooth_bump_is_found_however_narrow(width, tol, near):
    exact = 60.0 * {"100 ms": 0.1, "1 ms": 1e-3, "1 us": 1e-6}[width] * np.sqrt(np.pi)
    assert momentum(f"60 N * exp(-((t - 7.3 s)/{width})^2)", tol) == pytest.approx(exact, rel=near)


def test_a_bump_shows_beside_a_larger_wave_and_in_the_stiff_integrator():
    exact = 3e3 / 2 * (1 - np.cos(2 * 15.0)) + 60.0 * 1e-3 * np.sqrt(np.pi)
    value = "3 kN * sin(2 rad/s * t) + 60 N * exp(-((t - 7.3 s)/1 ms)^2)"
    assert momentum(value, "fine") == pytest.approx(exact, rel=1e-10)
    assert momentum(value, "normal", integrator="stiff") == pytest.approx(exact, rel=1e-6)


@pytest.mark.parametrize("milliseconds", [1, 2, 5])
def test_a_triangle_of_some_milliseconds_has_its_impulse_where_steps_are_short_anyway(milliseconds):
    """A stiff spring keeps the steps short; the knock still counts to the last digits."""
    w = 1e-3 * milliseconds
    data = impeto.Dataset(
        name="tip", columns={"t": (0, 0.5, 0.5 + w / 2, 0.5 + w, 2), "F": (0, 0, 60, 0, 0)}
    )
    k = MASS * 300.0**2
    r = run([
        body("b", MASS), frame("g"), frame("f", "b"), joint("j", "g", "f", "slide x",
        behaviours=(impeto.Behaviour(freedom="slide x", stiffness=k),)), data,
        impeto.Load(name="push", frame="f", direction=(1, 0, 0),
                    value=impeto.Table(dataset="tip", column="F", factor="1 N"))],
        2.0, "fine", 1000.0)  # fmt: skip
    # Duhamel's integral of a triangle: amplitude 4 F/(m w ω³) … of two ramps.
    t, o = r.time[-1], 300.0
    ramp = lambda s: np.where(s > 0, s - np.sin(o * s) / o, 0) / (MASS * o**2)  # noqa: E731
    slope = 60.0 / (w / 2)
    exact = slope * (ramp(t - 0.5) - 2 * ramp(t - 0.5 - w / 2) + ramp(t - 0.5 - w))
    assert r["b.position.x"][-1] == pytest.approx(float(exact), abs=1e-9 * 60 / k)


def test_a_driven_motion_by_straight_table_jumps_in_speed_and_the_books_balance():
    columns = {"t": (0.0, 0.4, 1.0), "x [m]": (0.0, 0.0, 0.6)}
    r = run([
        body("b", 3.0), frame("g"), frame("f", "b"), joint("j", "g", "f", "slide x"),
        impeto.Dataset(name="way", columns=columns),
        impeto.Drive(name="d", joint="j", freedom="slide x", prescribes="position",
                     value=impeto.Table(dataset="way", column="x")),
    ], 1.0)  # fmt: skip
    late = r.time > 0.401
    np.testing.assert_allclose(r["b.velocity.x"][late], 1.0, rtol=1e-12)
    assert r["system.energy.events"][-1] == pytest.approx(1.5, rel=1e-10)


def test_a_force_by_place_that_is_narrower_than_a_step_is_felt():
    """A body flies through a field of 1 mm at 10 m/s: ½ m v² grows by the area of the curve."""
    bump = "0 mm: 0 N; 500 mm: 0 N; 500.5 mm: -4 kN; 501 mm: 0 N; 2 m: 0 N"
    r = run([
        body("b", 1.0, position=(1.0, 0, 0), velocity=(10.0, 0, 0)), frame("g"), frame("f", "b"),
        impeto.Spring(name="s", frame_a="g", frame_b="f", stiffness=0.0, free_length=1.0,
                      curve=bump)], 0.1, "normal")  # fmt: skip
    assert r["b.velocity.x"][-1] == pytest.approx(np.sqrt(100.0 + 2 * 2.0), rel=1e-7)


def test_the_longest_step_is_a_setting():
    free = [body("b", velocity=(1.0, 0, 0))]
    steps = [run(free, 10.0, **s).statistics.accepted for s in ({}, {"longest_step": "10 ms"})]
    assert steps[0] <= 20
    assert steps[1] == pytest.approx(1000, abs=15)
    with pytest.raises(impeto.ModelError, match="longest step must be greater"):
        run(free, 1.0, longest_step="0 s")


def test_an_event_that_sets_when_a_pulse_begins_is_obeyed():
    r = run([
        body("b", MASS), frame("g"), frame("f", "b"), joint("j", "g", "f", "slide x"),
        impeto.Parameter(name="due", value="1 s"),
        impeto.Load(name="push", frame="f", direction=(1, 0, 0),
                    value="60 N * (rise(t, due, due + 1 ms) - rise(t, due + 2 ms, due + 3 ms))"),
        impeto.Event(name="later", time="0.5 s", action="set parameter", target="due", value="3 s"),
    ], 4.0)  # fmt: skip
    assert MASS * r["b.velocity.x"][-1] == pytest.approx(60 * 2e-3, rel=1e-9)
    assert abs(r["b.velocity.x"][r.time < 2.99]).max() == 0.0


def test_what_changes_too_often_to_be_followed_is_said():
    timing = Timing(moving=(formula.parse("exp(-(1000 * sin(100000 * t))^2)"),))
    assert Timetable(timing, 0.0, 10.0).note == TOO_MANY
    assert "longest step" in TOO_MANY


def test_instants_are_ordered_and_switches_follow_them():
    node = formula.parse("sin(t) - 0.5")
    table = Timetable(Timing(timed=(Timed(node, 0),)), 0.0, 10.0)
    roots = [np.pi / 6, 5 * np.pi / 6, 13 * np.pi / 6, 17 * np.pi / 6]
    np.testing.assert_allclose(table.times, roots, rtol=1e-13)
    switch = np.zeros(1, dtype=np.int64)
    table.begin(switch)
    seen = [int(switch[0])]
    while np.isfinite(table.next):
        table.turn(table.next, switch)
        seen.append(int(switch[0]))
    assert seen == [0, 1, 0, 1, 0]


@given(trees, st.floats(-3.0, 3.0), st.floats(0.0, 2.0))
def test_bounds_hold_every_value_of_a_formula(node, begin, width):
    def of_time(n):
        if isinstance(n, formula.Name):
            return formula.Name("t")
        if isinstance(n, formula.Apply):
            return formula.Apply(n.function, tuple(of_time(a) for a in n.arguments))
        return n

    node = of_time(node)
    low, high = np.array([begin]), np.array([begin + width])
    found = values(node, np.linspace(begin, begin + width, 41))
    found = found[np.isfinite(found)]
    with np.errstate(all="ignore"):
        least, most = enclose(node, low, high)
    slack = 1e-9 * (1.0 + np.abs(found).max(initial=0.0))
    assert (found >= least[0] - slack).all()
    assert (found <= most[0] + slack).all()


def test_a_cubic_table_swings_and_the_shape_keeping_one_does_not():
    r = simulate(impeto.Model("m", [
        body("b", 1e9), frame("g"), frame("f", "b"), joint("j", "g", "f", "slide x"), DATA,
        impeto.Load(name="keeps", frame="f", direction=(1, 0, 0), value=table("shape-keeping")),
        impeto.Load(name="swings", frame="f", direction=(1, 0, 0), value=table("cubic")),
    ]), until=15.0)  # fmt: skip
    assert r["keeps.value"].min() > -1e-12
    assert r["swings.value"].min() < -1e6
