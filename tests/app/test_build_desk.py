"""The Build desk by clicks and keys: selecting, editing with units, undo, health."""

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QRectF, Qt
from PyQt6.QtWidgets import QAbstractButton, QApplication, QComboBox, QLineEdit, QWidget

from impeto.app.describe import GROUPS
from impeto.app.roster.roster import LINE, tick_box
from impeto.core.elements import ELEMENTS
from impeto.core.model import fields

CTRL = Qt.KeyboardModifier.ControlModifier
SHIFT = Qt.KeyboardModifier.ShiftModifier
PLAIN = Qt.KeyboardModifier.NoModifier


def lines(roster):
    index = [roster.items.index(row, 0) for row in range(roster.items.rowCount())]
    return {i.data(): i.data(LINE) for i in index}


def test_the_demo_opens_with_every_element_and_its_values(window):
    shown = lines(window.roster)
    assert shown["crank_radius"] == "250 mm"
    assert shown["guide_right"] == "point on line"
    assert shown["crank_drive"] == "speed crank_speed"
    assert shown["Bodies"].startswith("5 · 2373")


def test_search_filters_by_name_kind_and_value(window, hand):
    hand.type_into("Find in the Roster", "prismatic")
    assert [n for n in lines(window.roster) if n in window.document.model.elements] == [
        "guide_left"
    ]
    hand.type_into("Find in the Roster", "12 kN")
    assert "cutting_force" in lines(window.roster)


def test_a_click_in_the_roster_selects_on_the_stage_and_fills_the_sheet(window, hand):
    hand.pick_row("rod")
    assert window.document.selected == "rod"
    assert window.stage.scene.selected == ("rod",)
    assert hand.find("Name", QLineEdit).text() == "rod"


def test_a_click_on_the_stage_selects_the_body_under_it_and_the_roster_follows(window, hand):
    window.stage.set_view("front")
    hand.settle()
    where = window.stage.to_screen(window.stage.frame_place("small_end")[0][None, :])[0]
    below = QPoint(int(where[0]), int(where[1]) + 60)
    hand.click(window.stage, below)
    assert window.document.selected == "rod"
    assert window.roster.list.currentIndex().data() == "rod"


def test_a_click_on_a_badge_selects_the_joint(window, hand):
    place = window.stage.badge_places()["guide_left"]
    hand.click(window.stage, place.toPoint())
    assert window.document.selected == "guide_left"


def test_a_value_with_another_unit_is_taken_and_undo_brings_the_old_one_back(window, hand):
    before = window.document.model
    hand.pick_row("crank_radius")
    hand.type_into("Value", "10 in")
    assert window.document.model["crank_radius"].value.si == pytest.approx(0.254)
    assert window.strip.name.text().find("edited") > 0
    hand.keys((Qt.Key.Key_Z, CTRL))
    assert window.document.model == before
    hand.keys((Qt.Key.Key_Z, CTRL | SHIFT))
    assert window.document.model["crank_radius"].value.text == "10 in"


def test_a_spring_is_added_and_its_stiffness_edited_with_a_unit_and_an_expression(window, hand):
    window.commands.named("Add a spring").action()
    hand.settle()
    hand.type_into("Stiffness", "15 N/mm")
    assert window.document.model["spring"].stiffness.si == 15_000
    hand.type_into("Stiffness", "2*cutting_force/10 mm")
    assert lines(window.roster)["spring"].startswith("2400")
    hand.type_into("Stiffness", "20")  # a bare number takes the unit that was shown
    assert window.document.model["spring"].stiffness.text == "20 N/m"


def test_a_wrong_value_turns_red_says_why_and_changes_nothing(window, hand):
    before = window.document.model
    hand.pick_row("gravity")
    hand.type_into("Size", "9.81 kg")
    editor = hand.find("Size", QLineEdit)
    assert editor.property("wrong") is True
    message = editor.parent().message.text()
    assert message.startswith("A mass stands where an acceleration is needed")
    assert window.document.model is before
    hand.qtbot.keyClick(editor, Qt.Key.Key_Escape)
    assert editor.text() == "9.80665 m/s^2"
    assert editor.property("wrong") is False


