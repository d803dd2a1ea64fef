"""Figures, targets and checks by hand: a pendulum against what is known of it."""

from dataclasses import replace

import numpy as np
import pytest

import impeto as im
from impeto.core.model.judging import TITLES
from impeto.core.results.figures import FIGURES

G, LENGTH = 9.80665, 0.5


def pendulum(*more):
    """A heavy ball on a light rod of 0.5 m, let go at 2°; its period is that of small swings."""
    angle = np.deg2rad(2.0)
    model = im.Model("pendulum", [
        im.Gravity(name="gravity"), im.Parameter(name="l", value="0.5 m"),
        im.Body(name="bob", mass=2.0, inertia=(1e-9, 1e-9, 1e-9),
                position=(LENGTH * np.sin(angle), 0, -LENGTH * np.cos(angle))),
        im.Frame(name="hook"),
        im.Frame(name="eye", body="bob",
                 position=(-LENGTH * np.sin(angle), 0, LENGTH * np.cos(angle))),
        im.Joint(name="pin", frame_a="hook", frame_b="eye", free=("turn y",)), *more,
    ])  # fmt: skip
    return model.changed(settings=im.RunSettings(until="10 s", accuracy="fine"))


PERIOD = im.FigureOf(name="period", channel="bob.position.x", figure="period")
PULL = im.FigureOf(name="pull", channel="pin.force", figure="max")
BY_HAND = im.HandCheck(name="small_swing", figure="period", within="0.001",
                       value="2*pi*sqrt(l/9.80665 m/s^2)", note="small angles")  # fmt: skip
WEIGHT = im.HandCheck(name="weight", figure="pull", value="bob.mass*9.80665 m/s^2", within="0.01")


def target(limit, value, **more):
    return im.Target(name="limit", figure="pull", limit=limit, value=value, **more)


def test_a_pendulum_swings_as_worked_out_by_hand():
    judged = im.simulate(pendulum(PERIOD, PULL, BY_HAND, WEIGHT)).judged()
    assert judged.figures["period"].value == pytest.approx(
        2 * np.pi * np.sqrt(LENGTH / G), rel=1e-3
    )
    assert [check.met for check in judged.checks] == [True, True]
    assert judged.checks[0].told.startswith("met, 0.0")
    assert not judged.missed


@pytest.mark.parametrize(
    ("asked", "met", "told"),
    [
        (target("below", "25 N"), True, "met by 21 %"),
        (target("below", "10 N"), False, "missed by 96 %"),
        (target("above", "0 N"), True, "met by 19.6 N"),
        (target("between", "19 N", upper="21 N"), True, "met by 32 %"),
        (target("near", "20 N", within="0.1 N"), False, "missed by 2"),
        (target("below", "l*60 N/m"), True, "met by 35 %"),
    ],
)
def test_targets_are_met_or_missed_by_so_much(asked, met, told):
    (verdict,) = im.simulate(pendulum(PULL, asked), until=1.0).judged().targets
    assert verdict.met is met
    assert told in verdict.told.replace("\u2009", " ")


@pytest.mark.parametrize(
    ("elements", "why"),
    [
        ([replace(PULL, channel="pin.nothing"), target("below", "1 N")], "no channel"),
        ([PULL, target("below", "1 kg")], "not known"),
        ([PULL, target("between", "1 N")], "needs a second value"),
        ([replace(PULL, figure="damping ratio", channel="bob.mass"), target("below", "1")], ""),
        ([replace(PULL, begin="20 s"), target("below", "1 N")], "no samples"),
    ],
)
def test_what_cannot_be_told_is_no_verdict_and_says_why(elements, why):
    judged = im.simulate(pendulum(*elements), until=1.0).judged()
    assert judged.targets[0].met is None
    assert why in judged.targets[0].told
    assert judged.missed == ["limit"]


def test_a_figure_at_an_event_is_that_of_its_instant():
    low = im.Event(name="low", when="channel rises", channel="bob.velocity.x", level=-0.01)
    at = im.FigureOf(name="at_low", channel="pin.turn_y.position", figure="value at an event",
                     event="low")  # fmt: skip
    r = im.simulate(pendulum(low, at))
    (when,) = [m.time for m in r.marks if m.element == "low"][:1]
    expected = np.interp(when, r.time, r["pin.turn_y.position"])
    assert r.judged().figures["at_low"].value == pytest.approx(expected, rel=1e-6)
    never = replace(low, level=50.0)
    missed = im.simulate(pendulum(never, at), until=0.5).judged().figures["at_low"]
    assert "did not come" in missed.problem


def test_a_run_is_judged_by_another_model_with_the_values_of_its_own_case():
    heavy = im.Case(name="long", values={"l": "0.6 m"})
    model = pendulum(PERIOD, BY_HAND).with_case(heavy)
    r = im.simulate(pendulum().with_case(heavy), case="long", until=3.0)
    assert not r.judged().verdicts
    (check,) = r.judged(model).checks  # the drawn rod stays 0.5 m long, the formula takes 0.6 m
    assert check.met is False


def test_a_renamed_joint_is_renamed_in_figures_limits_and_checks_too():
    twice = replace(PULL, channel="2*rate(pin.force)")
    chart = im.Chart(name="chart", channels="pin.force", limit="0 s, l*60 N/m")
    model = pendulum(twice, WEIGHT, chart)
    assert {"pull"} <= set(model.users_of("pin"))
    assert "weight" in model.users_of("bob")
    other = model.renamed("pin", "hinge").renamed("bob", "ball").renamed("l", "rope")
    assert other["pull"].channel == "2*rate(hinge.force)"
    assert str(other["weight"].value) == "ball.mass*9.80665 m/s^2"
    assert other["chart"].limit == "0 s, rope*60 N/m"


def test_all_figures_of_charts_can_be_asked_for():
    assert set(TITLES) == set(FIGURES)


def test_the_peak_of_a_swing_to_the_other_side_is_no_less_a_peak():
    """A ball let go at 2° beside its hook swings to −2°: −17 mm is not below 10 mm."""
    swing = im.FigureOf(name="swing", channel="0 m - bob.position.x", figure="peak")
    narrow = im.Target(name="narrow", figure="swing", value="10 mm")
    judged = im.simulate(pendulum(swing, narrow)).judged()
    assert judged.figures["swing"].value == pytest.approx(
        LENGTH * np.sin(np.deg2rad(2.0)), rel=1e-4
    )
    assert judged.missed == ["narrow"]


def test_lengths_of_the_model_stand_in_checks_by_hand_and_follow_its_names():
    """T = 2π √(l/g) (1 + θ²/16) with l from the pin to the bob, as drawn."""
    text = "2*pi*sqrt((hook.position.z - bob.position.z)/9.80665 m/s^2)"
    check = im.HandCheck(name="drawn", figure="period", value=text, within="0.01")
    model = pendulum(PERIOD, check)
    judged = im.simulate(model, until=3.0).judged()
    assert [verdict.met for verdict in judged.checks] == [True], judged.checks
    off = replace(check, value=text.replace("position.z", "position.x"))
    assert im.simulate(model.with_element(off), until=3.0).judged().checks[0].met is not True
    renamed = model.renamed("bob", "ball").renamed("hook", "nail")
    assert str(renamed["drawn"].value) == text.replace("bob", "ball").replace("hook", "nail")
