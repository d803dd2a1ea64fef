"""Every kind of signal against its formula, and what is refused."""

import numpy as np
import pytest
from scipy.interpolate import CubicSpline

import impeto
from impeto.core.errors import ModelError
from impeto.core.simulate import simulate
from tests.core.building import body, frame, joint, run


def values(signal, until=2.0, extra=()):
    """Times and values of a load that follows a signal."""
    r = run([
        body("b", 1e3), frame("g"), frame("f", "b"), joint("j", "g", "f", "slide x"),
        impeto.Load(name="push", frame="f", direction=(1, 0, 0), value=signal), *extra],
        until, "normal", 200.0)  # fmt: skip
    return r.time, r["push.value"]


def smooth(x):
    s = np.clip(x, 0, 1)
    return s**3 * (10 - 15 * s + 6 * s**2)


SIGNALS = {
    "constant": (impeto.Constant(value="3 N"), lambda t: 3 + 0 * t),
    "ramp": (
        impeto.Ramp(start="1 N", end="-2 N", begin="0.5 s", finish="1.25 s"),
        lambda t: 1 - 3 * np.clip((t - 0.5) / 0.75, 0, 1),
    ),
    "smooth step": (
        impeto.Step(start="2 N", end="6 N", begin="0.5 s", finish="1 s"),
        lambda t: 2 + 4 * smooth((t - 0.5) / 0.5),
    ),
    "harmonic": (
        impeto.Harmonic(amplitude="2 N", frequency="90 rpm", phase="30 deg", mean="1 N"),
        lambda t: 1 + 2 * np.sin(2 * np.pi * 1.5 * t + np.pi / 6),
    ),
    "pulse": (
        impeto.Pulse(value="5 N", rest="1 N", begin="0.3012 s", finish="1.2013 s"),
        lambda t: np.where((t > 0.3012) & (t < 1.2013), 5.0, 1.0),
    ),
    "pulse with edges": (
        impeto.Pulse(value="5 N", begin="0.3 s", finish="1.2 s", edge="0.2 s"),
        lambda t: 5 * (smooth((t - 0.3) / 0.2) - smooth((t - 1.2) / 0.2)),
    ),
    "polynomial": (
        impeto.Polynomial(start="1 N", rate="2 N/s", acceleration="-3 N/s^2"),
        lambda t: 1 + 2 * t - 1.5 * t**2,
    ),
    "formula": (
        impeto.Formula(formula="4 N * exp(-t / 1 s) * cos(3 rad/s * t)"),
        lambda t: 4 * np.exp(-t) * np.cos(3 * t),
    ),
}


@pytest.mark.parametrize("kind", SIGNALS)
def test_a_signal_is_its_formula(kind):
    signal, exact = SIGNALS[kind]
    time, found = values(signal)
    np.testing.assert_allclose(found, exact(time), atol=1e-9)


def test_a_sweep_has_the_phase_of_its_growing_frequency_and_goes_on_with_the_last():
    sweep = impeto.Sweep(amplitude="2 N", first="1 Hz", last="5 Hz", begin="0.5 s", finish="1.5 s")
    time, found = values(sweep)
    u = np.clip(time - 0.5, 0, 1)
    after = np.maximum(time - 1.5, 0)
    turns = u + 0.5 * 4 * u**2 + 5 * after
    np.testing.assert_allclose(found, 2 * np.sin(2 * np.pi * turns), atol=1e-9)


@pytest.mark.parametrize("between", ["linear", "cubic"])
def test_a_table_is_interpolated_scaled_and_held_at_its_ends(between):
    moments, numbers = (0.0, 400.0, 900.0, 1500.0), (0.0, 2.0, -1.0, 3.0)
    data = impeto.Dataset(name="bench", columns={"time [ms]": moments, "force [kN]": numbers})
    table = impeto.Table(dataset="bench", column="force", between=between, factor="0.5")
    time, found = values(table, extra=(data,))
    seconds, newtons = np.array(moments) / 1e3, 500 * np.array(numbers)
    inside = np.clip(time, 0, 1.5)
    exact = np.interp(inside, seconds, newtons)
    if between == "cubic":
        exact = CubicSpline(seconds, newtons)(inside)
    np.testing.assert_allclose(found, exact, atol=1e-8)