def test_a_cell_of_the_freedom_strip_frees_and_the_kind_follows(window, hand):
    hand.pick_row("crank_pin")
    cell = next(c for c in window.sheet.findChildren(QAbstractButton)
                if c.accessibleName() == "slide y: free")  # fmt: skip
    hand.click(cell)
    assert window.document.model["crank_pin"].free == ("turn y",)
    assert hand.find("Kind of joint", QComboBox).currentText() == "revolute"


def test_choosing_a_kind_sets_the_cells(window, hand):
    hand.pick_row("frame_pin")
    kinds = hand.find("Kind of joint", QComboBox)
    kinds.setFocus()
    hand.qtbot.keyClicks(kinds, "fix")
    kinds.textActivated.emit(kinds.currentText())
    hand.settle()
    assert window.document.model["frame_pin"].free == ()


def test_the_tick_switches_an_element_off_in_the_case_and_health_follows(window, hand):
    qtbot = hand.qtbot
    roster = window.roster
    index = roster.row_of("guide_right")
    roster.list.scrollTo(index)
    spot = tick_box(QRectF(roster.list.visualRect(index))).center().toPoint()
    qtbot.waitUntil(lambda: "held by other joints too" in window.health.text.text())
    hand.click(roster.list.viewport(), spot)
    assert window.document.model.cases["Base"].switches == {"guide_right": False}
    qtbot.waitUntil(lambda: "Nothing redundant" in window.health.text.text())
    assert window.health.head.text() == "1 motion, driven"


def test_health_says_what_keeps_the_model_from_running(window, hand):
    hand.pick_row("rod")
    hand.type_into("Mass", "0 kg")
    hand.qtbot.waitUntil(lambda: "Cannot run" in window.health.head.text())
    assert "it has no mass" in window.health.text.text()


def test_a_parameter_loop_is_explained_and_the_window_stays_usable(window, hand):
    hand.pick_row("crank_radius")
    hand.type_into("Value", "rod_length")
    hand.pick_row("rod_length")
    hand.type_into("Value", "crank_radius")
    assert window.document.model["rod_length"].value.text == "1.9 m"
    message = hand.find("Value", QLineEdit).parent().message.text()
    assert "circle" in message


def test_a_body_gets_a_shape_and_its_size_is_edited(window, hand):
    hand.pick_row("rod")
    hand.click(hand.find("Add sphere"))
    assert len(window.document.model["rod"].shapes) == 5
    hand.type_into("Radius", "0.2 m")
    assert window.document.model["rod"].shapes[-1].radius.si == 0.2


def test_renaming_follows_into_references_and_a_taken_name_is_refused(window, hand):
    hand.pick_row("big_end")
    hand.type_into("Name", "lower_eye")
    assert window.document.model["crank_pin"].frame_b == "lower_eye"
    hand.type_into("Name", "cut")
    assert "taken" in window.toast.text()
    assert window.document.selected == "lower_eye"


def test_drags_and_keys_turn_the_view_and_standard_views_bring_it_back(window, hand):
    stage, qtbot = window.stage, hand.qtbot
    before = stage.scene.camera.GetPosition()
    centre = stage.rect().center()
    qtbot.mousePress(stage, Qt.MouseButton.LeftButton, pos=centre)
    qtbot.mouseMove(stage, centre + QPoint(60, 20))
    qtbot.mouseRelease(stage, Qt.MouseButton.LeftButton, pos=centre + QPoint(60, 20))
    stage.setFocus()
    qtbot.keyClick(stage, Qt.Key.Key_Left)
    assert stage.scene.camera.GetPosition() != before
    hand.keys((Qt.Key.Key_7, Qt.KeyboardModifier.AltModifier))
    assert stage.scene.camera.GetPosition() == pytest.approx(before)
    assert window.document.selected == ""


