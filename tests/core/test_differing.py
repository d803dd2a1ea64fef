"""What differs between two models, in the words of the Sheet."""

from dataclasses import replace

import impeto as im
from impeto.services import model_file


def test_differences_name_elements_fields_parts_settings_and_cases():
    a = model_file.load_demo("gang_saw")
    rod = a["rod"]
    heavier = replace(rod.shapes[0], density="7000 kg/m^3")
    b = a.with_element(replace(a["rim_thickness"], value="100 mm"))
    b = b.with_element(replace(rod, shapes=(heavier, *rod.shapes[1:])))
    b = b.with_element(replace(a["crank_drive"], value=im.Constant(value="3 rpm")))
    b = b.with_element(replace(a["counterweight"], enabled=False))
    b = b.with_case(replace(b.cases["Heavy flywheel"], values={"rim_thickness": "0.2 m"}))
    b = b.changed(settings=replace(a.settings, until="3 s"))
    b = b.with_element(im.Parameter(name="extra", value=1)).without_case("No counterweight")
    assert {str(d) for d in im.differences(a, b)} == {
        "rim_thickness, Value: 90 mm → 100 mm",
        "rod, Shapes 1, density: 7850 kg/m^3 → 7000 kg/m^3",
        "crank_drive, Value, value: crank_speed → 3 rpm",
        "counterweight, On: on → off",
        "case Heavy flywheel, Changed values, rim_thickness: 180 mm → 0.2 m",
        "run settings, End time: 8 s → 3 s",
        "extra: – → new: parameter",
        "case No counterweight: case → gone",
    }
    assert im.differences(a, a) == []
    back = im.differences(b, a)
    assert im.Difference("extra", "", "parameter", "gone") in back
    assert len(back) == 8


def test_an_element_of_another_kind_is_told_as_a_whole():
    a = im.Model("m", [im.Parameter(name="k", value=1)])
    b = im.Model("m", [im.Body(name="k")])
    (found,) = im.differences(a, b)
    assert (found.of, found.before, found.after) == ("k", "parameter", "body")
