"""Bodies from nothing, and posing them by hand."""

import numpy as np
import pytest

import impeto
from impeto.core.assembly.resolve import body_mass
from impeto.core.check import check
from impeto.core.connecting import FREELY
from impeto.core.errors import ModelError
from impeto.core.model.scope import Scope
from impeto.core.posing import as_drawn, drawn_as, drawn_value, range_of
from impeto.core.sketching import Section, section_of

DOWN = impeto.Gravity(name="gravity")
CRANK, ROD, ROCKER, BASE = 0.1, np.hypot(0.4, 0.2), 0.3, 0.4


def four_bar():
    points = [(0, 0, 0), (0, 0, "100 mm"), ("400 mm", 0, "300 mm"), (0.4, 0, 0)]
    model, names = impeto.bars(
        impeto.Model("m", [DOWN]), points, section="30 x 10 mm", held={0: "ground", 3: "ground"}
    )
    assert names == ["bar", "bar_2", "bar_3"]
    return model


def coupler_end(crank):
    """Where rod and rocker meet, by the law of cosines; above the line between their ends."""
    a = CRANK * np.array([np.cos(crank), np.sin(crank)])
    way = np.array([BASE, 0.0]) - a
    away = np.linalg.norm(way)
    along = (ROD**2 - ROCKER**2 + away**2) / (2 * away)
    u = way / away
    return a + along * u + np.sqrt(ROD**2 - along**2) * np.array([-u[1], u[0]])


@pytest.mark.parametrize(
    ("text", "made", "area"),
    [("20 mm", Section(0.02), np.pi * 1e-4), ("40 x 8 mm", Section(0.04, 0.008), 3.2e-4),
     ("tube 60 x 3 mm", Section(0.06, wall=0.003), np.pi * (0.03**2 - 0.027**2))],
)  # fmt: skip
def test_a_section_is_read_and_weighs_as_much_as_it_should(text, made, area):
    assert section_of(text) == made
    model, (name,) = impeto.bars(impeto.Model("m"), [(0, 0, 0), (1, 2, 2)], section=text)
    assert impeto.masses(model)[name].mass == pytest.approx(3 * area * 7850, rel=1e-12)


@pytest.mark.parametrize("text", ["", "thick", "40 x mm", "0 mm", "tube 6 x 3 mm", "-3 mm", "2 kg"])
def test_what_is_no_section_gets_a_sentence(text):
    with pytest.raises(ModelError):
        section_of(text)


def test_bars_lie_between_their_points_and_are_pinned_where_they_meet():
    model = four_bar()
    assert check(model).free == 1
    run = impeto.simulate(model, until=0.01)
    ends = {"bar_end": (0, 0, 0.1), "bar_2_end": (0.4, 0, 0.3), "bar_3_end": (0.4, 0, 0)}
    for frame, place in ends.items():
        np.testing.assert_allclose(run.vector(f"{frame}.position")[0], place, atol=1e-12)
    assert {j.free for j in model.of(impeto.Joint)} == {("turn z",)}
    assert len(model.of(impeto.Frame)) == 8  # two of each bar, two on the ground


def test_a_bar_without_length_is_refused():
    with pytest.raises(ModelError, match="two points that lie apart"):
        impeto.bars(impeto.Model("m"), [(1, 0, 0), (1, 0, 0)])


@pytest.mark.parametrize("shape", [
    impeto.Box(size=("100 mm", "50 mm", "30 mm")), impeto.Cylinder(), impeto.Sphere(),
    impeto.Capsule(), impeto.Cone(), impeto.Torus(), impeto.Tube(), impeto.ToothedWheel(),
])  # fmt: skip
def test_a_solid_stands_on_the_face_that_it_is_set_on(shape):
    """The lowest point of its surface is on the plane, by a floor that just does not touch it."""
    out = np.array([1.0, 2.0, 2.0]) / 3
    model, _ = impeto.set_on(impeto.Model("m"), shape, (0.1, 0.2, 0.3), out=tuple(out))
    for gap, touches in ((1e-5, False), (-1e-5, True)):
        plane = impeto.frame_at(model, "p", "ground", tuple(np.array([0.1, 0.2, 0.3]) - gap * out),
                                z=tuple(out))  # fmt: skip
        ground = impeto.Body(name="ground", shapes=(
            impeto.HalfSpace(position=plane.position, orientation=plane.orientation),))  # fmt: skip
        tried = model.with_element(ground).with_element(impeto.ContactRule(name="rule"))
        found = impeto.overlaps(tried)
        assert bool(found) == touches, (shape.title, gap)