def test_cases_are_copied_changed_renamed_and_removed_in_the_sheet(window, hand):
    document = window.document
    hand.click(hand.find("Copy case"))
    assert document.case == "Case"
    hand.type_into("Name of the case", "Wide")
    assert document.case == "Wide"
    assert window.strip.case.currentText() == "Wide"
    hand.pick_row("crank_radius")
    hand.type_into("Value in case", "0.3 m")
    assert document.model.cases["Wide"].values["crank_radius"].si == 0.3
    assert document.model["crank_radius"].value.text == "250 mm"
    assert lines(window.roster)["crank_radius"] == "0.3 m"
    window.document.select("")
    hand.settle()
    hand.click(hand.find("Remove case"))
    assert "Wide" not in document.model.cases
    assert document.case == "Base"
    hand.keys((Qt.Key.Key_Z, CTRL))
    assert "Wide" in document.model.cases


def test_a_pendulum_is_built_from_nothing_by_hand_and_swings(window, hand):
    """The main job once: new model, body, frames, joint, gravity, run, read a channel."""
    document = window.document
    commands = {command.title: command.action for command in window.commands.listed}
    commands["New model"]()
    hand.settle()
    hand.qtbot.waitUntil(lambda: "Nothing here yet" in window.health.head.text())
    commands["Add a body"]()
    hand.settle()
    hand.type_into("Name", "bar")
    hand.type_into("Position x", "0.5 m")
    commands["Add a frame"]()
    hand.settle()
    assert document.model["frame"].body == "bar"
    hand.type_into("Position x", "-0.5 m")
    document.select("")
    commands["Add a frame"]()
    hand.settle()
    assert document.model["frame_2"].body == "ground"
    commands["Add a joint"]()
    hand.settle()
    for cell in ("turn z: free", "turn y: locked"):
        hand.click(hand.find(cell, QAbstractButton))
    assert document.model["joint"].free == ("turn y",)
    commands["Add a gravity"]()
    hand.qtbot.waitUntil(lambda: window.health.head.text() == "1 free motion")
    hand.run("1 s")
    r = document.run.recording
    assert window.desk == "Watch"
    assert "system.energy.kinetic" in window.watch.table.channels
    fallen = r["bar.center.position.z"].min()
    assert fallen == pytest.approx(-0.5, abs=0.01)  # it starts level and swings through
    hand.keys((Qt.Key.Key_1, CTRL))
    assert window.desk == "Build"


def test_frames_are_drawn_when_asked_for(window, hand):
    plain = window.stage.grab().toImage()
    hand.click(window.stage_panel.frames)
    assert window.stage.grab().toImage() != plain


def test_signals_change_their_kind_and_keep_their_value(window, hand):
    hand.pick_row("crank_drive")
    kinds = hand.find("Kind of signal", QComboBox)
    kinds.textActivated.emit("ramp")
    hand.settle()
    drive = window.document.model["crank_drive"]
    assert type(drive.value).title == "ramp"
    assert drive.value.end.text == "crank_speed"
    hand.type_into("Ends at", "0.5 s")
    assert window.document.model["crank_drive"].value.finish.si == 0.5
    hand.qtbot.waitUntil(lambda: "motion, driven" in window.health.head.text())


def test_removing_what_is_used_is_refused_and_unused_things_go(window, hand):
    hand.pick_row("big_end")
    hand.click(hand.find("Remove big_end"))
    assert "used by crank_pin" in window.toast.text()
    hand.pick_row("cutting")
    hand.click(hand.find("Remove cutting"))
    assert "cutting" not in window.document.model.elements
    assert window.document.selected == ""


def test_every_kind_of_element_can_be_added_from_the_roster(window, hand, monkeypatch):
    from PyQt6.QtWidgets import QMenu

    offered = []

    def take_all(menu, _where):
        """Those of the menus of the groups, which come before what is built by pointing."""
        for group in menu.actions():
            if group.text() in GROUPS.values():
                for action in group.menu().actions():
                    offered.append(action.text())
                    action.trigger()
        next(action for action in menu.actions() if action.text() == "Add a case").trigger()

    monkeypatch.setattr(QMenu, "exec", take_all)
    before = set(window.document.model.elements)
    hand.click(window.roster.add)
    added = [window.document.model[name] for name in window.document.model.elements.keys() - before]
    # Data sets are read from files; each of the others opens in a Sheet that shows its fields.
    assert {type(element) for element in added} == set(ELEMENTS.values()) - {
        ELEMENTS["dataset"],
        ELEMENTS["piece"],
    }  # which come from files
    assert len(offered) == len(added)
    for element in added:
        window.document.select(element.name)
        QApplication.processEvents()
        shown = {w.accessibleName() for w in window.sheet.findChildren(QWidget)}
        for name, spec in fields.specs(type(element)).items():
            title = fields.title(name, spec)
            hidden = (fields.ChoicesSpec, fields.PartsSpec, fields.SignalSpec, fields.VectorSpec)
            if name not in getattr(element, "unused", ()) and not isinstance(spec, hidden):
                assert title in shown, (element.name, title)
    assert window.document.case == "Case"


