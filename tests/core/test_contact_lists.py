"""Lists of near pairs: what turns, falls or flies into reach after the list was made is seen."""

import numpy as np
import pytest
import trimesh

import impeto
from impeto.core.assembly.build import build_system
from impeto.core.assembly.equations import derivative
from impeto.core.assembly.resolve import resolve
from impeto.core.assembly.workspace import workspace_of
from impeto.core.contact.columns import LISTED, LOOKED
from impeto.core.contact.data import PairingData, RuleData
from impeto.core.contact.nearby import after_step
from impeto.core.contact.travel import passed_unseen
from impeto.core.errors import ModelError
from impeto.core.solvers.contacting import renewed
from tests.core.building import DOWN, frame, joint, run

ROUNDED = 1e-3  # m, by which the corners of such a bar are rounded
TURNING = {
    "box": impeto.Box(size=(2.0, 0.05, 0.05)),
    "cylinder": impeto.Cylinder(radius=0.03, length=2.0, orientation=(0, "90 deg", 0)),
    "capsule": impeto.Capsule(radius=0.03, length=2.0, orientation=(0, "90 deg", 0)),
    "outline": impeto.Extrusion(outline="-1 m, -20 mm; 1 m, -20 mm; 1 m, 20 mm; -1 m, 20 mm",
                                length=0.05),
    "mesh of few triangles": impeto.Mesh(file="bar", unit="m"),
}  # fmt: skip
BAR = trimesh.creation.box((2.0, 0.04, 0.05))
GEOMETRY = {"bar": impeto.Triangles(np.asarray(BAR.vertices),
                                    np.asarray(BAR.faces, dtype=np.int64))}  # fmt: skip


def turning(shape, angle, rate=5.0):
    """A bar that turns about its middle, and a small post in its way at an angle [rad]."""
    post = impeto.Body(
        name="post", position=(0.9 * np.cos(angle), 0.9 * np.sin(angle), 0), mass=0.5,
        inertia=(1e-3, 1e-3, 1e-3), shapes=(impeto.Sphere(radius=0.03),),
    )  # fmt: skip
    return [
        impeto.Body(name="bar", mass=10.0, inertia=(3.0, 3.0, 3.0), shapes=(shape,),
                    angular_velocity=(0, 0, rate)),
        post, frame("hub"), frame("own", "bar"), joint("pin", "hub", "own", "turn z"),
        impeto.ContactRule(name="touch", stiffness="1 kN/mm", restitution=0.5,
                           static_friction=0.0, kinetic_friction=0.0),
    ]  # fmt: skip


@pytest.mark.parametrize("mode", ["automatic", "quick"])
@pytest.mark.parametrize("kind", TURNING)
@pytest.mark.parametrize("angle", [0.6, 1.6, 2.4])
def test_a_bar_that_turns_about_its_middle_meets_what_is_in_its_way(mode, kind, angle):
    """Momentum after the impact by the closed form of a point mass hit at a lever of 0.9 m."""
    rate, lever, e = 5.0, 0.9, 0.5
    settings = impeto.RunSettings(integrator=mode, step="1 ms", outputs=500)
    model = impeto.Model("m", turning(TURNING[kind], angle, rate), settings=settings,
                         geometry=GEOMETRY)  # fmt: skip
    r = impeto.simulate(model, until=0.75, tol="normal")
    bar, post = 3.0, 0.5 * lever**2
    speed = lever * rate * (1 + e) * bar / (bar + post)
    reached = np.hypot(r["post.velocity.x"][-1], r["post.velocity.y"][-1])
    off = 0.08 if mode == "quick" else 5e-3  # quick: the lever is that of the step's end
    assert reached == pytest.approx(speed, rel=off)


@pytest.mark.parametrize("mode", ["automatic", "quick"])
def test_a_table_that_tilts_meets_a_ball_far_from_its_axle(mode):
    elements = [
        impeto.Body(name="table", mass=10.0, inertia=(5.0, 5.0, 5.0), shapes=(impeto.HalfSpace(),)),
        impeto.Body(name="ball", position=(3.0, 0, 1.0), mass=0.1, inertia=(1e-4, 1e-4, 1e-4),
                    shapes=(impeto.Sphere(radius=0.05),)),
        frame("hub"), frame("own", "table"), joint("pin", "hub", "own", "turn y"),
        impeto.Drive(name="tilt", joint="pin", freedom="turn y", prescribes="speed",
                     value="-1 rad/s"),
        impeto.ContactRule(name="touch", stiffness="1 kN/mm", restitution=0.0),
    ]  # fmt: skip
    r = run(elements, 0.6, "normal", 2000, integrator=mode, step="1 ms")
    angle = np.arctan2(1.0, 3.0) - 0.05 / np.hypot(3.0, 1.0)
    began = r.time[np.argmax(r["touch.normal"] > 0.0)]
    assert began == pytest.approx(angle, abs=0.01)
    assert r["ball.velocity.z"][-1] > 2.0


