"""Sets of units that values are shown in."""

import itertools

import pytest

from impeto.core.errors import FormulaError, ModelError
from impeto.core.model import unit_names, units
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


def test_the_table_of_units_says_what_pint_says():
    for name, told in unit_names.known_units().items():
        assert told == unit_names.read(name), name


def test_no_unit_of_pint_is_taken_for_another_word():
    """Names of up to three letters, and with prefixes and an s before and after all that are."""
    prefixes, names = unit_names._defined()
    letters = "acdefghklmnrstuµNPW"
    words = {"".join(w) for n in (1, 2, 3) for w in itertools.product(letters, repeat=n)}
    words |= {p + name + s for p in ("", *prefixes) for name in names for s in ("", "s")}
    words = {w for w in words if w.lower() != "nan"}  # which is a number to pint
    found = {w for w in words if w.isalpha() and unit_names._is_defined(w)}
    assert len(found) > 1000
    assert all(map(unit_names.may_be_unit, found))
    assert all(unit_names.is_unit(w) == (w in found) for w in words)
    assert not unit_names.is_unit("Nan")


def test_pint_is_there_for_units_that_are_not_in_the_table():
    assert "mi/h^2" not in unit_names.known_units()
    factor, dimension = units.unit("mi/h^2")
    assert factor == pytest.approx(1609.344 / 3600**2)
    assert dimension == (1, 0, -2, 0, 0)
    with pytest.raises(FormulaError, match="'furlong' is not a known unit"):
        units.unit("furlong")
