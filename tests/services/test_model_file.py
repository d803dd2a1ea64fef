"""Model files and their schema."""

import json

import jsonschema
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import impeto
from impeto.core.errors import ImpetoError
from impeto.services import model_codec, model_file


def everything():
    """A model with every kind of element, shape and signal."""
    frames = [impeto.Frame(name="a"), impeto.Frame(name="b", body="bar", position=(0.1, 0, 0))]
    shapes = (
        impeto.Box(size=("1 m", "2 in", 0.03), colour="plum"),
        impeto.Cylinder(radius="r", density="1 kg/m^3"),
        impeto.Tube(inner_radius="1 mm"),
        impeto.Sphere(position=(1, 2, 3)),
        impeto.Torus(bar_radius="5 mm"),
    )
    return impeto.Model(
        "Everything",
        [
            impeto.Parameter(name="r", value="20 mm", note="a radius"),
            impeto.Body(
                name="bar", shapes=shapes, point_masses=(impeto.PointMass(mass="3 lb"),),
                orientation=("10 deg", "0 deg", "1 rad"),
            ),
            impeto.Body(name="typed", mass=3, inertia=(1, 1, 1), inertia_products=(0, 0.1, 0)),
            *frames,
            impeto.Joint(
                name="pin", frame_a="a", frame_b="b", free=("slide x", "turn y"),
                behaviours=(
                    impeto.Behaviour(freedom="slide x", stiffness="3 N/mm", free_position="1 mm"),
                    impeto.Behaviour(freedom="turn y", damping="2 N*m*s/rad"),
                ),
            ),
            impeto.Joint(name="weld", frame_a="a", frame_b="b", free=(), enabled=False),
            impeto.Gravity(name="gravity", direction=(0, -1, 0)),
            impeto.Spring(name="s", frame_a="a", frame_b="b", free_length="2*r", preload="5 N"),
            impeto.Damper(name="d", frame_a="a", frame_b="b"),
            impeto.Load(name="push", frame="b", value=impeto.Ramp(start="0 N", end="5 N")),
            impeto.Load(
                name="twist", frame="b", applies="torque", axes="body",
                value=impeto.Harmonic(amplitude="5 N*m", frequency="330 rpm", mean="1 N*m"),
            ),
            impeto.Drive(name="motor", joint="pin", freedom="turn y", prescribes="effort",
                         value="3 N*m - 1 N*m*s * pin.turn_y.speed"),
        ],
        cases=[
            impeto.Case(name="Base"),
            impeto.Case(name="Thick", values={"r": "30 mm"}, switches={"motor": False}),
        ],
        settings=impeto.RunSettings(until="2 s", accuracy="fine", tolerance="1e-9"),
    )  # fmt: skip


def test_every_element_comes_back_from_text_as_it_was():
    model = everything()
    text = model_file.to_text(model)
    assert model_file.parse(text) == model
    assert model_file.to_text(model_file.parse(text)) == text


def test_what_is_written_fits_the_published_schema_and_the_schema_itself_is_valid():
    schema = model_codec.schema()
    jsonschema.Draft202012Validator.check_schema(schema)
    jsonschema.validate(json.loads(model_file.to_text(everything())), schema)
    for name in model_file.demo_names():
        jsonschema.validate(json.loads(model_file.to_text(model_file.load_demo(name))), schema)
    with pytest.raises(jsonschema.ValidationError):
        jsonschema.validate({"format": 1, "elements": {"g": {"kind": "gravity", "x": 1}}}, schema)


def test_the_schema_in_docs_is_the_one_that_the_code_publishes():
    from pathlib import Path

    path = Path(__file__).parents[2] / "docs" / "model.schema.json"
    assert path.read_text(encoding="utf-8") == model_file.schema_text()


def test_a_small_edit_is_a_small_change_of_the_file():
    model = everything()
    changed = model.with_element(impeto.Gravity(name="gravity", size="1.62 m/s^2"))
    before, after = (set(model_file.to_text(m).splitlines()) for m in (model, changed))
    assert len(before ^ after) <= 6


@pytest.mark.parametrize(
    ("path", "value", "words"),
    [
        (("elements", "bar", "colour"), "pink", "'pink' is not a choice"),
        (("elements", "bar", "position"), ["0 m"], "three values are needed"),
        (("elements", "bar", "position"), "0 m", "a list is needed"),
        (("elements", "bar", "shapes", 0, "kind"), "cube", "'cube' is not a kind"),
        (("elements", "bar", "shapes", 0, "volume"), 3, "there is no field 'volume'"),
        (("elements", "s", "stiffness"), "open(1)", "no function 'open'"),
        (("elements", "s", "stiffness"), {"a": 1}, "is not a value"),
        (("elements", "s", "frame_a"), 3, "text is needed"),
        (("elements", "pin", "enabled"), "yes", "true or false"),
        (("elements", "push", "value", "kind"), "wave", "'wave' is not a kind"),
        (("cases", "Thick", "switches"), {"motor": 1}, "true or false"),
        (("settings", "accuracy"), "best", "'best' is not a choice"),
        (("surprise",), 1, "there is no field 'surprise'"),
    ],
)
def test_a_wrong_field_is_named(path, value, words):
    data = json.loads(model_file.to_text(everything()))
    spot = data
    for key in path[:-1]:
        spot = spot[key]
    spot[path[-1]] = value
    with pytest.raises(ImpetoError, match=words.replace("(", r"\(").replace(")", r"\)")):
        model_file.parse(json.dumps(data))


JSON = st.recursive(
    st.none() | st.booleans() | st.floats(allow_nan=False) | st.text(max_size=8),
    lambda inner: (
        st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=8), inner, max_size=3)
    ),
    max_leaves=8,
)


@settings(max_examples=60, deadline=None)
@given(JSON, st.sampled_from(["format", "elements", "cases", "settings", "name"]))
def test_any_json_in_any_place_is_a_model_or_a_sentence(junk, key):
    data = {"format": 1, "elements": {}} | {key: junk}
    said = "."
    try:
        model_codec.decode(data)
    except ImpetoError as error:
        said = str(error)
    assert said.endswith(".")


def test_a_file_that_is_missing_or_not_text_is_explained(tmp_path):
    with pytest.raises(impeto.FileError, match="no such file"):
        model_file.load(tmp_path / "none.impeto.json")
    path = tmp_path / "binary.impeto.json"
    path.write_bytes(b"\xff\xfe\x00")
    with pytest.raises(impeto.FileError, match="not text"):
        model_file.load(path)
    with pytest.raises(impeto.FileError, match="There is no demo"):
        model_file.load_demo("nothing")