def test_a_driven_motion_by_table_has_the_speed_and_acceleration_of_its_spline():
    moments, places = (0.0, 0.5, 1.0, 1.5, 2.0), (0.0, 0.1, 0.05, 0.2, 0.1)
    data = impeto.Dataset(name="cam", columns={"t": moments, "lift [m]": places})
    lift = impeto.Table(dataset="cam", column="lift", between="cubic")
    r = run([
        body("b"), frame("g"), frame("f", "b"), joint("j", "g", "f", "slide x"), data,
        impeto.Drive(name="cam_drive", joint="j", freedom="slide x", prescribes="position",
                     value=lift)], 1.9, rate=200.0)  # fmt: skip
    spline = CubicSpline(moments, places)
    np.testing.assert_allclose(r["b.position.x"], spline(r.time), atol=1e-10)
    np.testing.assert_allclose(r["b.velocity.x"], spline(r.time, 1), atol=1e-9)
    np.testing.assert_allclose(r["cam_drive.force"], spline(r.time, 2), atol=1e-8)


@pytest.mark.parametrize(
    ("signal", "words"),
    [
        (impeto.Pulse(value="5 N", begin="2 s", finish="1 s"), "ends before it begins"),
        (impeto.Polynomial(start="1 N", rate="2 N"), "mixes"),
        (impeto.Table(dataset="nothing", column="x"), "nothing"),
        (impeto.Constant(value="3 m"), "a length stands where a force is needed"),
        (impeto.Formula(formula="3 N * nobody.position.x"), "nobody.position.x"),
    ],
)
def test_a_signal_that_cannot_be_is_refused_with_the_element_named(signal, words):
    with pytest.raises(ModelError, match=words) as caught:
        values(signal)
    assert caught.value.element == "push"


def test_renaming_follows_references_formulas_events_and_cases():
    model = impeto.Model("m", [
        impeto.Parameter(name="Ns", value="2"), impeto.Parameter(name="k", value="Ns * 50 N/m"),
        body("b", position=("k * 0.001 m^2/N", 0, 0)), frame("g"), frame("f", "b"),
        joint("j", "g", "f", "slide x", behaviours=(
            impeto.Behaviour(freedom="slide x", stiffness="k", damping="Ns * 1 N*s/m"),)),
        impeto.Load(name="push", frame="f", direction=(1, 0, 0),
                    value="-1 N*s/m * b.velocity.x * Ns"),
        impeto.Event(name="e", when="channel rises", channel="b.position.x", level="Ns * 1 m",
                     action="set parameter", target="Ns", value="3"),
    ], cases=[impeto.Case(name="Base", values={"Ns": "4"})])  # fmt: skip
    renamed = model.renamed("Ns", "count").renamed("b", "block")
    assert str(renamed["k"].value) == "count * 50 N/m"  # the unit keeps its N
    assert str(renamed["j"].behaviours[0].damping) == "count * 1 N*s/m"
    assert str(renamed["push"].value.formula) == "-1 N*s/m * block.velocity.x * count"
    assert renamed["e"].channel == "block.position.x"
    assert (renamed["e"].target, str(renamed["e"].level)) == ("count", "count * 1 m")
    assert set(renamed.cases["Base"].values) == {"count"}
    assert renamed["f"].body == "block"
    np.testing.assert_array_equal(
        simulate(model, until=0.2)["b.position.x"], simulate(renamed, until=0.2)["block.position.x"]
    )


def test_numbers_in_signals_are_si_of_what_they_are_for():
    plain = impeto.Load(
        name="l", frame="f", applies="torque", value=impeto.Ramp(start=1, end=np.float64(2.5))
    )
    assert str(plain.value.end) == "2.5 N*m"
    cubic = impeto.Drive(
        name="d", joint="j", value=impeto.Polynomial(start=1, rate=2, acceleration=3)
    )
    units = [str(getattr(cubic.value, name)) for name in ("start", "rate", "acceleration")]
    assert units == ["1.0 rad/s", "2.0 rad/s/s", "3.0 rad/s/s^2"]
    assert str(impeto.Load(name="l", frame="f", value=np.float32(0.5)).value.value) == "0.5 N"
    text = impeto.Ramp(start="1", end="2 N")
    assert str(impeto.Load(name="l", frame="f", value=text).value.start) == "1"
