"""Models: checks at birth, parameters and cases, and what is said about bad content."""

import pickle

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation

import impeto
from impeto.core.assembly.resolve import body_mass, resolve
from impeto.core.errors import ModelError
from impeto.core.geometry import mass
from impeto.core.geometry.rotation import from_roll_pitch_yaw, roll_pitch_yaw
from impeto.core.model.quantity import Quantity
from impeto.core.model.scope import Scope
from impeto.services import model_file


def model(*elements, **rest):
    return impeto.Model("test", elements, **rest)


def pendulum(**changes):
    parts = {
        "body": impeto.Body(name="bar", position=(0.5, 0, 0), shapes=(impeto.Box(),)),
        "pivot": impeto.Frame(name="pivot"),
        "eye": impeto.Frame(name="eye", body="bar", position=(-0.5, 0, 0)),
        "pin": impeto.Joint(name="pin", frame_a="pivot", frame_b="eye", free=("turn y",)),
        "gravity": impeto.Gravity(name="gravity"),
    } | changes
    return model(*parts.values())


def test_plain_numbers_are_si_and_texts_keep_what_was_written():
    spring = impeto.Spring(name="s", frame_a="a", frame_b="b", stiffness="15 N/mm", preload=20)
    assert spring.stiffness.text == "15 N/mm"
    assert spring.stiffness.si == 15_000
    assert spring.preload.text == "20.0 N"


@pytest.mark.parametrize("name", ["", "two words", "1st", "t", "pi", "a.b"])
def test_names_that_formulas_could_not_use_are_refused(name):
    with pytest.raises(impeto.ModelError, match="cannot be a name"):
        impeto.Frame(name=name)


def test_a_joint_is_called_by_the_trades_name_of_its_freedoms():
    from impeto.core.model.freedoms import kind_title

    for kind, free in impeto.PRESETS.items():
        assert kind_title(free) == kind
    assert kind_title(("turn x",)) == "revolute"
    assert kind_title(("slide x", "turn x")) == "cylindrical"
    assert kind_title(("slide x", "turn z")) == "free: slide x, turn z"


def test_parameters_follow_each_other_and_cases_overrule_them():
    m = model(
        impeto.Parameter(name="r", value="300 mm"),
        impeto.Parameter(name="d", value="2*r"),
        cases=[impeto.Case(name="Base"), impeto.Case(name="Wide", values={"r": "0.5 m"})],
    )
    assert Scope(m).parameter("d").si == pytest.approx(0.6)
    assert Scope(m, "Wide").parameter("d").si == pytest.approx(1.0)


def test_parameters_in_a_circle_are_named():
    m = model(
        impeto.Parameter(name="a", value="b"),
        impeto.Parameter(name="b", value="2*c"),
        impeto.Parameter(name="c", value="a"),
    )
    with pytest.raises(impeto.FormulaError, match="circle: a → b → c → a"):
        Scope(m).parameter("a")


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"eye": impeto.Frame(name="eye", body="nobody")}, "eye, body: there is no body"),
        ({"body": impeto.Body(name="bar")}, "bar, mass: it has no mass"),
        ({"body": impeto.Body(name="bar", mass="2 kg")}, "bar, inertia"),
        (
            {"body": impeto.Body(name="bar", shapes=(impeto.Box(size=("1 kg", 1, 1)),))},
            "bar, box 1 size: a mass stands where a length",
        ),
        (
            {"body": impeto.Body(name="bar", shapes=(impeto.Cylinder(radius="0 m"),))},
            "radius: it must be greater",
        ),
        ({"gravity": impeto.Gravity(name="g", direction=(0, 0, 0))}, "direction is zero"),
        ({"gravity": impeto.Gravity(name="g", size="9.81")}, "plain number .* acceleration"),
        ({"pin": impeto.Joint(name="pin", frame_a="eye", frame_b="eye")}, "joins a frame to"),
        ({"drive": impeto.Drive(name="d", joint="pin", freedom="turn x")}, "turn x .* is locked"),
        (
            {"drive": impeto.Drive(name="d", joint="pin", freedom="turn y", value="5 N")},
            "d, value: a force stands where an angular speed",
        ),
        (
            {"drive": impeto.Drive(name="d", joint="pin", freedom="turn y", value="5 Hz")},
            "Hz counts turns",
        ),
        (
            {"load": impeto.Load(name="push", frame="eye", value="1 N * bar.mass")},
            "bar.mass' is not a channel",
        ),
        ({"load": impeto.Load(name="push", frame="eye", value="3 N / 0")}, "divides by zero"),
        (
            {"spring": impeto.Spring(name="s", frame_a="eye", frame_b="eye")},
            "same point, so it has no direction",
        ),
    ],
)  # fmt: skip
def test_bad_content_names_element_field_and_remedy(change, words):
    with pytest.raises(impeto.ModelError, match=words):
        resolve(pendulum(**change))


