"""Copy, cut and paste through the clipboard as text; several bodies selected and made one."""

import numpy as np
import pytest
import trimesh
from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtWidgets import QApplication

import impeto
from impeto.services import model_file
from tests.app.test_by_hand import Counted
from tests.app.test_engine_in_the_window import open_model

CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier
Key = Qt.Key


@pytest.fixture
def hands(window, qtbot):
    return Counted(qtbot, window)


def test_a_body_is_copied_and_pasted_at_a_typed_place(window, hands, hand):
    hand.pick_row("saw_frame")
    hands.chord(Key.Key_C, CTRL)
    text = QApplication.clipboard().text()
    part = model_file.parse(text)
    assert {"saw_frame", "guide_left", "cut"} <= set(part.elements)
    assert window.toast.text().startswith("Copied saw_frame with")
    window.stage.setFocus()
    hands.chord(Key.Key_V, CTRL)
    hands.typed("0, 2 m, 1 m")
    copy = window.document.model["saw_frame_2"]
    place = [float(value.text.split()[0]) for value in copy.position]
    np.testing.assert_allclose(place, [0, 2, 1], atol=1e-12)
    assert "guide_left_2" in window.document.model.elements
    assert window.document.chosen == ("saw_frame_2",)
    assert window.document.undo() == "paste of saw_frame_2"
    assert "saw_frame_2" not in window.document.model.elements


def test_what_was_cut_comes_back_beside_its_place(window, hands, hand):
    before = window.document.model
    hand.pick_row("gravity")
    hands.chord(Key.Key_X, CTRL)
    assert "gravity" not in window.document.model.elements
    hands.chord(Key.Key_V, CTRL | SHIFT)
    assert window.document.model["gravity"] == before["gravity"]


def test_a_clipboard_without_elements_is_refused_in_a_sentence(window, hands, hand):
    QApplication.clipboard().setText("a shopping list")
    command = window.commands.named("Paste beside it")
    assert "No elements are on the clipboard" in command.missing
    window.stage.setFocus()
    hands.chord(Key.Key_V, CTRL)
    hands.typed("0, 0, 0")
    assert "no part of a model" in window.toast.text()
    field = hand.find("Find in the Roster")
    field.setFocus()
    hands.chord(Key.Key_V, CTRL)
    assert field.text() == "a shopping list", "fields paste for themselves"


def test_bodies_in_a_rectangle_are_made_one_and_the_rest_part_of_the_ground(
    window, hands, hand, qtbot
):
    blocks = [impeto.Body(name=f"piece_{k}", position=(0.3 * k, 0, 0), shapes=(impeto.Box(),))
              for k in range(5)]  # fmt: skip
    open_model(window, impeto.Model("pieces", blocks))
    hand.settle()
    stage = window.stage
    stage.set_view("front")
    hand.settle()
    places = stage.to_screen(np.array([[0.3 * k, 0, 0] for k in (0, 2)])).astype(int)
    (left, y), (right, _) = places.tolist()
    begin, end = QPoint(left - 15, y - 60), QPoint(right + 15, y + 60)
    alt, button = Qt.KeyboardModifier.AltModifier, Qt.MouseButton.LeftButton
    qtbot.mousePress(stage, button, alt, begin)
    move = QMouseEvent(QEvent.Type.MouseMove, QPointF(end), stage.mapToGlobal(QPointF(end)),
                       Qt.MouseButton.NoButton, button, alt)  # fmt: skip
    QApplication.sendEvent(stage, move)
    stage.grab()
    qtbot.mouseRelease(stage, button, alt, end)
    assert window.document.chosen == ("piece_0", "piece_1", "piece_2")
    hands.chord(Key.Key_U, CTRL | SHIFT)
    assert len(window.document.model["piece_0"].shapes) == 3
    assert window.toast.text() == "piece_0 and 2 more became one body, piece_0."
    window.document.choose(["piece_3", "piece_4"])
    hands.chord(Key.Key_G, CTRL | SHIFT)
    assert len(window.document.model["ground"].shapes) == 2
    assert {b.name for b in window.document.model.of(impeto.Body)} == {"ground", "piece_0"}
    assert window.document.undo() == "one body of piece_3 and 1 more"


def test_a_mesh_comes_with_its_body_into_a_model_elsewhere(window, hands, hand, tmp_path):
    for name in ("here", "there"):
        (tmp_path / name).mkdir()
    block = trimesh.creation.box((0.1, 0.2, 0.3))
    block.export(tmp_path / "here" / "block.stl")
    wedge = impeto.Body(name="wedge", shapes=(impeto.Mesh(file="block.stl", unit="m"),))
    impeto.save(impeto.Model("here", [wedge]), tmp_path / "here" / "m.impeto.json")
    impeto.save(impeto.Model("there"), tmp_path / "there" / "m.impeto.json")
    assert window.files.open_path(tmp_path / "here" / "m.impeto.json")
    hand.pick_row("wedge")
    hands.chord(Key.Key_C, CTRL)
    assert window.files.open_path(tmp_path / "there" / "m.impeto.json")
    hands.chord(Key.Key_V, CTRL | SHIFT)
    assert window.document.model["wedge"].shapes[0].file == "../here/block.stl"
    assert impeto.masses(window.document.model)["wedge"].mass == pytest.approx(47.1)
    assert window.files.save()
    kept = impeto.load(tmp_path / "there" / "m.impeto.json")
    assert kept["wedge"].shapes[0].file == "meshes/block.stl"
    assert window.files.open_path(tmp_path / "there" / "m.impeto.json")
    (tmp_path / "here" / "block.stl").unlink()
    hands.chord(Key.Key_V, CTRL | SHIFT)
    assert "block.stl' cannot be read" in window.toast.text()
    assert window.document.model == kept
