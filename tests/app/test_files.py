"""Saving, opening, recent files and unsaved changes, in the window."""

import json

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFileDialog, QMessageBox

from impeto.services import model_file, recording_file

CTRL = Qt.KeyboardModifier.ControlModifier


@pytest.fixture
def answer(monkeypatch):
    """Make file dialogs and questions answer without a person."""

    def set_answer(path=None, button=None):
        chosen = lambda *args, **rest: (str(path or ""), "")  # noqa: E731
        monkeypatch.setattr(QFileDialog, "getSaveFileName", chosen)
        monkeypatch.setattr(QFileDialog, "getOpenFileName", chosen)
        monkeypatch.setattr(QMessageBox, "question", lambda *args, **rest: button)

    return set_answer


def test_an_edited_model_is_saved_and_comes_back_the_same(window, hand, answer, tmp_path):
    path = tmp_path / "saw.impeto.json"
    hand.pick_row("crank_radius")
    hand.type_into("Value", "0.26 m")
    answer(path)
    hand.keys((Qt.Key.Key_S, CTRL))
    assert "Saved as saw.impeto.json" in window.toast.text()
    assert not window.document.dirty
    edited = window.document.model
    answer(button=QMessageBox.StandardButton.Cancel)
    hand.keys((Qt.Key.Key_N, CTRL))
    assert list(window.document.model.elements) == ["ground", "gravity"]
    assert window.files.open_path(path)
    assert window.document.model == edited
    assert window.files.recent() == [str(path)]


def test_unsaved_changes_are_asked_about_and_cancel_stays(window, hand, answer):
    hand.pick_row("rod_length")
    hand.type_into("Value", "2 m")
    answer(button=QMessageBox.StandardButton.Cancel)
    hand.keys((Qt.Key.Key_N, CTRL))
    assert window.document.model["rod_length"].value.text == "2 m"
    assert not window.close()
    answer(button=QMessageBox.StandardButton.Discard)
    hand.keys((Qt.Key.Key_N, CTRL))
    assert "rod_length" not in window.document.model.elements


@pytest.mark.parametrize(
    ("content", "words"),
    [
        (None, "cannot be read: no such file"),
        ("hello", "not valid JSON (line 1)"),
        ("[]", "not an Impeto model"),
        ('{"format": 99, "elements": {}}', "format 99"),
        ('{"format": 1, "elements": {"a": {"kind": "wing"}}}', "'wing' is not a kind of element"),
        (
            '{"format": 1, "elements": {"g": {"kind": "gravity", "speed": 3}}}',
            "there is no field 'speed'",
        ),
    ],
)
def test_a_foreign_file_is_refused_in_one_sentence_and_the_model_stays(
    window, tmp_path, content, words
):
    path = tmp_path / "x.impeto.json"
    if content is not None:
        path.write_text(content)
    before = window.document.model
    assert not window.files.open_path(path)
    assert words in window.toast.text()
    assert window.document.model is before


def test_a_full_disk_costs_neither_the_model_nor_the_old_file(
    window, hand, answer, tmp_path, monkeypatch
):
    path = tmp_path / "saw.impeto.json"
    answer(path)
    hand.keys((Qt.Key.Key_S, CTRL))
    old = path.read_text()
    hand.pick_row("crank_radius")
    hand.type_into("Value", "0.27 m")

    def full(*args, **rest):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(type(path), "write_text", full)
    hand.keys((Qt.Key.Key_S, CTRL))
    assert "no space left on device" in window.toast.text()
    assert path.read_text() == old
    assert window.document.dirty
    assert list(tmp_path.glob(".saw*")) == []


def test_the_recording_is_saved_and_opens_with_the_same_channels(window, hand, tmp_path):
    hand.run()
    path = tmp_path / "run.h5"
    with hand.qtbot.waitSignal(window.files.told):
        window.files.save_recording(path)
    again = recording_file.open_recording(path)
    ours = window.document.run.recording
    assert (again["crank_pin.force.x"] == ours["crank_pin.force.x"]).all()
    assert again.model == ours.model


def test_the_shipped_demo_is_what_the_codec_writes():
    text = model_file.to_text(model_file.load_demo("gang_saw"))
    assert json.loads(text)["name"] == "Gang saw"
    assert model_file.parse(text) == model_file.load_demo("gang_saw")