def test_a_pulled_crank_takes_the_loop_along_by_the_law_of_cosines():
    posing = impeto.Posing(four_bar())
    posing.close()
    for angle in np.linspace(1.5, 0.3, 9):
        assert posing.pull(
            "bar", (CRANK, 0, 0), CRANK * np.array([np.cos(angle), 0, np.sin(angle)])
        )
        origin, rotation = posing.pose("bar_2")
        end = origin + rotation @ np.array([ROD, 0, 0])
        np.testing.assert_allclose(end[[0, 2]], coupler_end(angle), atol=1e-7)
    model = posing.posed()
    assert drawn_value(model, "ground_bar_pin", "turn z") == pytest.approx(-0.3, abs=1e-6)


def test_a_pull_out_of_reach_comes_as_near_as_it_can_and_keeps_the_joints():
    posing = impeto.Posing(four_bar())
    target = np.array([0.5, 0.0, 0.0])
    assert posing.pull("bar", (CRANK, 0, 0), target)
    assert posing.close() < 1e-12
    origin, rotation = posing.pose("bar")
    tip = origin + rotation @ np.array([CRANK, 0, 0])
    np.testing.assert_allclose(tip, [CRANK, 0, 0], atol=1e-3)


def test_a_freedom_is_set_and_what_cannot_be_reached_changes_nothing():
    posing = impeto.Posing(four_bar())
    assert posing.set("ground_bar_pin", "turn z", -0.5)
    assert posing.value("ground_bar_pin", "turn z") == pytest.approx(-0.5, abs=1e-9)
    before = posing.poses()
    assert not posing.set("ground_bar_3_pin", "turn z", 2.5)  # the rocker does not go so far
    for name, (origin, rotation) in posing.poses().items():
        np.testing.assert_array_equal(origin, before[name][0])
        np.testing.assert_array_equal(rotation, before[name][1])


def test_sliders_go_between_the_stops_of_a_joint():
    model = four_bar()
    assert range_of(model, "ground_bar_pin", "turn z") == (-np.pi, np.pi)
    stops = impeto.Stops(freedom="turn z", lower="-30 deg", upper="0.5 rad", stiffness="1 MN*m/rad")
    import dataclasses

    held = dataclasses.replace(model["ground_bar_pin"], behaviours=(stops,))
    least, most = range_of(model.with_element(held), "ground_bar_pin", "turn z")
    assert (least, most) == (pytest.approx(-np.pi / 6), 0.5)


def test_a_pose_is_kept_as_drawn_and_drawn_again():
    model = four_bar()
    model = model.with_element(as_drawn(model, "home"))
    posing = impeto.Posing(model)
    posing.set("ground_bar_pin", "turn z", 0.4)
    away = posing.posed()
    assert away["bar"] != model["bar"]
    again = drawn_as(away, "home")
    value = drawn_value(again, "ground_bar_pin", "turn z")
    assert value == pytest.approx(drawn_value(model, "ground_bar_pin", "turn z"), abs=1e-9)


def test_held_bodies_are_brought_together_as_far_as_their_joints_let_them():
    """The far end of a pendulum comes to a pin within its reach, and not to one beyond."""
    for far, reached in ((0.6, True), (1.5, False)):
        model, _ = impeto.bars(impeto.Model("m"), [(0, 0, 0), (1, 0, 0)], held={0: "ground"})
        model, _ = impeto.bars(model, [(0, 0, far), (0, 1, far)], name="post")
        model = impeto.joined(model, "base", "ground", "post", (0, 1, far), free=())
        end = next(f for f in impeto.features(model, "bar") if f.name == "bar_end")
        tip = next(f for f in impeto.features(model, "post") if f.name == "post_start")
        if not reached:
            with pytest.raises(ModelError, match="cannot be brought together"):
                impeto.connected(model, tip, end, free=("turn z",), bring=FREELY)
            continue
        with pytest.raises(ModelError):  # the length of the bar does not fit 0.6 m
            impeto.connected(model, tip, end, free=("turn x", "turn y", "turn z"), bring=FREELY)
        free = ("slide x", "slide y", "turn x", "turn y", "turn z")
        joined, _, moved = impeto.connected(model, tip, end, free=free, bring=FREELY)
        assert moved == "bar"
        assert impeto.Posing(joined).close() < 1e-9


