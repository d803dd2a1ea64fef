"""Sets of units that values are shown in."""

import pytest

from impeto.core.errors import ModelError
from impeto.core.model import units
from impeto.core.model.unit_sets import SETS, own_set


@pytest.fixture(autouse=True)
def put_back():
    yield
    units.prefer({})


@pytest.mark.parametrize("name", SETS)
def test_each_set_has_units_that_fit_their_kinds(name):
    units.prefer(SETS[name])
    for kind, unit in SETS[name].items():
        assert units.shown(1.0, kind).endswith(units.spoken(unit))


@pytest.mark.parametrize(
    ("name", "value", "kind", "text"),
    [("millimetres", 0.25, "length", "250\u2009mm"), ("SI", 0.25, "length", "0.25\u2009m"),
     ("inch and pound", 4.4482216152605, "force", "1\u2009lbf"),
     ("inch and pound", 0.45359237, "mass", "1\u2009lb"),
     ("as fits the size", 15e3, "force", "15\u2009kN")],
)  # fmt: skip
def test_a_value_is_shown_in_its_set(name, value, kind, text):
    units.prefer(SETS[name])
    assert units.shown(value, kind) == text


def test_own_units_are_read_and_wrong_ones_get_a_sentence():
    assert own_set("length mm, angular speed rpm") == {"length": "mm", "angular speed": "rpm"}
    units.prefer(own_set("force kN"))
    assert units.shown(3.0, "force") == "0.003\u2009kN"
    for wrong in ("lenght mm", "mm"):
        with pytest.raises(ModelError, match="no kind of quantity"):
            own_set(wrong)
    with pytest.raises(ModelError, match="no unit of length"):
        units.prefer({"length": "kg"})
    assert units.shown(3.0, "force") == "0.003\u2009kN"  # as it was
