"""STEP assemblies: exact masses, axes, names, places and colours, and files that are damaged."""

import math
from pathlib import Path

import numpy as np
import pytest

import impeto as im
from impeto.core.bodies.exact import ExactSolid
from impeto.core.bodies.solid_features import Feature
from impeto.core.elements import Piece
from impeto.launch import main
from impeto.services import drawing_file, geometry_in
from impeto.services.step import reader
from impeto.services.step.scan import scanned
from tests import step_files as made


@pytest.fixture(scope="module")
def caches(tmp_path_factory):
    """A folder of caches that the tests of this file share."""
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("XDG_CACHE_HOME", str(tmp_path_factory.mktemp("caches")))
        yield


@pytest.fixture(scope="module")
def slider_crank(tmp_path_factory, caches):
    """The file, and what was read from it."""
    path = made.slider_crank(tmp_path_factory.mktemp("step") / "slider crank.step")
    return path, im.import_geometry(path)


def test_parts_come_with_names_places_colours_and_exact_masses(slider_crank):
    _, read = slider_crank
    pieces = {piece.name: piece for piece in read.model.of(Piece)}
    assert list(pieces) == ["crank", "rod", "crank_pin", "slider_pin", "slider", "base", "guide"]
    assert pieces["base"].way == "slider crank/frame/base"
    assert pieces["crank_pin"].product == pieces["slider_pin"].product == "pin"
    assert pieces["crank"].colour == "#b36633"
    assert pieces["crank_pin"].colour == "#808080"
    assert pieces["slider_pin"].colour == "#e51919"  # of this occurrence, not of its product
    x, y = 0.1 * math.cos(math.pi / 3), 0.1 * math.sin(math.pi / 3)
    rod = pieces["rod"].as_body()
    np.testing.assert_allclose([p.node.value for p in rod.position], [x, y, 0.012], atol=1e-12)
    model = im.freed(read.model, pieces)
    holes = 2 * math.pi * 0.012**2 * 0.01
    volumes = {"crank": 0.14 * 0.03 * 0.01 - holes, "rod": 0.34 * 0.03 * 0.01 - holes,
               "crank_pin": math.pi * 0.012**2 * 0.03, "guide": 0.3 * 0.12 * 0.022}  # fmt: skip
    for name, volume in volumes.items():
        assert im.masses(model)[name].mass == pytest.approx(7850 * volume, rel=1e-9), name
    mass, r, length = 7850 * volumes["crank_pin"], 0.012, 0.03
    across, about = mass * (3 * r * r + length**2) / 12, mass * r * r / 2
    found = im.masses(model)["crank_pin"]
    np.testing.assert_allclose(np.diag(found.inertia), [across, across, about], rtol=1e-9)
    np.testing.assert_allclose(found.center, [x, y, 0.005], atol=2e-12)


def test_axes_of_holes_and_pins_are_exact(slider_crank):
    _, read = slider_crank
    model = im.freed(read.model, ["rod", "crank_pin"])
    holes = [f for f in im.features(model, "rod") if f.kind == "hole"]
    assert len(holes) == 2  # each was cut as one wall or as two
    x, y = 0.1 * math.cos(math.pi / 3), 0.1 * math.sin(math.pi / 3)
    end = x + 0.3 * math.cos(math.asin(y / 0.3))
    for hole, place in zip(holes, ((x, y, 0.012), (end, 0.0, 0.012)), strict=True):
        np.testing.assert_allclose(hole.point, place, atol=1e-11)
        np.testing.assert_allclose(np.abs(hole.direction), [0, 0, 1], atol=1e-12)
        assert hole.radius == pytest.approx(0.012, abs=1e-13)
    (pin,) = (f for f in im.features(model, "crank_pin") if f.kind == "axis")
    assert pin.half == pytest.approx(0.015, abs=1e-12)
    kinds = [f.kind for f in im.features(model, "rod")]
    assert (kinds.count("face"), kinds.count("circle"), kinds.count("corner")) == (6, 4, 8)


