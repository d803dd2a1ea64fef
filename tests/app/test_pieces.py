"""Assemblies brought into the window: sorted into bodies, connected, run, and brought in anew."""

import math
import shutil
from functools import partial
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QEvent, QItemSelectionModel, QPoint, QPointF, Qt, QTimer
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtWidgets import QApplication, QLabel, QMessageBox, QPushButton

from impeto.core.elements import Body, Joint, Piece
from impeto.services import model_file
from impeto.services.step import reader
from tests import step_files as made
from tests.app.conftest import in_what_opens
from tests.app.test_by_hand import ALT, CTRL, SHIFT, Counted, Key, healthy, solved
from tests.app.test_engine_in_the_window import open_model


@pytest.fixture(scope="module")
def file_and_caches(tmp_path_factory):
    """A slider-crank as a file that is read once for all tests."""
    folder = tmp_path_factory.mktemp("step")
    return made.slider_crank(folder / "crank.step"), folder / "caches"


@pytest.fixture
def hands(window, qtbot, hand, file_and_caches, monkeypatch):
    monkeypatch.setenv("XDG_CACHE_HOME", str(file_and_caches[1]))
    open_model(window, model_file.new_model())
    hand.settle()
    return Counted(qtbot, window)


def bring(window, qtbot, path):
    """As by dropping the file on the window."""
    window.files.take(path)
    qtbot.waitUntil(lambda: window.files.importing.job is None)


@pytest.fixture
def sorted_crank(window, qtbot, hands, file_and_caches, tmp_path):
    """A slider-crank in pieces."""
    path = Path(shutil.copy(file_and_caches[0], tmp_path))
    bring(window, qtbot, path)
    return path


def heading(window):
    """The first row of the Roster, with what stands at its end."""
    index = window.roster.items.index(0, 0)
    return index.data(), index.data(Qt.ItemDataRole.UserRole + 1)


def chosen_text(window):
    return window.roster.bar.chosen.text()


def test_a_slider_crank_from_step_is_sorted_connected_and_runs_as_its_closed_form(
    window, qtbot, hands, hand, sorted_crank
):
    assert heading(window) == ("Loose pieces", "7 of 7 left")
    assert not [e for e in window.document.model.of(Body) if e.name != "ground"]
    hand.pick_row("rod")
    hands.count += 4  # the rows that are clicked, and the file
    index = window.roster.row_of("crank_pin")  # both pins in one row
    spot = window.roster.list.visualRect(index).center()
    viewport = window.roster.list.viewport()
    qtbot.mouseClick(viewport, Qt.MouseButton.LeftButton, CTRL, spot)
    assert window.document.chosen == ("rod", "crank_pin", "slider_pin")
    assert chosen_text(window).startswith("3 chosen · 0.94")
    hands.chord(Key.Key_U, CTRL | SHIFT)
    hands.chord(Key.Key_U, CTRL | ALT)  # base and guide: the assembly 'frame'
    hand.pick_row("frame")
    hands.chord(Key.Key_G, CTRL | SHIFT)
    assert heading(window) == ("Loose pieces", "2 of 7 left")
    pins = (("hole ground along z", "hole crank 0, 0, 0"), ("hole crank 0.05", "hole rod 0.05"),
            ("hole rod 0.3", "hole slider"))  # fmt: skip
    for a, b in pins:  # what is still loose becomes a body by that
        hands.chord(Key.Key_J, CTRL)
        hands.typed(a)
        hands.typed(b)
        hands.chord(Key.Key_Escape)
    hands.chord(Key.Key_J, CTRL)
    hands.typed("edge ground along x")
    hands.typed("edge slider along x", SHIFT)
    hands.chord(Key.Key_6)
    hands.chord(Key.Key_3)
    hands.chord(Key.Key_Escape)
    assert not window.document.model.of(Piece)
    end = 0.05 + 0.3 * math.cos(math.asin(math.sqrt(3) / 6))
    places = {"crank": (0, 0), "rod": (0.05, 0.05 * math.sqrt(3)), "slider": (end, 0)}
    for joint in window.document.model.of(Joint)[:3]:
        frame = joint.frame_b
        place = places[window.document.model[frame].body]
        np.testing.assert_allclose(window.stage.frame_place(frame)[0][:2], place, atol=1e-9)
        direction = window.stage.frame_place(frame)[1][:, 2]
        np.testing.assert_allclose(np.abs(direction), [0, 0, 1], atol=1e-9)
    hand.pick_row("crank_joint")
    hands.chord(Key.Key_D, CTRL | SHIFT)
    assert window.toast.text().startswith("A drive on crank_joint")
    hands.chord(Key.Key_F4)
    hands.typed("60 rpm")
    qtbot.waitUntil(lambda: bool(window.health.mendable))
    for _ in range(2):
        if window.health.mendable:
            hands.chord(Key.Key_M, CTRL | ALT)
            qtbot.wait(600)
    health = healthy(window)
    assert (health.free, health.driven) == (0, 1)
    run = solved(window, hands, 5.0)
    turned = math.pi / 3 + 2 * math.pi * run.time
    x = 0.1 * np.cos(turned) + np.sqrt(0.09 - 0.01 * np.sin(turned) ** 2)
    np.testing.assert_allclose(run["slider.position.x"], x, atol=1e-7)
    print("slider-crank from STEP:", hands.count, "actions")
    assert hands.count <= 40


