"""Files from strangers: a result or one sentence, never a traceback, a hang or markup."""

import contextlib
import json
import os
import random

import h5py
import numpy as np
import pytest

import impeto
from impeto.core.check import check
from impeto.core.errors import FileError, FormulaError, ImpetoError, ModelError
from impeto.core.model import formula
from impeto.services import meshes, model_file, tables
from tests.services import hostile


def model_text(elements=None, **top):
    return json.dumps({"format": 2, "name": "m", "elements": elements or {}} | top)


def refused(text):
    """The sentence with which a model's text is refused, on reading, check or run."""

    def use():
        model = model_file.parse(text, "the file")
        for finding in check(model).findings:
            if finding.severity == "bad":
                raise ModelError(finding.message)
        impeto.simulate(model, until=None if "until" in text else "1 ms")

    with pytest.raises(ImpetoError) as caught:
        use()
    said = str(caught.value)
    assert "\n" not in said
    assert len(said) < hostile.LONGEST
    return said


def body(**fields):
    return {"b": {"kind": "body", "mass": "1 kg", "inertia": [1, 1, 1], **fields}}


CHAIN = {f"p{k}": {"kind": "parameter", "value": f"p{k + 1} + 1"} for k in range(250)}


@pytest.mark.parametrize(
    "text",
    [
        model_text({"b": {"kind": ["body"]}}),
        model_text({"b": {"kind": {"a": 1}}}),
        model_text({"b": {"kind": "body", "shapes": [{"kind": []}]}}),
        model_text().replace('"m"', "1" * 5000),
        model_text(body(mass="10**400 kg")),
        model_text(body(mass="1 kg^(10^300)")),
        model_text(body(mass="kg".join(["1"] * 300))),
        model_text(body(mass="*".join(["2"] * 500) + " * 1 kg")),
        model_text(body(position=["1e150 m", 0, 0])),
        model_text(body(position=[float("inf"), 0, 0])),
        model_text(body(note="\ud800")),
        model_text({"ground": {"kind": "gravity"}}),
        model_text({"x" * 1_000_000: {"kind": "body"}}),
        model_text(body(), settings={"step": "0 s"}),
        model_text(body(), settings={"until": "1e-300 s"}),
        model_text(body(), settings={"integrator": ["quick"]}),
        model_text({"deg": {"kind": "parameter", "value": "1"}}),
        model_text({"ohms": {"kind": "parameter", "value": "1"}}),
        model_text(CHAIN | body(mass="p0 * 1 kg")),
    ],
)
def test_a_hostile_model_is_refused_in_one_short_line(text):
    assert refused(text)


def test_a_long_chain_of_parameters_has_a_value():
    chain = CHAIN | {"p250": {"kind": "parameter", "value": "1 kg"}}
    chain = {name: part | {"value": part["value"].replace("+ 1", "+ 1 kg")}
             for name, part in chain.items()}  # fmt: skip
    model = model_file.parse(model_text(chain | body(mass="p0")))
    assert impeto.simulate(model, until="1 ms").system.mechanism.bodies[1].mass == 251.0


def test_what_is_quoted_from_a_file_is_cut_and_in_one_line():
    said = refused(model_text({"b": {"kind": "x\n" * 400}}))
    assert "…" in said
    quoted = said.split("'")[1]
    assert len(quoted) <= 81


def test_a_very_long_quick_step_ends_with_the_run(gang_saw):
    settings = impeto.RunSettings(integrator="quick", step="1e300 s", until="10 ms")
    with pytest.raises(ModelError, match="larger than any machine"):
        impeto.simulate(gang_saw.changed(settings=settings))


@pytest.mark.parametrize("name", ["../tooth.stl", "/etc/passwd.stl", "a\0b.stl", "link/tooth.stl"])
def test_meshes_stay_in_the_folder_of_the_model(name, tmp_path):
    folder = tmp_path / "inside"
    folder.mkdir()
    (tmp_path / "tooth.stl").write_text("solid\nendsolid\n")
    (folder / "link").symlink_to(tmp_path)
    shapes = [{"kind": "mesh", "file": name}]
    path = folder / "m.impeto.json"
    path.write_text(model_text(body(shapes=shapes)))
    with pytest.raises(FileError, match=r"outside the model's folder|not the name of a mesh file"):
        impeto.load(path)