def test_a_prescribed_motion_may_not_follow_a_channel():
    drive = impeto.Drive(
        name="d", joint="pin", freedom="turn y", value="2 * pin.turn_y.speed", prescribes="speed"
    )
    with pytest.raises(impeto.ModelError, match="time only"):
        resolve(pendulum(drive=drive))


def test_cases_that_name_what_is_not_there_are_refused():
    base = pendulum()
    bad = base.with_case(impeto.Case(name="X", values={"nothing": "1"}))
    with pytest.raises(impeto.ModelError, match=r"case X.*not a parameter"):
        Scope(bad, "X")
    with pytest.raises(impeto.ModelError, match="There is no case 'Y'"):
        Scope(base, "Y")


def test_an_element_cannot_be_removed_while_it_is_used_and_renaming_follows():
    m = pendulum()
    with pytest.raises(impeto.ModelError, match="used by pin"):
        m.without("eye")
    renamed = m.renamed("eye", "small_end")
    assert renamed["pin"].frame_b == "small_end"
    assert "eye" not in renamed.elements
    assert m["pin"].frame_b == "eye"
    with pytest.raises(impeto.ModelError, match="is taken"):
        m.renamed("eye", "pivot")


def test_two_elements_of_one_name_are_refused():
    with pytest.raises(impeto.ModelError, match="two elements"):
        model(impeto.Frame(name="a"), impeto.Frame(name="a"))


def test_a_model_survives_pickling_for_worker_processes():
    m = pendulum()
    assert pickle.loads(pickle.dumps(m)) == m


def sampled_inertia(inside, half, count=60):
    """Mass, centre and inertia of a solid of density 1 by counting small cubes."""
    ticks = [np.linspace(-h, h, count, endpoint=False) + h / count for h in half]
    points = np.stack(np.meshgrid(*ticks, indexing="ij"), axis=-1).reshape(-1, 3)
    points = points[inside(points)]
    volume = np.prod([2 * h / count for h in half])
    squares = (points**2).sum(axis=1)
    tensor = squares.sum() * np.eye(3) - points.T @ points
    return volume * len(points), volume * tensor


def test_solids_have_the_inertia_that_counting_small_cubes_gives():
    def radius(p):
        return np.hypot(p[:, 0], p[:, 1])

    cases = [
        (mass.box(np.array([0.4, 0.2, 0.6]), 1.0), lambda p: p[:, 0] < 9, (0.2, 0.1, 0.3)),
        (mass.tube(0.3, 0.1, 0.5, 1.0), lambda p: (radius(p) < 0.3) & (radius(p) > 0.1),
         (0.3, 0.3, 0.25)),
        (mass.sphere(0.3, 1.0), lambda p: (p**2).sum(axis=1) < 0.09, (0.3, 0.3, 0.3)),
    ]  # fmt: skip
    for solid, inside, half in cases:
        weight, inertia = sampled_inertia(inside, half)
        assert solid.mass == pytest.approx(weight, rel=0.01)
        np.testing.assert_allclose(solid.inertia, inertia, rtol=0.015, atol=1e-6)