def test_standard_views_are_offered_by_name_and_shown(window, hand, monkeypatch):
    from PyQt6.QtWidgets import QMenu

    def take_top(menu, _where):
        next(a for a in menu.actions() if a.text() == "top").trigger()

    monkeypatch.setattr(QMenu, "exec", take_top)
    hand.click(window.stage_panel.view)
    assert window.stage_panel.view.text() == "top ▾"
    x, y, z = window.stage.scene.camera.GetPosition()
    fx, fy, fz = window.stage.scene.camera.GetFocalPoint()
    assert (x, y) == pytest.approx((fx, fy))
    assert z > fz


def test_what_is_on_the_stage_fits_into_it_from_every_side(window, hand):
    from impeto.app.stage.camera import VIEWS

    low, high = window.stage.scene.bounds[0::2], window.stage.scene.bounds[1::2]
    corners = [[x, y, z] for x in (low[0], high[0]) for y in (low[1], high[1])
               for z in (low[2], high[2])]  # fmt: skip
    for view in VIEWS:
        window.stage.set_view(view)
        spots = window.stage.to_screen(np.array(corners))
        assert spots.min() >= 0, view
        assert (spots <= [window.stage.width(), window.stage.height()]).all(), view
        tall = np.ptp(spots[:, 1]) / window.stage.height()
        wide = np.ptp(spots[:, 0]) / window.stage.width()
        assert max(tall, wide) > 0.6, view


def test_undo_works_from_within_the_field_that_was_edited(window, hand):
    hand.pick_row("crank_radius")
    hand.type_into("Value", "0.3 m")
    line = hand.find("Value", QLineEdit)
    assert line.hasFocus()
    hand.qtbot.keyClick(line, Qt.Key.Key_Z, CTRL)
    hand.settle()
    assert window.document.model["crank_radius"].value.text == "250 mm"
    line = hand.find("Value", QLineEdit)
    hand.qtbot.keyClicks(line, "9")
    hand.qtbot.keyClick(line, Qt.Key.Key_Z, CTRL)  # now it is the typing that is taken back
    assert line.text() == "250 mm"


def test_a_body_that_is_off_while_its_joint_is_on_is_explained(window, hand):
    window.roster.toggle("counterweight")
    hand.qtbot.waitUntil(lambda: "Cannot run" in window.health.head.text())
    assert "weight_bolts" in window.health.text.text()
    assert "'weight_face', which is switched off" in window.health.text.text().replace(
        "&#x27;", "'"
    )
    window.roster.toggle("weight_bolts")
    hand.qtbot.waitUntil(lambda: window.health.head.text() == "1 motion, driven")


def test_a_formula_of_channels_is_shown_as_right_edited_and_checked_in_place(window, hand):
    hand.pick_row("cutting")
    line = hand.find("Formula", QLineEdit)
    assert line.property("wrong") is False
    hand.type_into("Formula", "5 kN * rise(-saw_frame.velocity.z, 0 m/s, 2 m/s)")
    assert window.document.model["cutting"].value.formula.text.startswith("5 kN")
    before = window.document.model
    for text, words in (
        ("5 kN * saw_frame.mass", "not a channel that a formula can use"),
        ("5 kg * t", "stands where a force is needed"),
    ):
        hand.type_into("Formula", text)
        editor = hand.find("Formula", QLineEdit)
        assert editor.property("wrong") is True
        assert words in editor.parent().message.text()
    assert window.document.model is before
