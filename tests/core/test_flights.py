"""Bodies thrown at each other: nothing passes, nothing is gained, and they part as they should."""

import itertools

import numpy as np
import pytest

import impeto
from impeto.core.simulate import simulate

SHAPES = {
    "ball": impeto.Sphere(radius="10 mm"),
    "box": impeto.Box(size=("20 mm",) * 3),
    "plate": impeto.Box(size=("6 mm", "40 mm", "40 mm")),
    "bar": impeto.Cylinder(radius="10 mm", length="30 mm"),
    "capsule": impeto.Capsule(radius="10 mm", length="30 mm"),
}
LEVEL, ON_END, ON_SIDE = (0.0, 0.0, 0.0), (0.0, np.pi / 2, 0.0), (np.pi / 2, 0.0, 0.0)


def thrown(a, b, speed, gap=0.005, turns=(LEVEL, LEVEL), off=0.0, integrator="automatic"):
    """Two bodies that meet along x at a speed; restitution 0.5, no friction."""
    apart = 0.05 + gap
    bodies = [
        impeto.Body(name="a", shapes=(a,), position=(-apart / 2, 0, 0), orientation=turns[0],
                    velocity=(speed / 2, 0, 0)),
        impeto.Body(name="b", shapes=(b,), position=(apart / 2, off, 0), orientation=turns[1],
                    velocity=(-speed / 2, 0, 0)),
    ]  # fmt: skip
    rule = impeto.ContactRule(name="r", restitution=0.5, static_friction=0, kinetic_friction=0)
    until = (apart + 0.1) / speed
    settings = impeto.RunSettings(integrator=integrator)
    model = impeto.Model("m", [*bodies, rule], settings=settings)
    return simulate(model, until=until, outputs=100 / until)


def judged(r):
    """Whether they passed, the restitution, momentum lost and energy gained, both relative."""
    mass = r.system.tables.mass[1:]
    state = np.asarray(r.state)
    va, vb = state[:, 14:17], state[:, 20:23]
    momentum = mass[0] * va + mass[1] * vb
    size = mass.min() * np.abs(va[0] - vb[0]).max()
    energy = r["system.energy.kinetic"]
    return (
        state[-1, 7] < state[-1, 0],
        -(va[-1, 0] - vb[-1, 0]) / (va[0, 0] - vb[0, 0]),
        np.abs(momentum - momentum[0]).max() / size,
        energy.max() / energy[0] - 1.0,
    )


@pytest.mark.parametrize("speed", [0.5, 5.0, 50.0])
@pytest.mark.parametrize(
    ("shape", "turns"),
    [("box", (LEVEL, LEVEL)), ("plate", (LEVEL, LEVEL)), ("bar", (ON_END, ON_END)),
     ("ball", (LEVEL, LEVEL))],
)  # fmt: skip
def test_alike_bodies_that_meet_flush_part_with_their_restitution(shape, turns, speed):
    """Every edge lies over an edge of the other: the nearest side is the wrong way out."""
    r = thrown(SHAPES[shape], SHAPES[shape], speed, turns=turns)
    passed, restitution, lost, gained = judged(r)
    assert not passed
    assert restitution == pytest.approx(0.5, rel=1e-2)
    assert lost < 1e-6
    assert gained < 1e-6


CONE = impeto.Cone(radius="10 mm", length="30 mm")
BLUNT = impeto.Cone(radius="10 mm", top_radius="5 mm", length="30 mm")
TO_THE_RIGHT, TO_THE_LEFT = (0.0, -np.pi / 2, 0.0), (0.0, np.pi / 2, 0.0)  # where its base looks


@pytest.mark.parametrize("speed", [0.5, 5.0, 50.0])
@pytest.mark.parametrize(
    ("first", "second"),
    [(CONE, CONE), (BLUNT, CONE), (SHAPES["box"], CONE), (SHAPES["bar"], BLUNT)],
    ids=["cone-cone", "blunt-cone", "box-cone", "bar-blunt"],
)  # fmt: skip
def test_ends_of_cones_part_with_their_restitution(first, second, speed):
    """Behind its end a cone narrows: rims that have come in over it lie beside the body."""
    turned = {CONE: TO_THE_RIGHT, BLUNT: TO_THE_RIGHT, SHAPES["bar"]: ON_END}.get(first, LEVEL)
    r = thrown(first, second, speed, gap=0.01, turns=(turned, TO_THE_LEFT))
    passed, restitution, lost, gained = judged(r)
    assert not passed
    assert restitution == pytest.approx(0.5, rel=1e-2)
    assert max(lost, gained) < 1e-6


@pytest.mark.parametrize("speed", [0.5, 5.0, 50.0])
def test_cones_that_meet_off_their_axes_neither_pass_nor_gain(speed):
    r = thrown(CONE, CONE, speed, gap=0.01, turns=(TO_THE_RIGHT, TO_THE_LEFT), off=0.003)
    passed, restitution, lost, gained = judged(r)
    assert not passed
    assert 0.3 < restitution < 0.5  # the rest is in their turning
    assert max(lost, gained) < 1e-6


PAIRS = list(itertools.combinations_with_replacement(SHAPES, 2))


@pytest.mark.parametrize("pair", PAIRS, ids="-".join)
def test_no_two_shapes_pass_through_each_other_in_quick_mode(pair):
    chance = np.random.default_rng(3)
    for speed in (5.0, 20.0, 50.0):
        for turns in ((LEVEL, LEVEL), (ON_END, ON_END), (ON_SIDE, LEVEL), (ON_SIDE, ON_SIDE)):
            shapes = [SHAPES[name] for name in pair]
            r = thrown(*shapes, speed, chance.uniform(0.0, 0.3), turns, integrator="quick")
            passed, _, lost, gained = judged(r)
            assert not passed, f"{speed} m/s, {turns}"
            assert lost < 1e-9
            assert gained < 1e-9
