"""Steps of the accurate mode where contacts keep them short."""

import math

import numpy as np
import pytest

import impeto
from impeto.core.solvers.explicit import Explicit
from tests.core.building import DOWN, G, run

TRAY = impeto.Body(name="ground", shapes=(impeto.HalfSpace(),))


def shaken():
    """Three bars and a ball that rattle between a floor and a shaking lid."""
    lid = impeto.Body(name="lid", position=(0, 0, 0.17), shapes=(impeto.Box(size=(1, 1, 0.02)),))
    guide = impeto.Frame(name="at", position=(0, 0, 0.17))
    own = impeto.Frame(name="own", body="lid")
    axle = impeto.Joint(name="slide", frame_a="at", frame_b="own", free=("slide z",))
    shake = impeto.Drive(name="shake", joint="slide", freedom="slide z", prescribes="position",
                         value="-0.02 m * sin(60 rad/s * t)")  # fmt: skip
    bars = [
        impeto.Body(name=f"bar_{k}", position=(0.2 * k, 0.03 * k, 0.07),
                    angular_velocity=(0, 3.0 - k, 1),
                    shapes=(impeto.Capsule(radius=0.02, length=0.12),),
                    orientation=(0, 1.4 + 0.1 * k, 0))
        for k in range(3)
    ]  # fmt: skip
    ball = impeto.Body(name="ball", position=(-0.2, 0, 0.05), shapes=(impeto.Sphere(radius=0.03),))
    touch = impeto.ContactRule(name="touch", stiffness="1 kN/mm", restitution=0.4,
                               static_friction=0.3, kinetic_friction=0.2)  # fmt: skip
    return [TRAY, DOWN, lid, guide, own, axle, shake, *bars, ball, touch]


def test_contacts_that_keep_steps_short_need_few_evaluations_for_each():
    r = run(shaken(), 0.4, "draft", 50)
    s = r.statistics
    assert s.evaluations < 10 * (s.accepted + s.rejected)  # a step of order 8 takes 12
    assert np.abs(r["system.energy.balance"]).max() < 1e-3 * np.ptp(r["system.energy.drives"])


def test_a_run_is_the_same_however_often_it_is_looked_at(monkeypatch):
    elements = [
        *shaken(),
        impeto.Event(name="low", when="channel falls", channel="ball.position.z", level="40 mm",
                     again=True),
    ]  # fmt: skip
    once = run(elements, 0.1, "draft", 100)
    step = Explicit._step
    monkeypatch.setattr(
        Explicit, "_step", lambda self, _, watch, landing: step(self, 1, watch, landing)
    )
    often = run(elements, 0.1, "draft", 100)
    for name in ("bar_0", "bar_2", "ball", "lid"):
        assert np.array_equal(once[f"{name}.position.z"], often[f"{name}.position.z"])
    assert [m.time for m in once.marks] == [m.time for m in often.marks] != []


@pytest.mark.parametrize("tol", ["draft", "normal"])
def test_a_slow_impact_beside_a_fast_body_keeps_its_restitution(tol):
    """The error norm knows the fast one; the slow contact is still seen as it begins."""
    pair = [
        impeto.Body(name=name, position=(x, 0, 0.051), velocity=(0, 0, -speed),
                    shapes=(impeto.Sphere(radius=0.05),))
        for name, x, speed in (("fast", 0, 5.0), ("slow", 1, 0.02))
    ]  # fmt: skip
    touch = impeto.ContactRule(name="touch", stiffness="1 kN/mm", restitution=0.6)
    r = run([TRAY, *pair, touch], 0.2, tol, 1000)
    assert r["fast.velocity.z"][-1] == pytest.approx(3.0, rel=5e-3)
    assert r["slow.velocity.z"][-1] == pytest.approx(0.012, rel=2e-2)
    mass = r.system.mechanism.bodies[2].mass
    deepest = 0.02 * math.sqrt(mass / 1e6)  # without damping
    assert (0.05 - r["slow.position.z"]).max() < 1.2 * deepest


@pytest.mark.parametrize("gap", [1e-4, 2.5e-3])
def test_what_an_event_lets_go_is_caught_with_the_depth_of_its_fall(gap):
    """A load holds a ball up just above the floor until it is cut: m g (gap + d) = k d² / 2."""
    k, mass = 1e6, 2.0
    ball = impeto.Body(name="ball", position=(0, 0, 0.05 + gap), mass=mass, inertia=(1e-2,) * 3,
                       shapes=(impeto.Sphere(radius=0.05),))  # fmt: skip
    r = run([
        TRAY, DOWN, ball, impeto.Frame(name="eye", body="ball"),
        impeto.Load(name="hold", frame="eye", direction=(0, 0, 1), value=f"{mass * G!r} N"),
        impeto.Event(name="cut", time="50 ms", action="switch off", target="hold"),
        impeto.ContactRule(name="touch", stiffness="1 kN/mm", exponent=1.0, restitution=1.0),
    ], 0.15, "normal", 20e3)  # fmt: skip
    weight = mass * G
    deepest = (weight + math.sqrt(weight**2 + 2.0 * k * weight * gap)) / k
    assert r["touch.depth"].max() == pytest.approx(deepest, rel=2e-2)  # as asked of bounces


PLATE = impeto.Body(name="ground", shapes=(impeto.Plate(length=6, width=1, thickness=0.1),))
BLOCK = impeto.Box(size=("0.3 m", "0.2 m", "0.2 m"), density="600 kg/m^3")


@pytest.mark.parametrize("height", [0.04, 0.08, 0.14, 0.2, 0.3, 0.5])
@pytest.mark.parametrize("accuracy", ["draft", "normal"])
def test_what_falls_from_rest_lands_however_long_steps_may_be(height, accuracy):
    """A step of free fall is exact at any length: only what it may meet can limit it."""
    block = impeto.Body(name="block", position=(0, 0, 0.1 + height), shapes=(BLOCK,))
    touch = impeto.ContactRule(name="touch", restitution=0.3)
    for until in (2.0, 10.0):
        r = run([PLATE, DOWN, block, touch], until, accuracy, 1.0 / until)
        assert r["block.position.z"][-1] == pytest.approx(0.1, abs=2e-3)
        assert r.statistics.pressed < 0.05


def test_what_a_growing_force_throws_against_a_wall_comes_back():
    """x = F₀ t⁸/(56 m): a method of order 8 makes no error in it, and when a step begins nothing
    tells how fast the body will be at its end."""
    block = impeto.Body(name="block", position=(0, 0, 1.1), shapes=(BLOCK,))
    eye = impeto.Frame(name="eye", body="block")
    load = impeto.Load(name="push", frame="eye", direction=(0, 0, -1), axes="world",
                       value=impeto.Formula(formula="3000 N * (t/(1 s))^6"))  # fmt: skip
    touch = impeto.ContactRule(name="touch", restitution=0.3, stiffness="100 kN/mm")
    r = run([PLATE, block, eye, load, touch], 1.0, "draft", 200.0)
    mass = r.system.mechanism.bodies[1].mass
    hits = (56 * mass / 3000.0) ** 0.125
    before = r.time < hits
    fallen = 3000.0 * r.time[before] ** 8 / (56 * mass)
    assert np.abs(1.1 - r["block.position.z"][before] - fallen).max() < 1e-4
    assert r["block.position.z"].min() > 0.09
    assert r["block.velocity.z"][np.searchsorted(r.time, hits) + 1] > 0.0
