"""Meshes and clearance by clicks and keys: a file becomes a body, two bodies are held against each
other, the worst instant is jumped to."""

import pytest
import trimesh
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QAbstractButton

import impeto
from impeto.app.clearance_dialog import ClearanceDialog
from impeto.services import model_file
from tests.app.test_engine_in_the_window import open_model

CTRL = Qt.KeyboardModifier.ControlModifier


def passing():
    """Two balls that fly past each other without contact."""
    ball = impeto.Sphere(radius=0.05)
    return impeto.Model("passing", [
        impeto.Body(name="first", velocity=(1, 0, 0), shapes=(ball,)),
        impeto.Body(name="second", position=(0.3, 0.14, 0), shapes=(ball,)),
    ], settings=impeto.RunSettings(until="0.6 s", outputs="100 Hz"))  # fmt: skip


def test_the_least_clearance_is_found_charted_and_jumped_to(window, hand, qtbot):
    open_model(window, passing())
    hand.keys((Qt.Key.Key_R, CTRL))
    qtbot.waitUntil(lambda: bool(window.document.runs))
    hand.keys((Qt.Key.Key_D, CTRL))
    dialog = window.findChild(ClearanceDialog)
    button = next(b for b in dialog.findChildren(QAbstractButton)
                  if b.accessibleName() == "Find the clearance")  # fmt: skip
    with qtbot.waitSignal(dialog.found) as found:
        hand.click(button)
    assert found.args == ["first.clearance.second"]
    assert "They come as near as 40" in dialog.about.text()
    assert window.document.instant == pytest.approx(0.3, abs=0.006)
    assert any("first.clearance.second" in chart.channels for chart in window.watch.charts)
    window.document.set_instant(0.0)
    jump = next(b for b in dialog.findChildren(QAbstractButton)
                if b.accessibleName().startswith("Jump to 0.3"))  # fmt: skip
    hand.click(jump)
    assert window.document.instant == pytest.approx(0.3, abs=0.006)


def test_without_a_run_the_dialog_says_what_to_do(window, hand):
    open_model(window, passing())
    hand.keys((Qt.Key.Key_D, CTRL))
    assert "run a case first" in window.findChild(ClearanceDialog).about.text()


def test_a_mesh_file_becomes_a_body_that_is_saved_by_its_path(window, hand, qtbot, tmp_path):
    trimesh.creation.box((40, 60, 80)).export(tmp_path / "hook 1.stl")
    open_model(window, passing())
    window.files.importing.bring_in(tmp_path / "hook 1.stl")
    qtbot.waitUntil(lambda: "hook_1" in window.document.model.elements)
    assert window.document.selected == "hook_1"
    shape = window.document.model["hook_1"].shapes[0]
    assert shape.unit == "mm"
    qtbot.waitUntil(lambda: "40, 60, 80 mm" in window.toast.text())
    window.stage.grab()
    assert window.files.save_path(tmp_path / "crane.impeto.json")
    assert window.document.model["hook_1"].shapes[0].file == "hook 1.stl"
    again = model_file.load(tmp_path / "crane.impeto.json")
    assert again == window.document.model
    hand.keys((Qt.Key.Key_Z, CTRL))
    assert "hook_1" not in window.document.model.elements


def test_a_file_that_cannot_be_read_is_named_and_changes_nothing(window, qtbot, tmp_path):
    (tmp_path / "hook.stl").write_bytes(b"\0" * 30)
    open_model(window, passing())
    before = window.document.model
    window.files.importing.bring_in(tmp_path / "hook.stl")
    qtbot.waitUntil(lambda: "hook.stl" in window.toast.text())
    assert window.document.model is before


def test_a_mesh_named_in_the_sheet_is_read_from_the_models_folder(window, hand, qtbot, tmp_path):
    trimesh.creation.box((40, 60, 80)).export(tmp_path / "hook.stl")
    model = passing().with_element(impeto.Body(name="hook", shapes=[impeto.Mesh(file="hook.stl")]))
    window.document.open(model, tmp_path / "crane.impeto.json")
    hand.settle()
    qtbot.waitUntil(lambda: "hook.stl" in window.document.model.geometry)
    assert not window.document.dirty


def test_an_outline_is_typed_and_a_wrong_one_is_refused_in_place(window, hand, qtbot):
    wedge = impeto.Body(name="wedge", shapes=[impeto.Extrusion()])
    open_model(window, passing().with_element(wedge))
    window.document.select("wedge")
    qtbot.wait(100)
    hand.click(hand.find("extrusion 1", QAbstractButton))
    qtbot.wait(100)
    hand.type_into("Outline", "0 mm, 0 mm; 80 mm, 0 mm; 0 mm, 40 mm round 5 mm")
    assert "round 5 mm" in str(window.document.model["wedge"].shapes[0].outline)
    hand.type_into("Outline", "0 mm 0 mm")
    assert "round 5 mm" in str(window.document.model["wedge"].shapes[0].outline)
    window.stage.grab()
