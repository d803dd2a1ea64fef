"""Copy, cut and paste in the window, through the clipboard as text."""

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication

from impeto.services import model_file
from tests.app.test_by_hand import Counted

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
