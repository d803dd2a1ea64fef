"""Copies of a part of a model, put into the same model and into others."""

from dataclasses import replace

import numpy as np
import pytest

import impeto as im
from impeto.services import model_file


def sprung(name="mass"):
    """A block on a spring over the ground, guided upright, with a parameter in its spring."""
    model = im.Model("sprung", [
        im.Gravity(name="gravity"), im.Parameter(name="k", value="4 kN/m"),
        im.Body(name=name, position=(0, 0, 0.5), shapes=(im.Box(),)),
        im.Body(name="other", position=(2, 0, 0.5), shapes=(im.Box(),)),
    ])  # fmt: skip
    model = im.joined(model, f"{name}_guide", "ground", name, (0, 0, 0.5), free=("slide z",))
    model = model.with_element(im.frame_at(model, f"{name}_low", "ground", (0, 0, 0)))
    model = model.with_element(im.frame_at(model, f"{name}_high", name, (0, 0, 0.4)))
    model = im.joined(model, "arm", name, "other", (1, 0, 0.5))
    spring = im.Spring(name=f"{name}_spring", frame_a=f"{name}_low", frame_b=f"{name}_high",
                       stiffness="2*k")  # fmt: skip
    drive = im.Drive(name="shake", joint="mass_guide", freedom="slide z", enabled=False)
    return model.with_element(spring).with_element(drive)


def test_a_body_is_copied_with_what_acts_on_it_alone():
    part = im.copied(sprung(), ["mass"])
    assert set(part.elements) == {
        "ground", "k", "mass", "mass_guide", "mass_guide_a", "mass_guide_b", "mass_low",
        "mass_high", "mass_spring", "arm_a", "shake",
    }  # fmt: skip
    both = im.copied(sprung(), ["mass", "other"])
    assert {"arm", "arm_b"} <= set(both.elements)


def test_the_copy_moves_as_the_original_does():
    model = sprung().without("arm")
    copy = model_file.parse(model_file.to_text(im.copied(model, ["mass"])))
    made, names = im.pasted(model, copy, at=np.array([0.0, 3.0, 1.5]))
    assert "mass_2" in names
    assert "k" not in names, "a value that is there already was doubled"
    assert made["mass_spring_2"].frame_a == "mass_low_2"
    run = im.simulate(made, until=0.5)
    np.testing.assert_allclose(run["mass_2.position.z"], run["mass.position.z"] + 1.0, atol=1e-9)
    np.testing.assert_allclose(run["mass_2.position.y"], 3.0, atol=1e-9)


def test_values_that_differ_in_the_other_model_come_along_under_another_name():
    soft = sprung().with_element(im.Parameter(name="k", value="1 kN/m"))
    made, names = im.pasted(soft, im.copied(sprung(), ["mass"]))
    assert "k_2" in names
    assert made["mass_spring_2"].stiffness.text == "2*k_2"
    assert made["k"].value.text == "1 kN/m"


def test_a_single_element_keeps_its_hold_in_the_same_model_and_asks_for_it_in_another():
    model = sprung()
    part = im.copied(model, ["arm"])
    made, names = im.pasted(model, part)
    assert names == ("arm_2",)
    assert (made["arm_2"].frame_a, made["arm_2"].frame_b) == ("arm_a", "arm_b")
    with pytest.raises(im.ModelError, match="'arm_a', which is neither in the copy nor in this"):
        im.pasted(im.Model("empty"), part)
    with pytest.raises(im.ModelError, match="nothing to copy"):
        im.copied(model, ["ground"])
    with pytest.raises(im.ModelError, match="nothing to paste"):
        im.pasted(model, im.Model("empty"))


def test_a_repeat_is_copied_with_what_it_repeats_and_its_members_get_other_names():
    link = im.Body(name="link", shapes=(im.Sphere(),))
    row = im.Repeat(name="row", bodies=("link",), count=3)
    rule = im.ContactRule(name="rule", first=("link",), second=("link",))
    model = im.Model("row", [link, row, rule])
    made, names = im.pasted(model, im.copied(model, ["row"]), at=np.array([0.0, 1.0, 0.0]))
    assert names == ("link_new", "row_2", "rule_2")
    assert made["row_2"].bodies == made["rule_2"].first == ("link_new",)
    run = im.simulate(made, until=0.01)
    assert run["link_new_3.position.x"][0] == pytest.approx(1.0)
    heavy = replace(made["link_new"], mass=im.Body(name="x", mass="2 kg").mass)
    assert im.masses(made.with_element(heavy))["link_new_2"].mass == 2.0


def test_what_is_tied_to_a_member_is_pasted_and_stays_tied_to_it():
    bar = im.Body(name="bar", position=(0, 0, 1), shapes=(im.Sphere(),))
    elements = [im.Body(name="link", shapes=(im.Sphere(),)), im.Frame(name="eye", body="link"),
                im.Repeat(name="row", bodies=("link",), count=3), bar,
                im.Frame(name="end", body="bar"),
                im.Spring(name="spring", frame_a="eye_2", frame_b="end")]  # fmt: skip
    model = im.Model("row", elements)
    made, names = im.pasted(model, im.copied(model, ["spring"]))
    assert names == ("spring_2",)
    assert (made["spring_2"].frame_a, made["spring_2"].frame_b) == ("eye_2", "end")
