"""The table of masses beside the window, against masses by hand."""

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLineEdit

import impeto
from impeto.app.mass_dialog import MassDialog
from impeto.launch import main
from impeto.services import model_file
from tests.app.test_engine_in_the_window import open_model

SIDE = 0.1


def machine():
    """A steel cube, a typed body with a weight on it, and three oak cubes in a row."""
    cube = impeto.Box(size=(SIDE, SIDE, SIDE), density="steel")
    wood = impeto.Box(size=(SIDE, SIDE, SIDE), density="oak")
    rider = impeto.PointMass(mass="2 kg", position=(0, 0, 1))
    return impeto.Model("scale", [
        impeto.Body(name="block", shapes=(cube,)),
        impeto.Body(name="seat", position=(1, 0, 0), mass="6 kg", shapes=(cube,),
                    point_masses=(rider,)),
        impeto.Body(name="log", position=(0, 1, 0), shapes=(wood,)),
        impeto.Repeat(name="logs", bodies=("log",), count=3, step=(1, 0, 0)),
    ])  # fmt: skip


def test_masses_of_bodies_and_of_some_together_are_those_by_hand():
    rows = impeto.weights(machine())
    found = {row.name: row for row in rows}
    assert found["block"].all.mass == pytest.approx(7.85)
    assert found["block"].materials == ("steel",)
    seat = found["seat"]
    assert (seat.is_typed, seat.drawn, seat.points) == (True, pytest.approx(6), 2)
    np.testing.assert_allclose(seat.all.center, [1, 0, 2 / 8])
    assert found["log"].names == ("log_1", "log_2", "log_3")
    assert found["log"].each.mass == pytest.approx(0.72)
    total = impeto.weighed(rows)
    assert total.mass == pytest.approx(7.85 + 8 + 3 * 0.72)
    center = (8 * np.array([1, 0, 0.25]) + 3 * 0.72 * np.array([1, 1, 0])) / total.mass
    np.testing.assert_allclose(total.center, center)
    # Cubes about their common centre: their own and Steiner's parts.
    own, each = 0.72 * SIDE**2 / 6, 0.72
    np.testing.assert_allclose(
        found["log"].all.inertia.diagonal(), [3 * own, 3 * own + 2 * each, 3 * own + 2 * each]
    )


def said(dialog):
    return dialog.total.text().replace("\u2009", " ")


@pytest.fixture
def dialog(window, hand):
    open_model(window, machine())
    hand.settle()
    hand.keys((Qt.Key.Key_W, Qt.KeyboardModifier.ControlModifier
               | Qt.KeyboardModifier.ShiftModifier))  # fmt: skip
    hand.settle()
    return next(d for d in window.findChildren(MassDialog) if d.isVisible())


def test_rows_that_are_clicked_are_weighed_together_and_their_centre_is_on_the_stage(
    window, hand, dialog
):
    assert said(dialog) == "All bodies: 18.01 kg"
    table = dialog.table
    assert [table.item(row, 0).text() for row in range(3)] == ["block", "seat", "log × 3"]
    assert table.item(1, 2).text() == "typed + points"
    assert "and 2\u2009kg of point masses" in table.item(1, 1).toolTip()
    for row, held in (
        (0, Qt.KeyboardModifier.NoModifier),
        (1, Qt.KeyboardModifier.ControlModifier),
    ):
        place = table.visualItemRect(table.item(row, 0)).center()
        hand.qtbot.mouseClick(table.viewport(), Qt.MouseButton.LeftButton, held, place)
    assert window.document.chosen == ("block", "seat")
    assert said(dialog) == "2 selected bodies: 15.85 kg"
    np.testing.assert_allclose(window.stage.weighed, [8 / 15.85, 0, 2 / 15.85])
    dialog.hide()
    assert window.stage.weighed is None


def test_the_table_follows_edits_and_says_what_cannot_be_weighed(window, hand, dialog):
    window.document.select("seat")
    assert said(dialog) == "1 selected body: 8 kg"
    hand.settle()
    hand.type_into("Mass", "16 kg")
    assert said(dialog) == "1 selected body: 18 kg"
    bad = impeto.Body(name="bad", shapes=(impeto.Box(density="unknown_wood"),))
    window.document.edit("bad", window.document.model.with_element(bad))
    assert "'unknown_wood' is not a parameter" in dialog.centre.text()
    assert dialog.table.rowCount() == 0


def test_a_material_is_offered_while_a_density_is_typed(window, hand):
    open_model(window, machine())
    window.document.select("block")
    hand.settle()
    hand.click(hand.find("box 1"))
    hand.settle()
    field = hand.find("Density", QLineEdit)
    field.setFocus()
    field.selectAll()
    hand.qtbot.keyClicks(field, "spru")
    offered = field.completer()
    assert offered.currentCompletion() == "spruce"
    hand.type_into("Density", "spruce")
    assert window.document.model["block"].shapes[0].density.text == "spruce"


def test_the_shell_prints_the_table(tmp_path, capsys):
    path = tmp_path / "scale.impeto.json"
    model_file.save(machine(), path)
    assert main(["masses", str(path)]) == 0
    lines = capsys.readouterr().out.splitlines()
    assert lines[1].split() == ["block", "7.85", "kg", "shapes", "steel"]
    assert lines[3].startswith("log x 3")
    assert lines[-1].split()[:3] == ["all", "18.01", "kg"]