def test_what_moves_as_one_is_made_one_and_named_by_its_assembly(slider_crank):
    _, read = slider_crank
    model, name, gone = im.gathered(read.model, ["base", "guide"])
    assert (name, gone) == ("frame", ())
    assert len(model["frame"].shapes) == 2
    again, names = im.assembled(read.model)
    assert names == ("frame",)
    assert again["frame"] == model["frame"]
    assert [p.name for p in again.of(Piece)][:2] == ["crank", "rod"]
    on_ground, into, _ = im.gathered(model, ["ground", "frame"])
    assert into == "ground"
    assert "frame" not in on_ground.elements


def test_the_model_opens_without_the_reader_and_a_recording_keeps_exact_masses(
    slider_crank, tmp_path, monkeypatch
):
    _, read = slider_crank
    model, _, _ = im.gathered(read.model, ["rod", "crank_pin"])
    model = model.with_element(im.Gravity(name="gravity"))
    im.save(model, tmp_path / "rod.impeto.json")
    monkeypatch.setattr(reader, "is_installed", lambda: False)
    opened = im.load(tmp_path / "rod.impeto.json")
    assert opened["rod"].shapes[0].file == "meshes/slider_crank.glb"
    assert im.masses(opened)["rod"].mass == im.masses(model)["rod"].mass
    run = im.simulate(opened, until=0.1)
    assert run["rod.velocity.z"][-1] == pytest.approx(-0.980665, rel=1e-9)
    run.save(tmp_path / "rod.h5")
    kept = im.open_recording(tmp_path / "rod.h5")
    assert im.masses(kept.model)["rod"].mass == im.masses(model)["rod"].mass
    with pytest.raises(im.FileError, match="not installed yet"):
        im.import_geometry(made.slider_crank(tmp_path / "another.stp", rod=310.0))


def test_a_reader_that_cannot_be_installed_gets_a_sentence(tmp_path, monkeypatch):
    (packages := tmp_path / "reader.lock").write_text(f"not_there==1.0 --hash=sha256:{64 * '0'}\n")
    monkeypatch.setattr(reader, "PACKAGES", packages)
    monkeypatch.setenv("PIP_NO_INDEX", "1")
    with pytest.raises(im.FileError, match=r"could not be installed: .*No matching distribution"):
        reader.install()


def test_a_solid_scaled_and_mirrored_has_the_mass_and_features_of_its_triangles():
    points = np.array([[0, 0, 0], [0.1, 0, 0], [0, 0.2, 0], [0.02, 0.01, 0.4]])
    plain = im.Triangles(points, np.array([[0, 2, 1], [0, 1, 3], [1, 2, 3], [2, 0, 3]]))
    hole = Feature("hole", points[1], np.array([0.0, 0.6, 0.8]), np.eye(3)[0], 0.01, 0.02)
    exact = ExactSolid(plain.vertices, plain.faces, plain.mass(1.0), (hole,))
    for ours, theirs in (
        (exact.mirrored(), plain.mirrored()),
        (exact.scaled(3.0), plain.scaled(3.0)),
    ):
        a, b = ours.mass(700.0), theirs.mass(700.0)
        assert a.mass == pytest.approx(b.mass, rel=1e-12)
        np.testing.assert_allclose(a.center, b.center, atol=1e-14)
        np.testing.assert_allclose(a.inertia, b.inertia, atol=1e-12 * np.abs(b.inertia).max())
        np.testing.assert_array_equal(ours.vertices, theirs.vertices)
        np.testing.assert_array_equal(ours.features[0].point, theirs.vertices[1])
        assert ours.digest != exact.digest
    np.testing.assert_allclose(exact.mirrored().features[0].direction, [0, -0.6, 0.8])
    assert exact.scaled(3.0).features[0].radius == pytest.approx(0.03)


# a changed file


@pytest.fixture
def built(slider_crank, tmp_path):
    """The slider-crank on its ground with three pins and a slide, saved where its file is."""
    path, _ = slider_crank
    model, _ = im.brought_in(im.Model("crank", [im.Gravity(name="gravity")]), path)
    model, _, _ = im.gathered(model, ["rod", "crank_pin"])
    model, _, _ = im.gathered(model, ["ground", "base", "guide"])
    model = im.freed(model, ["crank", "slider"])

    def hole(body, number=0):
        return [f for f in im.features(model, body) if f.kind == "hole"][number]

    for name, a, b in (
        ("main", hole("ground"), hole("crank")), ("big_end", hole("crank", 1), hole("rod")),
        ("small_end", hole("rod", 1), hole("slider")),
    ):  # fmt: skip
        model, _, moved = im.connected(model, a, b, name=name)
        assert not moved or model.elements  # axes lie on each other: nothing has to come
    im.save(model, tmp_path / "crank.impeto.json")
    return im.load(tmp_path / "crank.impeto.json"), tmp_path


