"""Elements taken out with what hangs on them, and written as Python."""

import pytest

import impeto
from impeto.core.errors import ModelError
from impeto.core.model.removing import hanging_on, removed
from impeto.services import model_file
from impeto.services.python_text import as_python


def test_what_hangs_on_a_body_goes_with_it_and_its_frames_too(gang_saw):
    going = hanging_on(gang_saw, ["rod"])
    assert {"crank_pin", "frame_pin"} <= set(going)
    frames = {f.name for f in gang_saw.of(impeto.Frame) if f.body == "rod"}
    assert frames <= set(going)
    left = removed(gang_saw, ["rod"])
    assert "rod" not in left.elements
    assert not {*going} & {*left.elements}
    impeto.check(left)  # refers to nothing that is gone


def test_a_frame_that_something_else_uses_stays_when_a_joint_goes(gang_saw):
    a, b = gang_saw["crank_pin"].frame_a, gang_saw["crank_pin"].frame_b
    spring = impeto.Spring(name="spring", frame_a=a, frame_b="column_left")
    model = gang_saw
    if "column_left" not in model.elements:
        model = model.with_element(impeto.Frame(name="column_left"))
    model = model.with_element(spring)
    left = removed(model, ["crank_pin"])
    assert a in left.elements
    assert b not in left.elements


def test_lists_of_names_become_shorter_and_cases_forget_what_goes():
    bodies = [impeto.Body(name=n, shapes=(impeto.Box(),)) for n in ("log", "plank", "slab")]
    group = impeto.Group(name="timber", members=("log", "plank"))
    model = impeto.Model("m", [*bodies, group],
                         cases=[impeto.Case(name="Base", switches={"log": False})])  # fmt: skip
    left = removed(model, ["log"])
    assert left["timber"].members == ("plank",)
    assert left.cases["Base"].switches == {}
    with pytest.raises(ModelError, match="ground cannot be removed"):
        removed(model, ["ground"])


def test_a_value_that_a_case_needs_is_not_taken_away():
    model = impeto.Model("m", [impeto.Parameter(name="size", value="1 m"),
                               impeto.Parameter(name="half", value="1 m")],
                         cases=[impeto.Case(name="Base", values={"half": "size / 2"})])  # fmt: skip
    with pytest.raises(ModelError, match="needs it"):
        removed(model, ["size"])


@pytest.mark.parametrize("demo", model_file.demo_names())
def test_every_demo_comes_back_from_its_python(demo):
    model = model_file.load_demo(demo)
    made = {}
    exec(as_python(model.elements.values()), made)
    assert made["elements"] == list(model.elements.values())