def test_pieces_are_found_chosen_by_pattern_and_put_on_the_ground(
    window, qtbot, hands, hand, sorted_crank
):
    hands.chord(Key.Key_F, CTRL)
    qtbot.keyClicks(QApplication.focusWidget(), "frame")
    roster = window.roster
    names = [roster.items.index(k, 0).data() for k in range(roster.items.rowCount())]
    assert names == ["Loose pieces", "base", "guide"]  # by the assembly that they are in
    roster.list.setFocus()
    hands.chord(Key.Key_A, CTRL)
    assert window.document.chosen == ("base", "guide")
    assert chosen_text(window).startswith("2 chosen · 8.6")
    hand.click(roster.bar.body)
    roster.search.clear()
    assert "frame" in window.document.model.elements
    assert window.document.selected == "frame"
    hand.pick_row("crank_pin")
    assert chosen_text(window).startswith("2 chosen")
    window.document.choose(["slider_pin"])
    assert "1 of 2" in painted_lines(window)
    hand.click(roster.bar.rest)
    assert not window.document.model.of(Piece)
    assert len(window.document.model["ground"].shapes) == 5
    assert not roster.bar.isVisible()
    hands.chord(Key.Key_Z, CTRL)
    hands.chord(Key.Key_Z, CTRL)
    assert heading(window) == ("Loose pieces", "7 of 7 left")


def painted_lines(window):
    """What the rows of the Roster say at their ends, while some of a row is chosen."""
    roster, chosen = window.roster, window.document.chosen
    lines = []
    for k in range(roster.items.rowCount()):
        names = roster.items.index(k, 0).data(Qt.ItemDataRole.UserRole) or ()
        lines.append(roster.line_of(roster.items.index(k, 0)) if names else "")
    assert chosen
    return lines


def test_pieces_take_a_material_and_are_no_part_of_a_run(window, qtbot, hands, hand, sorted_crank):
    hand.pick_row("guide")
    hands.command("material spruce")
    assert window.document.model["guide"].shapes[0].density.text == "spruce"
    assert chosen_text(window) == "1 chosen · 0.3564\N{THIN SPACE}kg"
    window.document.choose([])
    qtbot.waitUntil(lambda: window.health.head.text() == "! No body yet")
    assert "loose pieces" in window.health.text.text()
    assert set(window.stage.scene.actors) >= {"rod", "base", "crank_pin"}


def test_a_file_brought_in_anew_says_what_it_could_not_keep(
    window, qtbot, hands, hand, sorted_crank, tmp_path
):
    window.document.choose(["rod", "crank_pin"])
    hands.chord(Key.Key_U, CTRL | SHIFT)
    window.files.save_path(tmp_path / "crank.impeto.json")
    other = made.StepFile("slider crank")
    other.put(other.part(made.bar(360, 26), "rod"), "rod")
    other.put(other.part(made.block((0, 0, 0), (10, 10, 10)), "wedge"), "wedge")
    bring(window, qtbot, other.write(sorted_crank))
    (box,) = (b for b in window.findChildren(QMessageBox) if b.isVisible())
    assert "1 changed, 1 new pieces" in box.text()
    assert "crank pin is not in it any more: rod has lost it." in box.informativeText()
    box.accept()
    model = window.document.model
    assert [piece.name for piece in model.of(Piece)] == ["wedge"]
    assert model["rod"].shapes[0].file.endswith("/crank.glb")
    window.undo()
    assert len(window.document.model.of(Piece)) == 5
    window.files.save_path(tmp_path / "crank.impeto.json")
    assert len(model_file.load(tmp_path / "crank.impeto.json")["rod"].shapes) == 2