def test_a_body_of_two_shapes_and_a_point_mass_obeys_the_parallel_axis_theorem():
    body = impeto.Body(
        name="b",
        shapes=(
            impeto.Sphere(radius=0.1, density=3000, position=(0.5, 0, 0)),
            impeto.Sphere(radius=0.1, density=3000, position=(-0.5, 0, 0)),
        ),
        point_masses=(impeto.PointMass(mass="2 kg", position=(0, 0.3, 0)),),
    )
    data = body_mass(Scope(model(body)), body)
    m = 3000 * 4 / 3 * np.pi * 0.001
    total = 2 * m + 2
    assert data.mass == pytest.approx(total)
    np.testing.assert_allclose(data.center, [0, 0.6 / total, 0], atol=1e-12)
    about_x = 2 * 0.4 * m * 0.01 + 2 * 0.09 - total * (0.6 / total) ** 2
    assert data.inertia[0, 0] == pytest.approx(about_x)


@pytest.mark.parametrize("name", ["m", "g", "deg", "rev", "ohms", "N"])
def test_a_parameter_cannot_be_called_like_a_unit(name):
    with pytest.raises(ModelError, match="is a unit"):
        impeto.Parameter(name=name, value="1")


@given(st.floats(-3.1, 3.1), st.sampled_from([-0.5, 0.5, 0.4999999999, 0.2]), st.floats(-3.1, 3.1))
def test_roll_pitch_and_yaw_give_their_matrix_back_at_every_pitch(roll, half_turns, yaw):
    matrix = Rotation.from_euler("xyz", [roll, np.pi * half_turns, yaw]).as_matrix()
    angles = roll_pitch_yaw(matrix)
    again = Rotation.from_euler("xyz", angles).as_matrix()
    np.testing.assert_allclose(again, matrix, atol=1e-9)


def test_point_masses_come_on_top_of_a_typed_mass():
    body = impeto.Body(
        name="b", mass="2 kg", inertia=(1, 1, 1),
        point_masses=(impeto.PointMass(mass="1 kg", position=("3 m", 0, 0)),),
    )  # fmt: skip
    found = body_mass(Scope(impeto.Model("m", [body])), body)
    assert found.mass == 3.0
    np.testing.assert_allclose(found.center, [1.0, 0, 0])
    np.testing.assert_allclose(np.diag(found.inertia), [1.0, 1 + 2 + 4, 1 + 2 + 4])


@pytest.mark.parametrize(
    "shape",
    [impeto.Box(size=("-1 m", "1 m", "1 m")), impeto.Sphere(radius="0 mm"),
     impeto.Cylinder(length="-2 mm"), impeto.Plate(thickness="0 mm")],
)  # fmt: skip
def test_sizes_must_be_greater_than_zero_where_the_mass_is_typed_too(shape):
    body = impeto.Body(name="b", mass="1 kg", inertia=(1, 1, 1), shapes=(shape,))
    findings = impeto.check(impeto.Model("m", [body])).findings
    assert any(f.severity == "bad" and "greater than zero" in f.message for f in findings)


def test_numbers_of_a_case_are_si_values_of_what_their_parameters_are():
    own = {"far": "40 mm", "swing": "30 deg", "count": "3", "wrong": "1 m + 2 s"}
    model = impeto.Model(
        "m", [impeto.Parameter(name=name, value=value) for name, value in own.items()],
        cases=[impeto.Case(name="c", values=dict.fromkeys(own, 2.0))],
    )  # fmt: skip
    scope = Scope(model, "c")
    assert scope.si(Quantity("far"), "length") == 2.0
    assert scope.si(Quantity("swing"), "angle") == 2.0
    assert scope.si(Quantity("count"), "number") == 2.0
    assert model.cases["c"].values["wrong"].text == "2.0"
    again = model_file.parse(model_file.to_text(model))
    assert Scope(again, "c").si(Quantity("far"), "length") == 2.0


def test_roll_pitch_and_yaw_turn_about_fixed_axes_one_after_the_other():
    from scipy.spatial.transform import Rotation

    rng = np.random.default_rng(5)
    right = np.deg2rad(rng.choice([0.0, 90.0, -90.0, 45.0, 180.0], (200, 3)))
    for angles in np.vstack([rng.uniform(-7.0, 7.0, (800, 3)), right]):
        expected = Rotation.from_euler("xyz", angles).as_matrix()
        np.testing.assert_allclose(from_roll_pitch_yaw(angles), expected, rtol=0.0, atol=1e-15)
