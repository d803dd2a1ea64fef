"""Values and formulas: units, dimensions, and that nothing but arithmetic gets through."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from impeto.core.errors import FormulaError
from impeto.core.model import formula, units
from impeto.core.model.calculus import derivative
from impeto.core.model.formula import Value
from impeto.core.model.quantity import Quantity


def value(text, **names):
    def scope(name):
        if name in names:
            return names[name]
        raise FormulaError(f"'{name}' is unknown")

    return formula.evaluate(formula.parse(text), scope)


@pytest.mark.parametrize(
    ("text", "si"),
    [
        ("15 N/mm", 15_000),
        ("30 deg", math.pi / 6),
        ("330 rpm", 330 * math.tau / 60),
        ("2 kN*m", 2000),
        ("7850 kg/m^3", 7850),
        ("1 in", 0.0254),
        ("-3 mm + 1 cm", 0.007),
        ("2 * (3 m + 500 mm)", 7.0),
        ("2^3^2", 512),
        ("−4 m/s²", -4),
        ("1e3 mm", 1.0),
        ("3 t", 3000),
        ("10 lbf/in", 10 * 4.4482216152605 / 0.0254),
    ],
)
def test_values_with_units_become_si(text, si):
    assert Quantity(text).si == pytest.approx(si, rel=1e-14)


def test_a_unit_binds_tighter_than_the_operator_behind_it():
    assert value("6 m / 2 s").si == 3
    assert value("6 m / x", x=Value(2.0)).si == 3
    assert value("8 m/s * 2").dimension == units.unit("m/s")[1]


def test_angles_may_be_dropped_but_lengths_may_not():
    arc = value("0.3 m * 2 rad")
    assert units.same_dimension(arc.dimension, units.unit("m")[1])
    with pytest.raises(FormulaError, match="mixes a length and a mass"):
        value("1 m + 1 kg")


@pytest.mark.parametrize(
    "text",
    [
        "__import__('os').system('true')",
        "open('x')",
        "().__class__",
        "[1, 2]",
        "x = 3",
        "lambda: 1",
        "exec(1)",
        "'text'",
        "1; 2",
        "a if b else c",
        "{1}",
        "f'{x}'",
    ],
)
def test_anything_but_arithmetic_is_refused(text):
    with pytest.raises(FormulaError):
        formula.parse(text)


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("15 N/foo", "foo"),
        ("15 Nm", "not a known unit"),
        ("", "empty"),
        ("2 *", "ends too early"),
        ("(1 + 2", "ends too early"),
        ("sin(1, 2)", "takes 1"),
        ("sine(1)", "no function 'sine'"),
        ("1 / 0", "divides by zero"),
        ("sqrt(0 - 1)", "no finite value"),
        ("log(0)", "no finite value"),
        ("sin(1 m)", "needs an angle"),
        ("(2 m)^0.3", "no whole unit"),
    ],
)
def test_a_wrong_text_is_explained(text, words):
    with pytest.raises(FormulaError, match=words.replace("(", r"\(")):
        value(text)


def test_brackets_without_end_are_refused_and_do_not_exhaust_the_stack():
    with pytest.raises(FormulaError, match="too many brackets"):
        formula.parse("(" * 500 + "1" + ")" * 500)


@given(st.text(max_size=40))
def test_any_text_is_either_a_formula_or_a_sentence(text):
    said = "."
    try:
        formula.parse(text)
    except FormulaError as error:
        said = str(error)
    assert said.endswith(".")


@pytest.mark.parametrize(
    "text",
    [
        "sin(3*t) * exp(0 - t)",
        "t^3 - 2*t/(1 + t)",
        "rise(t, 0.2, 1.4) * cos(t)",
        "ramp(t, 0.1, 2)",
        "atan(2*t) + sqrt(1 + t)",
        "max(t, 0.3) + abs(t - 5)",
        "tan(t/3) - log(2 + t) + atan2(t, 2)",
        "where(t < 2, t*t, 0)",
        "asin(t/3) + acos(t/4) + min(t, 9)",
    ],
)
def test_derivative_agrees_with_central_differences(text):
    node = formula.parse(text)
    slope = derivative(node)
    t, h = 0.83, 1e-5

    def at(n, moment):
        return formula.evaluate(n, lambda _: Value(moment)).si

    numeric = (at(node, t + h) - at(node, t - h)) / (2 * h)
    assert at(slope, t) == pytest.approx(numeric, rel=1e-8, abs=1e-9)


def test_shown_values_carry_four_digits_a_suitable_unit_and_a_real_minus():
    assert units.shown(-15_234.0, "force") == "−15.23\u2009kN"
    assert units.shown(0.02, "length") == "20\u2009mm"
    assert units.shown(math.pi / 2, "angle") == "90°"
    assert units.digits(0.000012346) == "1.235e−5"


def test_a_speed_of_rotation_given_as_frequency_counts_turns():
    rpm = value("330 rpm")
    assert units.to_kind(rpm.si, rpm.dimension, "frequency") == pytest.approx(5.5)


def test_rounding_noise_beside_a_peak_is_shown_as_zero():
    assert units.against(-3.5e-27, 1.6e4) == 0.0
    assert units.against(1e-3, 1.6e4) == 1e-3
    assert units.against(0.0, 0.0) == 0.0