def test_paths_that_are_no_files_end_in_a_sentence(tmp_path):
    pipe = tmp_path / "pipe.stl"
    os.mkfifo(pipe)
    for reading in (
        lambda: impeto.load("a\0b"), lambda: impeto.load(tmp_path),
        lambda: meshes.read_mesh(pipe), lambda: tables.import_csv("a\0b", "d"),
        lambda: impeto.open_recording("a\0b"), lambda: impeto.open_recording(pipe),
    ):  # fmt: skip
        with pytest.raises(FileError):
            reading()


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 9\n", "triangle|point"),
        ("v 0 0 0\nv nan 0 0\nv 0 1 0\nf 1 2 3\n", "not numbers|cannot be read"),
        ("hello", "no triangles|cannot be read"),
    ],
)
def test_damaged_meshes_are_refused(text, words, tmp_path):
    path = tmp_path / "part.obj"
    path.write_text(text)
    with pytest.raises(FileError, match=words):
        meshes.read_mesh(path)


def test_a_mesh_with_letters_of_an_old_alphabet_and_many_materials_is_read(tmp_path):
    path = tmp_path / "part.obj"
    corners = "v 0 0 0\nv 1 0 0\nv 0 1 0\nv 0 0 1\n"
    faces = "f 1 3 2\nf 1 2 4\nf 1 4 3\nf 2 3 4\n"
    uses = "".join(f"usemtl m{k}\n" for k in range(5000))
    path.write_bytes(f"# fräsmühle\n{corners}{uses}{faces}".encode("latin-1"))
    assert len(meshes.read_mesh(path).faces) == 4


@pytest.mark.parametrize("cell", ["x" * 200_000, "nan", "inf", "1e400"])
def test_cells_of_a_table_that_are_no_numbers_are_refused(cell, tmp_path):
    path = tmp_path / "t.csv"
    path.write_text(f"t [s],F [N]\n0,1\n1,{cell}\n")
    with pytest.raises(FileError, match=r"line 3|cell") as caught:
        tables.import_csv(path, "d")
    assert len(str(caught.value)) < hostile.LONGEST


@pytest.fixture(scope="module")
def saved(gang_saw, tmp_path_factory):
    path = tmp_path_factory.mktemp("runs") / "run.h5"
    impeto.simulate(gang_saw, until="50 ms").save(path)
    return path


def rewritten(file, name, data, **rest):
    del file[name]
    file.create_dataset(name, data=data, **rest)


def claims_much(file):
    rewritten(file, "state", None, shape=(400_000_000, 3), dtype="f8", chunks=(1000, 3))


def points_elsewhere(file):
    del file["state"]
    file["state"] = h5py.ExternalLink("/dev/null", "x")


DAMAGES = [
    claims_much,
    points_elsewhere,
    lambda f: rewritten(f, "time", np.array(f["time"])[::-1]),
    lambda f: rewritten(f, "time", np.full(len(f["time"]), np.nan)),
    lambda f: rewritten(f, "touch_end", np.arange(len(f["time"])) * 7),
    lambda f: rewritten(f, "marks", "[[1, 2, 3]]"),
    lambda f: rewritten(f, "marks", "{}"),
    lambda f: rewritten(f, "marks", "[[0.1, \"a\"]]"),
    lambda f: rewritten(f, "model", "hello"),
    lambda f: rewritten(f, "model", np.arange(4)),
    lambda f: f["time"].attrs.__setitem__("accepted", "many"),
    lambda f: f["time"].attrs.__delitem__("error"),
    lambda f: f.attrs.__setitem__("case", "nobody's"),
    lambda f: f.attrs.__setitem__("format", 99),
    lambda f: rewritten(f, "measured", np.array(["x"] * 4, dtype="S1")),
    lambda f: f.__setitem__("geometry", h5py.SoftLink("/time")),
]  # fmt: skip


@pytest.mark.parametrize("damage", DAMAGES)
def test_a_damaged_recording_is_refused(damage, saved, tmp_path):
    path = tmp_path / "run.h5"
    path.write_bytes(saved.read_bytes())
    with h5py.File(path, "r+") as file:
        damage(file)
    with pytest.raises(ImpetoError) as caught:
        impeto.open_recording(path)
    assert "\n" not in str(caught.value)


@pytest.mark.parametrize("number", range(8))
def test_models_that_are_damaged_at_random_end_in_a_result_or_a_sentence(number):
    chance = random.Random(number)
    demos = list(hostile.sources(("gang_saw", "offcut_kicker", "scale_platform")))
    for _ in range(25):
        text = json.dumps(hostile.damaged(chance.choice(demos), chance))
        assert hostile.outcome(text) == "", text[:2000]


def test_formulas_of_random_letters_end_in_a_value_or_a_sentence():
    chance, letters = random.Random(1), "01.eE+-*/^()<>,·−²³ tpix°msNkgdeg_sinmaxwhererise\n\0é"
    for _ in range(3000):
        text = "".join(chance.choice(letters) for _ in range(chance.randint(0, 30)))
        with contextlib.suppress(FormulaError):
            formula.evaluate(formula.parse(text), lambda name: formula.Value(1.0))
