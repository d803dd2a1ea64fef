"""Outlines and road profiles that are drawn."""

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt, QTimer
from PyQt6.QtWidgets import QPushButton

import impeto
from impeto.app.outline_dialog import OutlineDialog
from impeto.app.theme import LIGHT
from impeto.core.assembly.resolve import shape_mass
from impeto.core.errors import ModelError
from impeto.core.model.profiles import made_profile
from impeto.core.model.quantity import Quantity
from impeto.core.model.scope import Scope
from tests.app.conftest import in_what_opens
from tests.app.test_engine_in_the_window import open_model

SQUARE = "0 mm, 0 mm; 100 mm, 0 mm; 100 mm, 100 mm; 0 mm, 100 mm"


@pytest.fixture
def dialog(window, qtbot):
    made = OutlineDialog(SQUARE, Scope(window.document.model), LIGHT, window)
    made.show()
    qtbot.waitExposed(made)
    made.activateWindow()
    qtbot.waitUntil(made.isActiveWindow)
    made.canvas.fit()
    return made


def at(dialog, x, y):
    return QPoint(*np.round(dialog.canvas.to_screen(np.array([x, y]))).astype(int))


def area(text):
    shape = impeto.Extrusion(outline=text, length="1 m", density="1 kg/m^3")
    return shape_mass(Scope(impeto.Model("m")), shape).mass


def test_a_point_is_added_dragged_and_removed_by_hand(dialog, qtbot):
    canvas, left = dialog.canvas, Qt.MouseButton.LeftButton
    qtbot.mouseClick(canvas, left, pos=at(dialog, 0.12, 0.05))
    assert dialog.rows[2] == ["120 mm", "50 mm", "0", "0"]  # between the two that it lies between
    assert area(dialog.text) == pytest.approx(0.011)
    qtbot.mousePress(canvas, left, pos=at(dialog, 0.12, 0.05))
    qtbot.mouseMove(canvas, at(dialog, 0.14, 0.05))
    qtbot.mouseRelease(canvas, left, pos=at(dialog, 0.14, 0.05))
    assert area(dialog.text) == pytest.approx(0.012, rel=0.06)
    qtbot.keyClick(dialog, Qt.Key.Key_Delete)
    assert dialog.text == SQUARE


def test_coordinates_are_typed_with_units_rounds_and_arcs(dialog, qtbot):
    dialog.table.item(1, 0).setText("150")
    dialog.table.item(2, 2).setText("20 mm")
    assert dialog.rows[1][0] == "150 mm"
    assert "round 20 mm" in dialog.text
    dialog.table.item(1, 1).setText("4 kg")
    assert "length is needed" in dialog.message.text()
    assert not dialog.take.isEnabled()
    dialog.table.item(1, 1).setText("0")
    assert dialog.take.isEnabled()


def test_a_half_is_mirrored_with_its_arcs(window, qtbot):
    """Half of a bar with round ends, closed by the line of its axis."""
    text = "0 mm, -20 mm; 50 mm, -20 mm arc 20 mm; 50 mm, 20 mm; 0 mm, 20 mm"
    made = OutlineDialog(text, Scope(window.document.model), LIGHT, window)
    made.mirror()
    assert area(made.text) == pytest.approx(0.1 * 0.04 + np.pi * 0.02**2, rel=1e-4)


def test_an_outline_is_drawn_from_the_sheet_in_one_step(window, hand):
    body = impeto.Body(name="plate", shapes=(impeto.Extrusion(outline=SQUARE),))
    open_model(window, impeto.Model("m", [body]))
    window.document.select("plate")
    hand.settle()
    hand.click(hand.find("extrusion 1"))

    def draw(dialog):
        dialog.table.item(1, 0).setText("200 mm")
        dialog.take.click()

    QTimer.singleShot(20, lambda: in_what_opens(draw))
    hand.click(hand.find("Draw Outline", QPushButton))
    hand.settle()
    assert "200 mm, 0 mm" in str(window.document.model["plate"].shapes[0].outline)
    window.activateWindow()
    hand.qtbot.waitUntil(window.isActiveWindow)
    hand.keys((Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier))
    assert window.document.model["plate"] == body


def length(text):
    return Scope(impeto.Model()).si(Quantity(text), "length")


def test_a_road_is_made_by_numbers_and_from_a_table(window, tmp_path):
    made = OutlineDialog("0 m: 0 m; 1 m: 0 m", Scope(window.document.model), LIGHT, window, False)
    made.make.setText("poles 100 mm, 1.5 m, 3")
    made.make.returnPressed.emit()
    road = impeto.Road(profile=made.text)
    heights = [length(str(y)) for _, y in road.profile.points]
    assert max(heights) == pytest.approx(0.1)
    assert sum(h == max(heights) for h in heights) == 3
    table = tmp_path / "track.csv"
    table.write_text("way [m],height [mm]\n0,0\n1,20\n2,0\n")
    made.read(table)
    assert made.text == "0 m: 0 m; 1 m: 0.02 m; 2 m: 0 m"
    made.make.setText("hills")
    made.make.returnPressed.emit()
    assert "no profile" in made.message.text()


@pytest.mark.parametrize(("text", "highest"), [("bump 60 mm, 600 mm", 0.06),
                                               ("sine 30 mm, 2 m, 5", 0.03)])  # fmt: skip
def test_profiles_by_number_reach_their_height(text, highest):
    road = impeto.Road(profile=made_profile(text, length))
    heights = [length(str(y)) for _, y in road.profile.points]
    assert max(heights) == pytest.approx(highest, abs=1e-6)
    with pytest.raises(ModelError):
        made_profile(text.replace(" ", " -", 1), length)


def test_a_point_that_no_line_goes_through_is_shown_told_and_can_be_moved_on(dialog, qtbot):
    canvas, left = dialog.canvas, Qt.MouseButton.LeftButton
    dialog.table.item(0, 2).setText("60 mm")
    qtbot.mousePress(canvas, left, pos=at(dialog, -0.01, 0.05))  # beside the rounded corner
    assert len(canvas.points) == len(dialog.rows) == 5
    assert "too large for its edges" in dialog.message.text()
    assert not dialog.take.isEnabled()
    qtbot.mouseMove(canvas, at(dialog, -0.01, 0.07))
    qtbot.mouseRelease(canvas, left, pos=at(dialog, -0.01, 0.07))
    assert dialog.rows[4][:2] == ["-10 mm", "70 mm"]
    dialog.table.item(0, 2).setText("0 mm")
    assert not dialog.message.text()
    assert dialog.take.isEnabled()