def test_a_changed_file_keeps_bodies_frames_and_joints(built):
    model, folder = built
    longer = made.slider_crank(folder / "slider crank.step", rod=360.0, hole=26.0)
    grown, notes = im.brought_in(model, longer, folder=folder)
    assert set(grown.elements) == set(model.elements)
    assert "0 not kept" in notes[0]
    lean = math.asin(100 * math.sin(math.pi / 3) / 360)
    end = 0.05 + 0.36 * math.cos(lean)
    view = im.Posing(grown)
    for frame, place in (("big_end_b", (0.05, 0.1 * math.sin(math.pi / 3))),
                         ("small_end_a", (end, 0.0)), ("small_end_b", (end, 0.0))):  # fmt: skip
        body = grown[grown[frame].body].name
        origin, axes = view.pose(body)
        at = origin + axes @ np.array([p.node.value for p in grown[frame].position])
        np.testing.assert_allclose(at[:2], place, atol=1e-9, err_msg=frame)
    holes = [f for f in im.features(grown, "rod") if f.kind == "hole"]
    assert [h.radius for h in holes] == pytest.approx([0.013, 0.013])
    assert im.check(grown).free == im.check(model).free


def test_what_a_changed_file_has_no_more_is_listed_and_what_is_new_is_loose(built, tmp_path):
    model, folder = built
    other = made.StepFile("slider crank")
    other.put(other.part(made.block((-20, -15, -5), (120, 15, 5)), "crank"), "crank",
              made.place(angle=math.pi / 3))  # fmt: skip
    other.put(other.part(made.block((0, 0, 0), (10, 10, 10)), "wedge"), "wedge")
    path = other.write(folder / "slider crank.step")
    grown, notes = im.brought_in(model, path, folder=folder)
    assert [piece.name for piece in grown.of(Piece)] == ["wedge"]
    assert {"main", "big_end", "small_end", "rod", "slider"} <= set(grown.elements)
    told = "\n".join(notes)
    assert "rod is not in it any more: rod has lost it." in told
    assert "slider has no part left: give it a mass, or remove it." in told
    assert "main_b was on the hole of crank, which is not there any more" in told
    assert "slider_pin" not in grown.elements  # a loose piece goes without a word


# damaged and strange files


def test_odd_names_empty_parts_surfaces_and_mirrors(tmp_path, caches):
    odd = made.StepFile("")
    cube = made.block((0, 0, 0), (10, 10, 10))
    for name in (
        "ground",
        "t",
        "7 up",
        "Bügel ÄÖ",
        "x" * 300,
        "  padded  ",
        "same",
        "same",
        "",
        "bush 20/24",
    ):
        odd.put(odd.part(made.block((0, 0, 0), (10, 10, 10)), name), name)
    from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeFace
    from OCP.gp import gp_Dir, gp_Pln, gp_Pnt

    sheet = BRepBuilderAPI_MakeFace(gp_Pln(gp_Pnt(0, 0, 0), gp_Dir(0, 0, 1)), 0, 10, 0, 10).Face()
    odd.put(odd.part(sheet, "sheet"), "sheet")
    odd.put(odd.assembly("nothing"), "nothing")
    hollow = made.cut(made.block((0, 0, 0), (30, 30, 30)), made.block((10, 10, 10), (20, 20, 20)))
    odd.put(odd.part(hollow, "hollow"), "hollow")
    odd.put(odd.part(made.compound(cube, made.block((20, 0, 0), (30, 10, 10))), "two"), "two")
    read = im.import_geometry(odd.write(tmp_path / "odd.step"))
    pieces = {piece.name: piece for piece in read.model.of(Piece)}
    assert {"part_ground", "part_t", "part_7_up", "Bügel_ÄÖ", "same", "same_2"} <= set(pieces)
    assert pieces["Bügel_ÄÖ"].title == "Bügel ÄÖ"
    assert pieces["bush_20_24"].title == "bush 20/24"
    assert pieces["bush_20_24"].way.count("/") == 1
    assert max(map(len, pieces)) <= 85
    assert "nothing" not in pieces
    masses = im.masses(im.freed(read.model, pieces).without("sheet"))
    assert masses["hollow"].mass == pytest.approx(7850 * 26e-6, rel=1e-9)
    assert masses["two"].mass == pytest.approx(7850 * 2e-6, rel=1e-9)
    assert any("Mere surfaces, which weigh nothing" in note for note in read.notes)