def test_reading_goes_on_beside_the_work_and_can_be_stopped(
    window, qtbot, hands, tmp_path, monkeypatch
):
    (tmp_path / "slow_child.py").write_text(
        "import time\nprint('{\"share\": 0.4}', flush=True)\ntime.sleep(60)"
    )
    monkeypatch.setenv("PYTHONPATH", str(tmp_path))
    monkeypatch.setattr(reader, "CHILD", "slow_child")
    before = window.document.model
    window.files.take(made.slider_crank(tmp_path / "slow.step"))
    bar = window.files.importing.bar
    qtbot.waitUntil(lambda: bar.isVisible() and "left" in bar.text.text())
    window.files.take(tmp_path / "slow.step")
    assert "One file at a time" in window.toast.text()
    qtbot.mouseClick(bar.stop, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: window.files.importing.job is None)
    assert not bar.isVisible()
    assert window.document.model is before
    assert "nothing has changed" in window.toast.text()


def test_without_the_reader_of_step_the_window_offers_to_install_it(
    window, qtbot, hands, file_and_caches, tmp_path, monkeypatch
):
    there = [False]
    monkeypatch.setattr(reader, "is_installed", lambda: there[0])

    def install(progress):
        there[0] = True

    monkeypatch.setattr(reader, "install", install)
    path = shutil.copy(file_and_caches[0], tmp_path)

    def answer(words, box):
        assert "not installed yet" in "".join(each.text() for each in box.findChildren(QLabel))
        next(b for b in box.findChildren(QPushButton) if b.text() == words).click()

    QTimer.singleShot(20, lambda: in_what_opens(partial(answer, "Not now")))
    window.files.take(Path(path))
    assert window.files.importing.job is None
    QTimer.singleShot(20, lambda: in_what_opens(partial(answer, "Install it")))
    window.files.take(Path(path))
    qtbot.waitUntil(lambda: len(window.document.model.of(Piece)) == 7)


def test_a_damaged_file_changes_nothing(window, qtbot, hands, tmp_path):
    bad = tmp_path / "bad.step"
    bad.write_bytes(b"ISO-10303-21; nothing else")
    before = window.document.model
    bring(window, qtbot, bad)
    assert window.document.model is before
    assert "'bad.step' is cut off" in window.toast.text()


def test_a_motor_that_is_too_weak_is_told_after_its_run(window, qtbot, hands, hand):
    window.files.open_demo("loader_crane")
    window.document.set_case("Weak motor")
    hand.run("2 s")
    assert window.toast.text().startswith("Weak motor: jack_motor stalls from 1.")
    assert window.stage.shows("boom")


def test_the_selection_of_a_row_of_alike_parts_grows_only_when_it_is_clicked(
    window, qtbot, hands, hand, sorted_crank
):
    window.document.choose(["slider_pin"])  # as on the Stage
    selection = window.roster.list.selectionModel()
    selection.select(window.roster.row_of("base"), QItemSelectionModel.SelectionFlag.Select)
    assert set(window.document.chosen) == {"slider_pin", "base"}
    hand.pick_row("slider_pin")
    assert set(window.document.chosen) == {"slider_pin", "crank_pin"}


def test_a_rectangle_on_the_stage_and_a_click_choose_pieces(
    window, qtbot, hands, hand, sorted_crank
):
    stage = window.stage
    alt, button = Qt.KeyboardModifier.AltModifier, Qt.MouseButton.LeftButton
    begin, end = QPoint(5, 60), QPoint(stage.width() - 5, stage.height() - 60)
    qtbot.mousePress(stage, button, alt, begin)
    move = QMouseEvent(QEvent.Type.MouseMove, QPointF(end), stage.mapToGlobal(QPointF(end)),
                       Qt.MouseButton.NoButton, button, alt)  # fmt: skip
    QApplication.sendEvent(stage, move)
    qtbot.mouseRelease(stage, button, alt, end)
    assert len(window.document.chosen) == 7
    stage.set_view("top")
    hand.settle()
    (spot,) = stage.to_screen(np.array([[0.42, 0.05, -0.008]])).astype(int).tolist()
    hand.click(stage, QPoint(*spot))
    assert window.document.chosen == ("guide",)
