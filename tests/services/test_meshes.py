"""Mesh files: what can be read, what is refused in a sentence, and models that name them."""

import numpy as np
import pytest
import trimesh

import impeto
from impeto.core.errors import FileError
from impeto.services import meshes, model_file, recording_file


def written(path, made=None):
    (trimesh.creation.box((40, 60, 80)) if made is None else made).export(path)
    return path


def hooked(file="hook.stl", **shape):
    return impeto.Model("m", [
        impeto.Body(name="hook", shapes=[impeto.Mesh(file=file, **shape)]),
        impeto.Body(name="ground", position=(0, 0, -1), shapes=[impeto.HalfSpace()]),
        impeto.ContactRule(name="touch"),
    ])  # fmt: skip


@pytest.mark.parametrize("suffix", [".stl", ".obj", ".ply"])
def test_every_kind_of_file_gives_the_same_closed_surface(tmp_path, suffix):
    read = impeto.read_mesh(written(tmp_path / f"hook{suffix}"))
    assert (len(read.vertices), len(read.faces), read.open_edges) == (8, 12, 0)
    assert read.volume == pytest.approx(40 * 60 * 80)


@pytest.mark.parametrize(
    ("name", "content", "words"),
    [
        ("hook.stl", b"solid nothing\nendsolid nothing\n", "no triangles|not a mesh"),
        ("hook.obj", b"v 0 0 nan\nv 1 0 0\nv 0 1 0\nf 1 2 3\n", "not numbers|not a mesh"),
        ("hook.ply", b"this is a letter", "not a mesh of triangles"),
        ("hook.stl", b"\x00" * 30, "not a mesh of triangles|no triangles"),
        ("hook.step", b"", "must end in .stl, .obj, .ply"),
    ],
)
def test_a_bad_file_is_refused_in_one_sentence(tmp_path, name, content, words):
    path = tmp_path / name
    path.write_bytes(content)
    with pytest.raises(FileError, match=words):
        impeto.read_mesh(path)
    with pytest.raises(FileError, match="cannot be read"):
        impeto.read_mesh(tmp_path / "missing.stl")


def test_a_huge_mesh_is_read_and_known_on_the_grid_in_seconds(tmp_path):
    fine = trimesh.creation.torus(50, 12, major_sections=1000, minor_sections=500)
    read = impeto.read_mesh(written(tmp_path / "ring.stl", fine))
    assert len(read.faces) == 1_000_000
    model = hooked("ring.stl").changed(geometry={"ring.stl": read})
    mass = impeto.simulate(model, until=0.001).system.mechanism.bodies[1].mass
    assert mass == pytest.approx(7850e-9 * 2 * np.pi**2 * 50 * 12**2, rel=1e-4)


def test_a_model_is_read_with_the_meshes_beside_it(tmp_path):
    written(tmp_path / "hook.stl")
    path = tmp_path / "crane.impeto.json"
    model_file.save(hooked(), path)
    model = impeto.load(path)
    assert impeto.simulate(model, until=0.001).system.mechanism.bodies[1].mass == pytest.approx(
        7850 * 0.04 * 0.06 * 0.08
    )
    inches = model.with_element(
        impeto.Body(name="hook", shapes=[impeto.Mesh(file="hook.stl", unit="in")])
    )
    mass = impeto.simulate(inches, until=0.001).system.mechanism.bodies[1].mass
    assert mass == pytest.approx(7850 * 40 * 60 * 80 * 0.0254**3)
    (tmp_path / "hook.stl").unlink()
    with pytest.raises(FileError, match=r"hook.stl. cannot be read"):
        impeto.load(path)


def test_a_model_that_moves_takes_the_meshes_along_that_lie_elsewhere(tmp_path):
    (tmp_path / "parts").mkdir()
    written(tmp_path / "parts" / "hook.stl")
    model = meshes.with_meshes(hooked("parts/hook.stl"), tmp_path)
    (tmp_path / "models").mkdir()
    moved = meshes.moved_meshes(model, tmp_path, tmp_path / "models")
    assert meshes.mesh_files(moved) == {"meshes/hook.stl"} == set(moved.geometry)
    assert meshes.with_meshes(moved.changed(geometry={}), tmp_path / "models") == moved


def test_a_recording_keeps_the_surfaces_of_its_model(tmp_path):
    written(tmp_path / "hook.stl")
    model = meshes.with_meshes(hooked(), tmp_path)
    recording = impeto.simulate(model, until=0.02)
    recording.save(tmp_path / "run.h5")
    (tmp_path / "hook.stl").unlink()
    again = recording_file.open_recording(tmp_path / "run.h5")
    assert again.model == model
    assert again["hook.position.z"] == pytest.approx(recording["hook.position.z"])


def test_shapes_of_outlines_and_teeth_are_kept_in_files():
    shapes = (
        impeto.Extrusion(outline="0 m, 0 m; k, 0 m; k, 1 m round 0.1*k", length="k"),
        impeto.ToothedWheel(teeth="31"), impeto.Mesh(file="hook.stl", unit="cm"),
    )  # fmt: skip
    model = impeto.Model("m", [
        impeto.Parameter(name="k", value="2 m"), impeto.Body(name="b", shapes=shapes),
    ])  # fmt: skip
    again = model_file.parse(model_file.to_text(model))
    assert again["b"].shapes == shapes
    renamed = model.renamed("k", "wide")
    assert "wide, 1 m round 0.1*wide" in str(renamed["b"].shapes[0].outline)
