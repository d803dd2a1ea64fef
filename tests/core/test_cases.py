"""Cases that are built on others: what they take over, and what stays when one goes."""

from dataclasses import replace

import pytest

import impeto
from impeto.core.check import check
from impeto.core.errors import ModelError
from impeto.core.model import differing
from impeto.core.model.cases import switched
from impeto.core.model.scope import Scope, find_case
from impeto.core.simulate import simulate
from impeto.services import model_file

WET = impeto.Case(name="Wet", values={"load": "30 kg"}, switches={"pull": False}, until="2 s")
WET_STIFF = impeto.Case(name="Wet and stiff", values={"k": "4 kN/m"}, built_on="Wet")
BACK = impeto.Case(
    name="Pulled", switches={"pull": True}, integrator="quick", built_on="Wet and stiff"
)


def sprung(*cases):
    """A load on a spring, pulled down or not."""
    pull = impeto.Load(name="pull", frame="eye", value="9 N")
    return impeto.Model("sprung", [
        impeto.Parameter(name="load", value="20 kg"), impeto.Parameter(name="k", value="2 kN/m"),
        impeto.Gravity(name="g"), impeto.Body(name="block", mass="load", inertia=(1, 1, 1)),
        impeto.Frame(name="top", position=(0, 0, 1)), impeto.Frame(name="eye", body="block"), pull,
        impeto.Spring(name="spring", frame_a="top", frame_b="eye", stiffness="k", free_length=1),
    ], cases=[impeto.Case(name="Base"), *cases])  # fmt: skip


def test_what_a_case_takes_over_is_computed_with_and_its_own_comes_first():
    model = sprung(WET, WET_STIFF, BACK)
    scope = Scope(model, "Wet and stiff")
    assert (scope.parameter("load").si, scope.parameter("k").si) == (30.0, 4000.0)
    assert not scope.on(model["pull"])
    assert Scope(model, "Pulled").on(model["pull"])
    assert find_case(model, "Pulled").integrator == "quick"
    recording = simulate(model, "Wet and stiff")
    assert recording.time[-1] == 2.0  # the end that Wet gives
    sag = 2.0 * 30.0 * 9.80665 / 4000.0  # from rest it swings to twice its sag
    assert recording["block.position.z"].min() == pytest.approx(-sag, rel=1e-4)


def test_a_change_below_reaches_all_that_are_built_on_it():
    model = sprung(WET, WET_STIFF, BACK).with_case(replace(WET, values={"load": "50 kg"}))
    assert [Scope(model, name).parameter("load").si for name in model.cases] == [20, 50, 50, 50]


def test_when_one_goes_those_on_it_stay_what_they_were_and_a_name_is_followed():
    model = sprung(WET, WET_STIFF, BACK)
    before = {name: find_case(model, name) for name in model.cases}
    less = model.without_case("Wet and stiff").without_case("Wet")
    assert {name: find_case(less, name) for name in less.cases} == {
        name: case for name, case in before.items() if not name.startswith("Wet")
    }
    sweep = impeto.ParameterSweep(name="s", case="Wet")
    renamed = model.with_element(sweep).renamed_case("Wet", "Rain")
    assert renamed.cases["Wet and stiff"].built_on == renamed["s"].case == "Rain"


@pytest.mark.parametrize(
    ("cases", "why"),
    [([replace(WET, built_on="Dry")], "case Wet: it is built on 'Dry', which is no case"),
     ([replace(WET, built_on="Wet")], "case Wet: it is built on itself"),
     ([replace(WET, built_on="Wet and stiff"), WET_STIFF], "by way of Wet and stiff")],
)  # fmt: skip
def test_a_case_on_nothing_or_on_itself_is_refused(cases, why):
    with pytest.raises(ModelError, match=why):
        sprung(*cases)


def test_cases_a_hundred_deep_are_refused_in_a_sentence_and_at_once():
    many = [impeto.Case(name=f"c{k}", built_on=f"c{k - 1}" if k else "Base") for k in range(5000)]
    with pytest.raises(ModelError, match="built on more than 100 others, one on the other"):
        sprung(*many)
    assert find_case(sprung(*many[:98]), "c97").built_on == ""


def test_a_switch_that_would_be_so_anyway_is_no_change():
    model = sprung(WET, WET_STIFF)
    case = model.cases["Wet and stiff"]
    on = switched(model.cases, case, [model["pull"]], True)
    assert on.switches == {"pull": True}
    assert switched(model.cases, on, [model["pull"]], False).switches == {}
    assert switched(model.cases, model.cases["Base"], [model["pull"]], True).switches == {}


def test_what_a_case_is_built_on_is_kept_in_files_compared_and_checked(tmp_path):
    model = sprung(WET, WET_STIFF)
    model_file.save(model, tmp_path / "sprung.impeto.json")
    again = model_file.load(tmp_path / "sprung.impeto.json")
    assert again == model
    other = model.with_case(replace(WET_STIFF, built_on=""))
    assert [(d.of, d.field, d.before) for d in differing.differences(model, other)] == [
        ("case Wet and stiff", "Built on", "Wet")
    ]
    assert check(model, "Wet and stiff").free == 6