def test_letters_beyond_ascii_are_read_as_they_are_meant(tmp_path, slider_crank):
    path, _ = slider_crank
    plain = path.read_bytes()
    for alphabet in ("utf-8", "latin-1"):
        odd = tmp_path / f"{alphabet}.step"
        odd.write_bytes(plain.replace(b"'rod'", "'Größe'".encode(alphabet)))
        assert b"\\X2\\00F600DF\\X0\\" in scanned(odd).content
    assert "Größe" in [piece.title for piece in im.import_geometry(odd).model.of(Piece)]


def test_a_file_without_a_unit_is_read_in_millimetres_and_says_so(tmp_path, slider_crank):
    path, read = slider_crank
    bare = tmp_path / "bare.step"
    text = path.read_text()
    import re

    bare.write_text(re.sub(r"LENGTH_UNIT\s*\(\s*\)", "PLANE_ANGLE_UNIT()", text))
    found = im.import_geometry(bare)
    assert any("no unit of length" in note for note in found.notes)
    assert len(found.model.of(Piece)) == len(read.model.of(Piece))


HOSTILE = {
    "empty": lambda text: b"",
    "foreign": lambda text: b"solid ascii\n" * 20,
    "cut": lambda text: text[: len(text) // 2],
    "endless": lambda text: text.replace(b"0.,0.,1.", b"0.,0.,1.E400", 1),
    "nested": lambda text: text.replace(b"DATA;", b"DATA;\n#9=X" + b"(" * 500 + b")" * 500, 1),
    "bare": lambda text: text[: text.index(b"DATA;")] + b"DATA;\nENDSEC;\nEND-ISO-10303-21;\n",
}  # fmt: skip


@pytest.mark.parametrize("kind", sorted(HOSTILE))
def test_damaged_files_end_in_one_sentence(kind, tmp_path, slider_crank):
    path, _ = slider_crank
    bad = tmp_path / f"{kind}.step"
    bad.write_bytes(HOSTILE[kind](path.read_bytes()))
    with pytest.raises(im.FileError) as caught:
        im.import_geometry(bad)
    text = str(caught.value)
    assert text.startswith(f"'{kind}.step'")
    assert "\n" not in text
    assert len(text) < 200


def test_a_reader_that_dies_or_hangs_is_told(tmp_path, slider_crank, monkeypatch):
    path, _ = slider_crank
    (tmp_path / "dying.py").write_text("import os, signal; os.kill(os.getpid(), signal.SIGSEGV)")
    (tmp_path / "hanging.py").write_text("import time; time.sleep(60)")
    monkeypatch.setenv("PYTHONPATH", str(tmp_path))
    for child, told, patience in (
        ("dying", "broke down", 60.0),
        ("hanging", "given up after", 1.0),
    ):
        monkeypatch.setattr(reader, "CHILD", child)
        with pytest.raises(im.FileError, match=told):
            reader.converted(path, tmp_path / "out.glb", patience=patience)


def test_reading_can_be_stopped(tmp_path, slider_crank):
    path, _ = slider_crank
    with pytest.raises(im.FileError, match="was not read: stopped"):
        reader.converted(path, tmp_path / "out.glb", progress=lambda share, _: False)
    assert not (tmp_path / "out.glb").exists()


def test_a_small_file_that_stands_for_thousands_of_parts_is_refused(tmp_path, caches):
    deep = made.StepFile("deep")
    below = deep.part(made.block((0, 0, 0), (1, 1, 1)), "cube")
    for level in range(4):
        upper = deep.assembly(f"level {level}")
        for number in range(10):
            deep.put(below, f"{level}.{number}", made.place(x=10.0 ** (level + 1) * number), upper)
        below = upper
    deep.put(below, "all")
    with pytest.raises(im.FileError, match="holds 10,000 parts: at most 5,000"):
        im.import_geometry(deep.write(tmp_path / "deep.step"))


# the open form


def test_a_foreign_file_of_many_parts_comes_in_pieces_and_mirrors_stay_out_of_angles(tmp_path):
    import trimesh

    scene = trimesh.Scene()
    wedge = trimesh.convex.convex_hull([[0, 0, 0], [0.1, 0, 0], [0, 0.2, 0], [0, 0, 0.4]])
    mirror = np.diag([-1.0, 1.0, 1.0, 1.0])
    double = np.diag([2.0, 2.0, 2.0, 1.0])
    scene.geometry["wedge"] = wedge
    for name, matrix in (("plain", np.eye(4)), ("mirrored", mirror), ("double", double)):
        scene.graph.update(frame_to=name, matrix=matrix, geometry="wedge")
    path = tmp_path / "three.glb"
    path.write_bytes(scene.export(file_type="glb"))
    read = im.import_geometry(path)
    model = im.freed(read.model, ["plain", "mirrored", "double"])
    volume, masses = 0.1 * 0.2 * 0.4 / 6, im.masses(model)
    for name, times in (("plain", 1), ("mirrored", 1), ("double", 8)):
        assert masses[name].mass == pytest.approx(7850 * volume * times, rel=1e-6)
    np.testing.assert_allclose(
        impeto_centre(model, "mirrored"), impeto_centre(model, "plain") * [-1, 1, 1], atol=1e-8
    )


def impeto_centre(model, name):
    return next(row for row in im.weights(model) if row.name == name).each.center


@pytest.mark.parametrize("damage", ["mass", "kind", "short", "cut", "text"])
def test_a_damaged_file_of_parts_is_told(damage, slider_crank, tmp_path):
    _, read = slider_crank
    content = Path(read.file).read_bytes()
    bad = {
        "mass": content.replace(b'"volume":', b'"volume":-', 1),
        "kind": content.replace(b'"hole"', b'"hall"', 1),
        "short": content[: len(content) // 2], "cut": content[:30],
        "text": b"glTF" + b"\x00" * 40,
    }[damage]  # fmt: skip
    path = tmp_path / "bad.glb"
    path.write_bytes(bad)
    with pytest.raises(im.FileError, match="is not a GLB file that can be read"):
        drawing_file.read_drawing(path)


def test_a_part_that_is_not_in_the_file_is_named(slider_crank, tmp_path):
    _, read = slider_crank
    im.save(read.model, tmp_path / "m.impeto.json")
    text = (tmp_path / "m.impeto.json").read_text().replace("slider crank/rod", "slider crank/rid")
    (tmp_path / "m.impeto.json").write_text(text)
    with pytest.raises(im.FileError, match="has no part 'slider crank/rid'"):
        im.load(tmp_path / "m.impeto.json")


def test_import_by_the_shell(slider_crank, tmp_path, capsys):
    path, _ = slider_crank
    assert main(["import", str(path), "--out", str(tmp_path / "m")]) == 0
    assert "7 pieces, 6 different." in capsys.readouterr().out
    assert len(im.load(tmp_path / "m.impeto.json").of(Piece)) == 7
    again = ["import", str(path), "--into", str(tmp_path / "m.impeto.json")]
    assert main(again) == 0
    assert "0 not kept" in capsys.readouterr().out
    assert len(im.load(tmp_path / "m.impeto.json").of(Piece)) == 7


def test_the_same_file_is_read_once(slider_crank, monkeypatch):
    path, read = slider_crank
    monkeypatch.setattr(reader, "converted", None)
    assert geometry_in.import_geometry(path).file == read.file


def test_an_older_state_that_is_gone_is_told_and_the_new_one_comes_beside_it(built):
    model, folder = built
    (folder / "meshes" / "slider_crank.glb").unlink()
    path = made.slider_crank(folder / "slider crank.step", rod=340.0)
    grown, notes = im.brought_in(model, path, folder=folder)
    assert any("cannot be read: no such file" in note for note in notes)
    assert len(grown.of(Piece)) == 7 + len(model.of(Piece))
    assert grown["rod"] == model["rod"]
