"""Materials as densities, and rules that take their surfaces by them."""

from dataclasses import replace

import numpy as np
import pytest

import impeto as im
from impeto.core.contact.model import PAIRINGS
from impeto.core.model.materials import LIBRARY, SURFACES
from impeto.core.model.scope import Scope


def box(name, material, **about):
    return im.Body(name=name, shapes=(im.Box(size=(0.1, 0.1, 0.1), density=material),), **about)


def test_a_density_may_be_a_material_of_the_library_or_of_the_model():
    own = im.Material(name="larch", density="590 kg/m^3", surface="wood")
    heavier = im.Material(name="oak", density="1.1*larch", surface="wood")
    model = im.Model("m", [own, box("a", "steel"), box("b", "larch"), box("c", "0.5*spruce")])
    weights = {name: mass.mass for name, mass in im.masses(model).items()}
    assert weights["a"] == pytest.approx(7.85)
    assert weights["b"] == pytest.approx(0.59)
    assert weights["c"] == pytest.approx(0.225)
    over = im.Model("m", [own, heavier, box("a", "oak")])
    assert im.masses(over)["a"].mass == pytest.approx(0.649)
    with pytest.raises(im.ModelError, match="'teak' is not a parameter"):
        im.masses(im.Model("m", [box("a", "teak")]))
    with pytest.raises(im.ModelError, match="is a unit"):
        im.Material(name="kg")
    parameter = im.Model("m", [im.Parameter(name="steel", value="1 kg/m^3"), box("a", "steel")])
    assert im.masses(parameter)["a"].mass == pytest.approx(1e-3), "names of the model go first"


def test_every_surface_of_the_library_is_in_the_table_with_something():
    words = {word for pairing in PAIRINGS for word in pairing.split(",")[0].split(" on ")}
    assert {material.surface for material in LIBRARY.values()} <= words | {"smooth"}
    assert set(SURFACES) <= words


def sliding(material, rule):
    ground = im.Body(name="ground", shapes=(im.HalfSpace(density="concrete"),))
    block = box("block", material, position=(0, 0, 0.05), velocity=(1, 0, 0))
    return im.Model("m", [im.Gravity(name="g"), ground, block, rule])


@pytest.mark.parametrize(("material", "kinetic"), [("steel", 0.40)])
def test_a_block_slides_by_the_friction_of_its_material(material, kinetic):
    rule = im.ContactRule(name="touch", pairing="by material")
    run = im.simulate(sliding(material, rule), until=0.1)
    slowing = (run["block.velocity.x"][0] - run["block.velocity.x"][-1]) / 0.1
    assert slowing == pytest.approx(kinetic * 9.80665, rel=0.02)
    assert np.mean(run["touch_concrete_on_steel.normal"][-10:]) == pytest.approx(
        7.85 * 9.80665, rel=0.01
    )


def test_a_rule_by_material_comes_to_one_rule_for_every_two_materials():
    ground = im.Body(name="ground", shapes=(im.Box(density="steel"), im.Box(density="oak")))
    rule = im.ContactRule(name="touch", pairing="by material", first=("ground",),
                          second=("a", "b"), restitution=0.25)  # fmt: skip
    elements = [ground, box("a", "steel"), box("b", "spruce"), rule]
    whole = Scope(im.Model("m", elements)).model
    rules = {r.name: (r.first, r.second, r.pairing) for r in whole.of(im.ContactRule)}
    assert rules == {
        "touch_steel_on_steel": (("ground.1",), ("a.1",), "steel on steel"),
        "touch_steel_on_spruce": (("ground.1",), ("b.1",), "steel on wood"),
        "touch_oak_on_steel": (("ground.2",), ("a.1",), "steel on wood"),
        "touch_oak_on_spruce": (("ground.2",), ("b.1",), "wood on wood"),
    }
    everything = im.ContactRule(name="all", pairing="by material")
    whole = Scope(im.Model("m", [*elements[:3], everything])).model
    names = {rule.name for rule in whole.of(im.ContactRule)}  # every two of two bodies once
    assert names == {f"all_{pair}" for pair in (
        "steel_on_steel", "steel_on_oak", "steel_on_spruce", "oak_on_spruce",
    )}  # fmt: skip
    pairs = im.contact_pairs(im.Model("m", elements))
    assert pairs["touch_oak_on_spruce"] == (("ground", "b"),)


def test_own_surfaces_go_before_the_table_and_what_is_missing_is_said():
    sticky = im.Surface(name="sticky", static_friction=0.9, kinetic_friction=0.9)
    rubber = im.Material(name="tread", density="rubber", surface="rubber", own_surface="sticky")
    floor = im.Material(name="floor", density="concrete", surface="concrete", own_surface="sticky")
    rule = im.ContactRule(name="touch", pairing="by material", first=("a",), second=("b",))
    model = im.Model("m", [sticky, rubber, floor, box("a", "tread"), box("b", "floor"), rule])
    made = Scope(model).model["touch_tread_on_floor"]
    assert (made.surface_a, made.surface_b) == ("sticky", "sticky")
    missing = im.Model("m", [box("a", "rubber"), box("b", "ice"), rule])
    with pytest.raises(im.ModelError, match="no pairing of rubber on ice"):
        im.simulate(missing, until=0.01)
    nothing = im.Model("m", [box("a", "7000 kg/m^3"), box("b", "ice"), rule])
    with pytest.raises(im.ModelError, match="box 1 of a is of no material"):
        im.simulate(nothing, until=0.01)


def test_members_of_repeats_are_named_in_rules_by_material():
    row = im.Repeat(name="row", bodies=("a",), count=3)
    rule = im.ContactRule(name="touch", pairing="by material", first=("a",), second=("b",))
    for order in ([rule, row], [row, rule]):
        model = im.Model("m", [box("a", "steel"), box("b", "oak"), *order])
        made = Scope(model).model["touch_steel_on_oak"]
        assert made.first == ("a_1.1", "a_2.1", "a_3.1")
        np.testing.assert_equal(im.contact_pairs(model)["touch_steel_on_oak"].__len__(), 3)


def test_what_a_rule_by_material_stands_for_is_told_under_its_own_name():
    from impeto.core.overlaps import pairs_of

    ground = im.Body(name="ground", shapes=(im.Box(density="steel"), im.Torus(density="oak")))
    rule = im.ContactRule(name="touch", pairing="by material", second=("ground",))
    model = im.Model("m", [ground, box("a", "steel"), box("b", "oak"), rule])
    assert set(pairs_of(model, "touch")) == {("ground", "a"), ("ground", "b")}
    assert {shape.body for shape in im.watched_shapes(model, None, "touch")} == {"ground"}


def test_a_body_that_is_off_needs_no_material():
    rule = im.ContactRule(name="touch", pairing="by material", first=("a", "c"), second=("b",))
    bare = replace(box("c", "700 kg/m^3"), enabled=False)
    model = im.Model("m", [box("a", "steel"), box("b", "oak"), bare, rule])
    assert Scope(model).model["touch_steel_on_oak"].first == ("a.1",)