def test_bodies_that_come_fast_from_far_are_seen_in_quick_mode():
    """Small bullets at long range, each at a wall of its own, in long steps."""
    wall = impeto.Box(size=(0.002, 2.0, 2.0))
    elements = [impeto.Body(name="ground", shapes=(wall,))]
    for k, speed in enumerate((5.0, 40.0, 300.0)):
        elements.append(
            impeto.Body(name=f"shot_{k}", position=(-0.37 * speed, 0.3 * k, 0), mass=0.01,
                        inertia=(1e-6, 1e-6, 1e-6), velocity=(speed, 0, 0),
                        shapes=(impeto.Sphere(radius=0.004),))
        )  # fmt: skip
    elements.append(impeto.ContactRule(name="touch", restitution=0.5))
    r = run(elements, 0.6, "normal", 50, integrator="quick", step="10 ms")
    for k in range(3):
        assert r[f"shot_{k}.position.x"].max() < 0.0
        assert r[f"shot_{k}.velocity.x"][-1] < 0.0


def test_what_tumbles_down_a_stair_never_sinks_into_it():
    """Bars that tumble from step to step: at every output no corner is in a step by more than what
    the contact knows of, by a formulation of its own."""
    stairs = tuple(impeto.Box(position=(0.3 * k, 0, -0.2 * k), size=(0.32, 2.0, 0.2))
                   for k in range(6))  # fmt: skip
    rng = np.random.default_rng(3)
    bars = [
        impeto.Body(name=f"bar_{k}", position=(0.1, 0.25 * k - 0.7, 0.35), velocity=(1.5, 0, 0),
                    angular_velocity=tuple(map(float, rng.normal(0, 6, 3))),
                    shapes=(impeto.Box(size=(0.3, 0.04, 0.06)),))
        for k in range(4)
    ]  # fmt: skip
    touch = impeto.ContactRule(name="touch", stiffness="1 kN/mm", restitution=0.3)
    r = run([impeto.Body(name="ground", shapes=stairs), DOWN, *bars, touch], 1.0, "draft", 100)
    corners = np.array([(x, y, z) for x in (-0.15, 0.15) for y in (-0.02, 0.02)
                        for z in (-0.03, 0.03)])  # fmt: skip
    known = r["touch.depth"]
    for bar in (b.name for b in bars):
        turn = np.array([[r[f"{bar}.rotation.{i}{j}"] for j in "xyz"] for i in "xyz"])
        at = np.array([r[f"{bar}.position.{i}"] for i in "xyz"])
        points = np.einsum("ijt,cj->tci", turn, corners) + at.T[:, None, :]
        for k in range(6):
            off = np.abs(points - (0.3 * k, 0, -0.2 * k)) - (0.16, 1.0, 0.1)
            assert ((-off.max(axis=2)).max(axis=1) <= np.maximum(known, 0.0) + ROUNDED).all()
    assert known.max() > 1e-3


@pytest.mark.parametrize("tol", ["draft", "normal"])
def test_a_corner_pressed_halfway_through_a_plate_is_pushed_out_again(tol):
    """The edge of a thin plate comes down on the edge of a box: no side is nearer halfway."""
    rng = np.random.default_rng(2)
    spin, turned, aside = (
        rng.normal(0, 15, (2, 3)),
        rng.uniform(-1.5, 1.5, (2, 3)),
        rng.uniform(-0.08, 0.08, 2),
    )
    shapes = impeto.Box(size=(0.4, 0.1, 0.06)), impeto.Plate(length=0.4, width=0.3, thickness=0.01)
    places = (-0.6, *map(float, aside)), (0.3, 0.0, 0.0)
    bodies = [
        impeto.Body(name=name, position=places[k], velocity=(4.0 - 4.0 * k, 0, 0), mass=2.0 + k,
                    angular_velocity=tuple(map(float, spin[k])), orientation=tuple(map(float,
                                                                                       turned[k])),
                    inertia=((2 + k) / 100,) * 3, shapes=(shapes[k],))
        for k, name in enumerate(("box", "plate"))
    ]  # fmt: skip
    rule = impeto.ContactRule(name="touch", stiffness="1 kN/mm", restitution=0.5,
                              static_friction=0.2, kinetic_friction=0.2)  # fmt: skip
    r = run([*bodies, rule], 0.2, tol, 2000)
    assert r["touch.depth"].max() > 4.5e-3  # of a plate of 10 mm
    assert r["touch.normal"][-1] == 0.0
    total = r["system.energy.total"]
    assert total[-1] < total[0]
    momentum = [r[f"system.momentum.{k}"] for k in "xyz"]
    assert np.ptp(momentum, axis=1).max() < 1e-3 * 8.0