def test_a_bent_bar_runs_along_its_points_with_frames_that_look_out_of_its_ends():
    model, name = impeto.bent(
        impeto.Model("m"), [(1, 0, 0), ("1.3 m", 0, 0), ("1.3 m", 0, "200 mm")],
        section="tube 60 x 3 mm",
    )  # fmt: skip
    scope = Scope(model)
    found = {feature.name: feature for feature in impeto.features(model, name)}
    expected = {"start": ((1, 0, 0), (-1, 0, 0)), "end": ((1.3, 0, 0.2), (0, 0, 1))}
    for end, (place, out) in expected.items():
        np.testing.assert_allclose(found[f"{name}_{end}"].point, place, atol=1e-12)
        np.testing.assert_allclose(found[f"{name}_{end}"].direction, out, atol=1e-12)
    # Legs of 0.18 m and 0.08 m and a quarter turn of twice the diameter.
    length = 0.18 + 0.08 + 0.12 * np.pi / 2
    weight = 7850 * np.pi * (0.03**2 - 0.027**2) * length
    assert body_mass(scope, model[name]).mass == pytest.approx(weight, rel=1e-9)


def test_a_bent_bar_that_comes_back_to_its_beginning_is_closed():
    points = [(0, 0, 0), (0.1, 0, 0), (0.1, 0, 0.1), (0, 0, 0.1), (0, 0, 0)]
    model, name = impeto.bent(impeto.Model("m"), points, section="10 mm")
    length = 4 * 0.06 + 2 * np.pi * 0.02
    weight = 7850 * np.pi * 0.005**2 * length
    assert body_mass(Scope(model), model[name]).mass == pytest.approx(weight, rel=1e-9)
    assert f"{name}_start" not in model.elements


@pytest.mark.parametrize("closed", [True, False])
def test_bends_are_as_wide_as_the_tightest_corner_lets_them(closed):
    """A thick bar around a slender triangle: corners that turn differently share a leg."""
    points = [(0, 0, 0), (0.3, 0, 0), (0.05, 0, 0.2), *([(0, 0, 0)] if closed else [])]
    model, name = impeto.bent(impeto.Model("m"), points, section="60 mm")
    corners = np.array(points[:3], dtype=float)
    ways = np.roll(corners, -1, axis=0) - corners
    lengths = np.linalg.norm(ways, axis=1)
    before = np.roll(ways, 1, axis=0)
    cosines = np.einsum("ki,ki->k", before, ways) / (lengths * np.roll(lengths, 1))
    cuts = np.tan(0.5 * np.arccos(cosines)) * (1.0 if closed else np.array([0.0, 1.0, 0.0]))
    legs = slice(None) if closed else slice(2)
    widest = (lengths / np.maximum(cuts + np.roll(cuts, -1), 1e-300))[legs].min()
    bend = model[name].shapes[0].bend_radius
    assert Scope(model).si(bend, "length") == pytest.approx(min(widest, 0.12), rel=1e-9)
    assert body_mass(Scope(model), model[name]).mass > 0.0


@pytest.mark.parametrize(
    ("points", "message"),
    [([(0, 0, 0)], "points that lie apart"),
     ([(0, 0, 0), (0.1, 0, 0), (0.05, 0, 0)], "turns back at point 2"),
     ([(0, 0, 0), (0.1, 0, 0), (0.1, 0, 0.001)], "tighter than the section is wide")],
)  # fmt: skip
def test_a_bar_that_cannot_be_bent_so_is_refused(points, message):
    with pytest.raises(ModelError, match=message):
        impeto.bent(impeto.Model("m"), points)
