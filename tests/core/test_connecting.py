"""Joints from two features: proposed freedoms, frames that meet, bodies that come along."""

import numpy as np
import pytest

import impeto
from impeto.core.bodies.solid_features import (
    AXIS,
    CENTRE,
    CIRCLE,
    CORNER,
    EDGE,
    HOLE,
    MIDDLE,
    PLANE,
)
from impeto.core.connecting import connected, features, proposal
from impeto.core.errors import ModelError
from tests.core.building import DOWN

PIN = impeto.Body(
    name="pin", position=(0.3, 0.1, 0.2), orientation=(0.4, 0.2, -0.3),
    shapes=(impeto.Cylinder(radius=0.012, length=0.1),),
)  # fmt: skip
LEVER = impeto.Body(
    name="lever", position=(1.0, -0.5, 0.7), orientation=(-1.0, 0.3, 2.0),
    shapes=(
        impeto.Box(size=(0.3, 0.04, 0.02), position=(0.15, 0, 0)),
        impeto.Tube(radius=0.02, inner_radius=0.012, length=0.02),
    ),
)  # fmt: skip
BALL = impeto.Body(name="ball", position=(0, 2, 0), shapes=(impeto.Sphere(radius=0.05),))
TABLE = impeto.Body(name="table", shapes=(impeto.Plate(),))


def model(*elements):
    return impeto.Model("m", [DOWN, *elements])


def one(model, body, kind, index=0):
    return [f for f in features(model, body) if f.kind == kind][index]


def frames_meet(model, joint):
    """How far the frames of a joint are apart [m], and their axes."""
    places = []
    for name in (joint.frame_a, joint.frame_b):
        frame = next(
            f for f in features(model, model[name].body) if f.kind == "frame" and f.name == name
        )
        places.append((frame.point, frame.direction, frame.across))
    return max(float(np.abs(p - q).max()) for p, q in zip(*places, strict=True))


def test_a_hole_comes_to_a_pin_and_keeps_its_place_along_it():
    before = model(PIN, LEVER)
    pin, hole = one(before, "pin", AXIS), one(before, "lever", HOLE)
    along = (hole.point - pin.point) @ pin.direction
    after, joint, moved = connected(before, pin, hole)
    assert moved == "lever"
    assert (joint.name, joint.free) == ("pin_lever", ("turn z",))
    assert after["pin"] == before["pin"]
    brought = one(after, "lever", HOLE)
    assert abs(brought.direction @ pin.direction) == pytest.approx(1.0, abs=1e-12)
    away = brought.point - pin.point
    np.testing.assert_allclose(away - (away @ pin.direction) * pin.direction, 0.0, atol=1e-11)
    assert away @ pin.direction == pytest.approx(along, abs=1e-11)
    assert frames_meet(after, joint) < 1e-11


def test_only_the_first_body_moves_where_the_second_is_held():
    held, _, _ = connected(model(PIN, LEVER, TABLE), one(model(TABLE), "table", PLANE),
                           one(model(LEVER), "lever", HOLE), bring=False)  # fmt: skip
    after, joint, moved = connected(held, one(held, "pin", AXIS), one(held, "lever", HOLE))
    assert moved == "pin"
    assert frames_meet(after, joint) < 1e-11
    assert after["lever"] == held["lever"]
    both, second, none = connected(after, one(after, "pin", AXIS), one(after, "lever", CIRCLE, 2))
    assert none == ""  # both are held: the gap stays
    assert frames_meet(both, second) < 1e-11


def test_faces_meet_face_to_face_and_balls_by_their_centres():
    before = model(TABLE, LEVER, BALL)
    face = one(before, "lever", PLANE, 4)
    top = next(f for f in features(before, "table") if f.kind == PLANE and f.direction[2] > 0.9)
    after, joint, moved = connected(before, top, face)
    assert (moved, joint.free) == ("lever", ("slide x", "slide y", "turn z"))
    met = one(after, "lever", PLANE, 4)
    assert met.direction @ top.direction == pytest.approx(-1.0, abs=1e-12)
    assert (met.point - top.point) @ top.direction == pytest.approx(0.0, abs=1e-11)
    corner = one(after, "lever", CORNER)
    last, ball, moved = connected(after, corner, one(after, "ball", CENTRE))
    assert (moved, ball.free) == ("ball", ("turn x", "turn y", "turn z"))
    np.testing.assert_allclose(one(last, "ball", CENTRE).point, corner.point, atol=1e-11)
    assert frames_meet(last, ball) < 1e-11


def test_a_pin_stands_on_a_face_where_it_is_brought_to_it():
    before = model(TABLE, PIN)
    top = next(f for f in features(before, "table") if f.kind == PLANE and f.direction[2] > 0.9)
    after, joint, moved = connected(before, top, one(before, "pin", AXIS))
    assert (moved, joint.free) == ("pin", ("turn z",))
    assert abs(one(after, "pin", AXIS).direction[2]) == pytest.approx(1.0, abs=1e-12)
    assert frames_meet(after, joint) < 1e-11


