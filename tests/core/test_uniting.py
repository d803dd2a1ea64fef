"""Bodies made one: the same mass, the same places, the same motion."""

import numpy as np
import pytest

import impeto as im

DOWN = im.Gravity(name="gravity")


def parts(**about):
    """A frame of two beams and a weight that are held to each other, hung on a pin and a spring."""
    turned = ("20 deg", "-30 deg", "50 deg")
    model = im.Model("parts", [
        DOWN,
        im.Body(name="beam", position=(0.2, 0.1, 0.3), orientation=turned, shapes=(im.Box(),),
                colour="straw"),
        im.Body(name="post", position=(0.5, 0, 0.4), orientation=("0 deg", "40 deg", "0 deg"),
                shapes=(im.Cylinder(), im.Cone(position=(0, 0.1, 0))), **about),
        im.Body(name="weight", position=(0.1, 0.4, 0), shapes=(im.Sphere(),),
                point_masses=(im.PointMass(mass="1 kg", position=(0, 0, 0.2)),)),
    ])  # fmt: skip
    for name in ("post", "weight"):
        model = im.joined(model, f"{name}_weld", "beam", name, (0.3, 0.1, 0.3), free=())
    model = im.joined(model, "pin", "ground", "beam", (0, 0, 0.6), z=(1, 2, 0))
    model = model.with_element(im.frame_at(model, "high", "ground", (0.6, 0, 1.2)))
    model = model.with_element(im.frame_at(model, "low", "post", (0.5, 0, 0.5)))
    spring = im.Spring(name="spring", frame_a="high", frame_b="low", stiffness="2 kN/m")
    rule = im.ContactRule(name="rule", first=("post",), second=("ground",))
    group = im.Group(name="all_of_it", members=("beam", "weight"))
    return model.with_element(spring).with_element(rule).with_element(group)


@pytest.mark.parametrize(
    "about",
    [{}, {"mass": "4 kg"}, {"mass": "4 kg", "inertia": (0.02, 0.03, 0.04), "center": (0, 0.1, 0)}],
)
def test_one_body_moves_as_the_welded_ones_did(about):
    before = parts(**about)
    after, gone = im.united(before, ["beam", "post", "weight"])
    assert set(gone) == {"post_weld", "post_weld_a", "post_weld_b", "weight_weld",
                         "weight_weld_a", "weight_weld_b"}  # fmt: skip
    apart, one = im.masses(before)[""], im.masses(after)["beam"]
    assert one.mass == pytest.approx(apart.mass, rel=1e-12)
    np.testing.assert_allclose(one.center, apart.center, atol=1e-11)
    np.testing.assert_allclose(one.inertia, apart.inertia, atol=1e-10)
    runs = [im.simulate(m, until=0.5, tol=1e-9) for m in (before, after)]
    for name in ("low.position", "pin.force"):
        theirs, ours = (run.vector(name) for run in runs)
        np.testing.assert_allclose(ours, theirs, atol=1e-5 * max(1.0, abs(theirs).max()))


def test_rules_groups_and_belts_follow_to_the_same_shapes():
    belt = im.BeltSurface(name="belt", body="post", shape=2)
    after, _ = im.united(parts().with_element(belt), ["beam", "post", "weight"])
    assert after["rule"].first == ("beam.2", "beam.3")
    assert after["all_of_it"].members == ("beam",)
    assert (after["belt"].body, after["belt"].shape.text) == ("beam", "3")
    assert [s.colour for s in after["beam"].shapes] == ["", "slate", "slate", "slate"]


def test_what_stands_goes_to_the_ground():
    before = parts()
    after, gone = im.united(before, ["ground", "beam", "post", "weight"])
    assert {"pin", "spring"} <= set(gone)
    assert list(im.masses(after)) == [""]
    assert len(after["ground"].shapes) == 4
    spot = [f.point for f in im.features(before, "weight") if f.kind == "sphere centre"]
    there = [f.point for f in im.features(after, "ground") if f.kind == "sphere centre"]
    np.testing.assert_allclose(there, spot, atol=1e-9)


def test_what_cannot_be_united_is_said():
    model = parts()
    with pytest.raises(im.ModelError, match="One body alone"):
        im.united(model, ["beam"])
    with pytest.raises(im.ModelError, match="'pin' is no body"):
        im.united(model, ["beam", "pin"])
    event = im.Event(name="low_down", when="channel falls", channel="post.position.z", level="0 m")
    with pytest.raises(im.ModelError, match="reads post, which would be gone"):
        im.united(model.with_element(event), ["beam", "post"])
    row = im.Repeat(name="row", bodies=("weight",), count=3)
    with pytest.raises(im.ModelError, match="weight stands for 3 bodies"):
        im.united(model.with_element(row), ["beam", "weight"])
    belt = im.BeltSurface(name="belt", body="post")
    with pytest.raises(im.ModelError, match="carries on all shapes of post"):
        im.united(model.with_element(belt), ["beam", "post"])