@pytest.mark.parametrize("mode", ["automatic", "quick"])
def test_a_rule_may_name_single_shapes_of_a_body(mode):
    """A rack of three boards: a ball falls past the first, bounces off the second no more than the
    rule for that board says, and a rule for everything holds for the other ball."""
    boards = [impeto.Box(size=(0.4, 0.4, 0.02), position=(0, 0, z)) for z in (0.4, 0.0, -0.4)]
    rack = impeto.Body(name="rack", shapes=boards)
    held = [rack, frame("base"), frame("foot", "rack"), joint("fixed", "base", "foot")]
    balls = [
        impeto.Body(name=f"ball_{n}", position=(x, 0, z), shapes=(impeto.Sphere(radius=0.05),))
        for n, x, z in (("a", -0.1, 0.8), ("b", 0.1, 0.8))
    ]
    rules = [
        impeto.ContactRule(name="all", first="ball_b", second="rack", stiffness=1e5,
                           restitution=0.5),
        impeto.ContactRule(name="second", first="ball_a", second="rack.2", stiffness=1e5,
                           restitution=0.0),
    ]  # fmt: skip
    r = run([DOWN, *held, *balls, *rules], 0.6, integrator=mode, tol="normal", step="1 ms")
    assert r["ball_a.position.z"][-1] == pytest.approx(0.06, abs=2e-3)
    assert r["ball_a.touch.rack.points"].max() >= 1
    assert r["ball_b.position.z"].min() > 0.445
    never = impeto.ContactRule(
        name="never", first="ball_b", second="rack.1", effect="never touches"
    )
    r = run([DOWN, *held, *balls, *rules, never], 0.6, integrator=mode, tol="normal", step="1 ms")
    assert 0.04 < r["ball_b.position.z"].min() < 0.065


def test_single_shapes_are_counted_renamed_and_missed_with_a_sentence():
    model = impeto.Model("m", [
        impeto.Body(name="deck", shapes=[impeto.Box(), impeto.Box(position=(0, 0, 1))]),
        impeto.Body(name="log", shapes=[impeto.Sphere()], position=(0, 0, 5)),
        impeto.ContactRule(name="whole", restitution=0.1),
        impeto.ContactRule(name="part", first="deck.2", restitution=0.9)])  # fmt: skip
    mechanism = resolve(model)
    rules = [
        [mechanism.of(RuleData)[k].name if k >= 0 else "" for k in row]
        for row in mechanism.of(PairingData)[0].rule
    ]
    assert rules == [["", "", "whole"], ["", "", "part"], ["whole", "part", ""]]
    renamed = model.renamed("deck", "table")
    assert renamed["part"].first == ("table.2",)
    with pytest.raises(ModelError, match="deck has no shape 3"):
        resolve(model.with_element(impeto.ContactRule(name="part", first="deck.3")))
    with pytest.raises(ModelError, match="no body or group called 'dock'"):
        resolve(model.with_element(impeto.ContactRule(name="part", first="dock.1")))
    with pytest.raises(ModelError, match="cannot be a name"):
        impeto.Group(name="g", members="deck.2")


def test_a_step_into_what_it_did_not_look_at_is_told_from_one_that_did():
    """A ball 18 mm over a plate, of half of which (10 mm) 2 % may be entered unseen; how far it may
    go before it could meet what is not listed."""
    plate = impeto.Body(name="ground", shapes=(impeto.Box(size=(1.0, 1.0, 0.02)),))
    ball = impeto.Body(name="ball", position=(0, 0, 0.058), shapes=(impeto.Sphere(radius=0.03),))
    model = impeto.Model("m", [plate, ball, impeto.ContactRule(name="touch")])
    system = build_system(resolve(model))
    T, S, y = renewed(system.tables, workspace_of(system), 0.0, system.start.copy())
    derivative(T, S, 0.0, y, np.zeros(len(y)))
    after_step(T, S, y)

    def unseen(height, looked):
        y[2], S.near_margin[LOOKED] = height, looked
        derivative(T, S, 0.0, y, np.zeros(len(y)))
        return passed_unseen(T, S)

    most = 0.56 * S.near_margin[LISTED]
    assert most > 0.019
    assert not unseen(0.058, 0.01)
    assert not unseen(0.04 - 0.19e-3, 0.01)
    assert unseen(0.04 - 0.21e-3, 0.01)
    assert not unseen(0.04 - 0.21e-3, 0.02)  # it was looked at from further away
    assert not unseen(0.058 + 0.98 * most, 0.01)
    assert unseen(0.058 + 1.02 * most, 0.01)