@pytest.mark.parametrize("point_first", [False, True])
@pytest.mark.parametrize(("kind", "line"), [(CENTRE, False), (MIDDLE, False), (CENTRE, True)])
def test_a_point_slides_on_a_face_or_line_that_stays_whichever_is_chosen_first(
    kind, line, point_first
):
    """The arm beside the ball tips it; its point must stay on what the ground carries."""
    arm = impeto.Box(size=(0.3, 0.05, 0.05), position=(0.2, 0, 0))
    tipping = impeto.Body(name="ball", position=(0, 0, 0.3), shapes=(BALL.shapes[0], arm))
    rail = impeto.Cylinder(orientation=(0, "90 deg", 0), length=9.0)  # along x
    base = impeto.Body(name="ground", shapes=(rail if line else impeto.Plate(),))
    before = model(base, tipping)
    found = [f for f in features(before, "ground") if f.kind == (AXIS if line else PLANE)]
    way = next(f for f in found if line or f.direction[2] > 0.9)
    point = one(before, "ball", kind)
    after, joint, moved = connected(before, *((point, way) if point_first else (way, point)))
    assert moved == "ball"
    assert after[joint.frame_a].body == "ground"
    run = impeto.simulate(after, until=0.6)
    rider = [run[f"{joint.frame_b}.position.{axis}"] for axis in "xyz"]
    for off in rider[1:] if line else rider[2:]:
        np.testing.assert_allclose(off, off[0], atol=1e-9)
    assert np.ptp(run["ball.center.position.z"]) > 0.01  # it did tip


def test_a_face_that_already_touches_a_point_meets_it_there():
    plate = impeto.Body(name="plate", shapes=(impeto.Box(size=(0.4, 0.4, 0.1)),))
    at = (0.1, 0.05, 0.05)  # on the face of the plate, away from its middle
    post = impeto.Body(name="ground", shapes=(impeto.Sphere(radius=0.02, position=at),))
    before = model(post, plate)
    face = next(f for f in features(before, "plate") if f.kind == PLANE and f.direction[2] > 0.9)
    after, joint, _ = connected(before, one(before, "ground", CENTRE), face)
    assert after["plate"] == plate
    assert after[joint.frame_a].body == "plate"
    np.testing.assert_allclose(_frame_point(after, joint.frame_a), at, atol=1e-12)
    assert frames_meet(after, joint) < 1e-11
    stays, second, _ = connected(before, face, one(before, "ground", CENTRE), bring=False)
    np.testing.assert_allclose(_frame_point(stays, second.frame_b), at, atol=1e-12)


def _frame_point(model, name):
    return next(f.point for f in features(model, model[name].body) if f.name == name)


@pytest.mark.parametrize(
    ("first", "second", "free"),
    [
        ((AXIS, 0), (HOLE, 0), ("turn z",)),
        ((CIRCLE, 0), (EDGE, 0), ("turn z",)),
        ((AXIS, 0), (PLANE, 2), ("turn z",)),
        ((AXIS, 0), (CORNER, 0), ("slide z", "turn x", "turn y", "turn z")),
        ((PLANE, 0), (CORNER, 0), ("slide x", "slide y", "turn x", "turn y", "turn z")),
    ],
)
def test_the_pair_of_features_proposes_the_freedoms(first, second, free):
    m = model(PIN, LEVER)
    a, b = one(m, "pin", *first), one(m, "lever", *second)
    assert set(proposal(a, b)) == set(proposal(b, a)) == set(free)


def test_a_gap_may_stay_and_one_body_is_refused():
    before = model(PIN, LEVER)
    pin, hole = one(before, "pin", AXIS), one(before, "lever", HOLE)
    after, joint, moved = connected(before, pin, hole, bring=False, free=("turn z", "slide z"))
    assert (moved, set(joint.free)) == ("", {"slide z", "turn z"})
    assert after["lever"] == before["lever"]
    assert frames_meet(after, joint) < 1e-11
    with pytest.raises(ModelError, match="features of lever"):
        connected(before, hole, one(before, "lever", PLANE))


def test_a_pendulum_of_two_features_swings_as_one_by_numbers():
    post = impeto.Body(name="ground", shapes=(
        impeto.Cylinder(radius=0.012, length=0.1, orientation=("90 deg", 0, 0)),))  # fmt: skip
    before = model(post, LEVER)
    after, joint, _ = connected(before, one(before, "ground", AXIS), one(before, "lever", HOLE))
    assert joint.name == "lever_joint"
    assert impeto.check(after).free == 1
    run = impeto.simulate(after, until=1.0)
    energy = run["system.energy.kinetic"] + run["system.energy.potential"]
    assert np.ptp(energy) < 1e-6 * run["system.energy.kinetic"].max()
    along = run["lever.center.position.y"]
    np.testing.assert_allclose(along, along[0], atol=1e-9)  # about the axis of the post, y
