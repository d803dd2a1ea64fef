"""The Stage under the hand: dragging, handles, sliders, several elements, what is shown."""

import numpy as np
import pytest
from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtWidgets import QApplication, QLineEdit, QMenu, QMessageBox, QPushButton, QSlider

import impeto
from impeto.app.stage.catching import along
from impeto.core.posing import drawn_value, with_poses
from impeto.services import model_file
from tests.app.test_engine_in_the_window import open_model
from tests.app.test_pointing import lever_and_post, one, pixel, point_at, wall_of

CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier
ALT, NONE = Qt.KeyboardModifier.AltModifier, Qt.KeyboardModifier.NoModifier
LEFT, RIGHT = Qt.MouseButton.LeftButton, Qt.MouseButton.RightButton


def crank_and_rocker():
    points = [(0, 0, 0), (0, 0, 0.1), (0.4, 0, 0.3), (0.4, 0, 0)]
    model, _ = impeto.bars(model_file.new_model(), points, section="30 x 10 mm",
                           held={0: "ground", 3: "ground"})  # fmt: skip
    return model


@pytest.fixture
def stage(window, hand):
    open_model(window, crank_and_rocker())
    window.stage.set_view("front")
    hand.settle()
    return window.stage


def drag(hand, stage, begin, end, modifier=NONE):
    """Press, move in steps, release."""
    hand.qtbot.mousePress(stage, LEFT, modifier, begin)
    for share in np.linspace(0.1, 1.0, 10):
        at = QPointF(begin) + (QPointF(end) - QPointF(begin)) * float(share)
        none, there = Qt.MouseButton.NoButton, stage.mapToGlobal(at)
        move = QMouseEvent(QEvent.Type.MouseMove, at, there, none, LEFT, modifier)
        QApplication.sendEvent(stage, move)
    hand.qtbot.mouseRelease(stage, LEFT, modifier, end)
    hand.settle()


def test_a_dragged_crank_takes_the_mechanism_along_and_one_undo_takes_it_back(window, hand, stage):
    before = window.document.model
    origin, rotation = stage.body_place("bar")
    grip = origin + rotation @ np.array([0.08, 0, 0])
    target = 0.08 * np.array([np.sin(0.7), 0.0, np.cos(0.7)])
    drag(hand, stage, pixel(stage, grip), pixel(stage, target), CTRL)
    after = window.document.model
    turned = drawn_value(after, "ground_bar_pin", "turn z")
    assert turned == pytest.approx(-np.pi / 2 + 0.7, abs=0.05)  # a pixel is 2 mm here
    assert after["bar_3"] != before["bar_3"]
    assert impeto.Posing(after).close() < 1e-12
    hand.keys((Qt.Key.Key_Z, CTRL))
    assert window.document.model == before
    assert "drag of bar" in window.toast.text()


def test_a_handle_moves_a_loose_body_by_steps_and_refuses_to_turn_a_held_one(window, hand, stage):
    model, name = impeto.set_on(window.document.model, impeto.Box(), (0.1, 0, 0.4))
    open_model(window, model)
    stage.set_view("front")
    window.document.select(name)
    hand.click(window.stage_panel.handles)
    origin, _ = stage.body_place(name)
    arm = 0.12 * stage.reach
    begin = pixel(stage, origin + np.array([arm, 0, 0]))
    assert stage.handles.at(begin).kind == "move"
    drag(hand, stage, begin, pixel(stage, origin + np.array([arm + 0.1, 0, 0])))
    moved, _ = stage.body_place(name)
    assert moved[0] - origin[0] == pytest.approx(0.1, abs=0.01)
    assert moved[1:] == pytest.approx(origin[1:], abs=1e-12)
    step = stage.handles._step()
    assert (moved[0] - origin[0]) / step == pytest.approx(round((moved[0] - origin[0]) / step))
    window.document.select("bar_2")
    before = window.document.model
    stage.handles.type(type(stage.handles.at(begin) or _handle())("turn", 1), "10 deg")
    assert window.document.model == before
    assert "held by joints" in window.toast.text()


def _handle():
    from impeto.app.stage.handles import Handle

    return Handle("turn", 1)


def test_a_slider_sets_a_joint_and_a_typed_value_does_so_exactly(window, hand, stage):
    window.document.select("ground_bar_pin")
    hand.settle()
    hand.type_into("Drawn turn z", "-40 deg")
    value = drawn_value(window.document.model, "ground_bar_pin", "turn z")
    assert np.degrees(value) == pytest.approx(-40.0, abs=1e-7)
    slider = hand.find("Pose of turn z", QSlider)
    slider.setFocus()
    hand.qtbot.keyClick(slider, Qt.Key.Key_Right)
    hand.settle()
    again = drawn_value(window.document.model, "ground_bar_pin", "turn z")
    assert 0.0 < np.degrees(again - value) < 2.0
    hand.keys((Qt.Key.Key_Z, CTRL))
    assert "pose of ground_bar_pin" in window.toast.text()


def test_the_card_of_a_new_joint_changes_it_within_one_step_of_undo(window, hand):
    open_model(window, lever_and_post())
    stage, before = window.stage, window.document.model
    pin, hole = one(window, "ground", "axis"), one(window, "lever", "hole")
    hand.keys((Qt.Key.Key_J, CTRL))
    point_at(hand, stage, wall_of(stage, pin))
    hand.qtbot.mouseClick(stage, LEFT, pos=wall_of(stage, pin))
    mouth = pixel(stage, hole.point)
    for place in (mouth + QPoint(14, 4), mouth):
        point_at(hand, stage, place)
    hand.qtbot.mouseClick(stage, LEFT, pos=mouth)
    hand.settle()
    card = window.stage_panel.hand.card
    assert card.isVisible()
    assert card.motion.timer.isActive()  # it shows what it lets go
    hand.qtbot.keyClick(card, Qt.Key.Key_3)
    assert window.document.model["lever_joint"].free == ("slide z", "turn z")
    drawn = window.document.model["lever"]
    hand.qtbot.keyClick(card, Qt.Key.Key_F)
    assert window.document.model["lever"] != drawn
    hand.qtbot.keyClick(card, Qt.Key.Key_B)
    hand.qtbot.keyClick(card, Qt.Key.Key_B)
    assert window.document.model["lever"] == before["lever"]  # the gap is kept
    hand.qtbot.keyClick(card, Qt.Key.Key_B)
    card.offset.setFocus()
    hand.qtbot.keyClicks(card.offset, "5 mm")
    hand.qtbot.keyClick(card.offset, Qt.Key.Key_Return)
    moved = one(window, "lever", "hole").point - one(window, "ground", "axis").point
    assert window.document.model["lever"] not in (before["lever"], drawn)
    assert np.isfinite(moved).all()
    hand.qtbot.keyClick(card, Qt.Key.Key_Return)
    assert not card.isVisible()
    assert QApplication.focusWidget().selectedText() == "lever_joint"
    hand.keys((Qt.Key.Key_Z, CTRL))
    assert window.document.model == before


def test_several_rows_are_edited_together_in_one_step(window, hand, stage):
    rows = [window.roster.row_of(name) for name in ("bar", "bar_3")]
    viewport = window.roster.list.viewport()
    for row, modifier in zip(rows, (NONE, CTRL), strict=True):
        place = window.roster.list.visualRect(row).center()
        hand.qtbot.mouseClick(viewport, LEFT, modifier, place)
    hand.settle()
    assert window.document.chosen == ("bar", "bar_3")
    assert window.stage.scene.selected == ("bar", "bar_3")
    hand.type_into("Mass", "2 kg")
    model = window.document.model
    assert [str(model[n].mass) for n in ("bar", "bar_3")] == ["2 kg", "2 kg"]
    assert model["bar_2"].mass is None
    assert hand.find("Position x", QLineEdit).text() == ""  # they differ
    hand.keys((Qt.Key.Key_U, CTRL))
    case = window.document.model.cases[window.document.case]
    assert case.switches == {"bar": False, "bar_3": False}
    hand.keys((Qt.Key.Key_Z, CTRL), (Qt.Key.Key_Z, CTRL))
    assert window.document.model["bar"].mass is None


def test_removing_lists_what_hangs_on_it_and_takes_it_along(window, hand, stage, monkeypatch):
    told = []

    def accept(box):
        told.append(box.informativeText())
        next(b for b in box.buttons() if b.text() == "Remove them all").click()

    monkeypatch.setattr(QMessageBox, "exec", accept)
    window.document.select("bar_2")
    before = window.document.model
    hand.keys((Qt.Key.Key_Delete, NONE))
    assert "bar_bar_2_pin" in told[0]
    assert not {"bar_2", "bar_bar_2_pin", "bar_2_end"} & set(window.document.model.elements)
    assert "bar_3" in window.document.model.elements
    hand.keys((Qt.Key.Key_Z, CTRL))
    assert window.document.model == before


def test_hidden_bodies_and_their_joints_are_not_on_the_stage(window, hand, stage):
    window.document.select("bar")
    assert "bar" in window.stage.scene.actors
    hand.keys((Qt.Key.Key_H, CTRL))
    (actor,) = window.stage.scene.actors["bar"]
    assert not actor.GetVisibility()
    assert "ground_bar_pin" not in stage.badge_places()
    assert "bar_2_bar_3_pin" in stage.badge_places()
    window.document.select("bar_2")
    hand.keys((Qt.Key.Key_H, CTRL | SHIFT))
    assert window.document.showing.hidden == {"ground", "bar", "bar_3"}
    hand.keys((Qt.Key.Key_H, CTRL | ALT))
    assert actor.GetVisibility()
    window.stage_panel.cut("section square to y")
    assert actor.GetMapper().GetClippingPlanes().GetNumberOfItems() == 1
    window.stage_panel.cut("no section")
    assert not actor.GetMapper().GetClippingPlanes()


def test_a_right_click_has_what_fits_the_selection_first(window, hand, stage, monkeypatch):
    menus = []
    monkeypatch.setattr(QMenu, "exec", lambda menu, _where: menus.append(
        [action.text() for action in menu.actions()]))  # fmt: skip
    hand.qtbot.mouseClick(stage, RIGHT, pos=stage.badge_places()["ground_bar_pin"].toPoint())
    assert window.document.chosen == ("ground_bar_pin",)
    assert menus[0][0] == "Put a drive on a joint"
    assert "Remove, with what hangs on it" in menus[0]
    assert len(menus[0]) * 26 < 800  # px: it fits the window
    window.commands.named("Put a drive on a joint").action()  # it is selected: no asking
    assert window.document.selected == "ground_bar_pin_drive"
    window.document.choose(["ground_bar_pin", "ground_bar_3_pin"])
    window.commands.named("Couple two joints by a relation").action()
    made = window.document.model["ground_bar_pin_ground_bar_3_pin_relation"]
    assert [term.joint for term in made.terms] == ["ground_bar_pin", "ground_bar_3_pin"]


def test_what_is_selected_is_copied_as_python(window, hand, stage):
    window.document.choose(["bar", "bar_start"])
    hand.keys((Qt.Key.Key_C, CTRL | SHIFT))
    made = {}
    exec(QApplication.clipboard().text(), made)
    assert made["elements"] == [window.document.model[n] for n in ("bar", "bar_start")]


def test_an_empty_model_offers_ways_to_begin(window, hand):
    open_model(window, model_file.new_model())
    card = window.stage_panel.begin_card.box
    assert card.isVisible()
    hand.click(hand.find("Draw a first bar", QPushButton))
    assert not card.isVisible()
    assert hand.find("Typed pick", QLineEdit).hasFocus()
    hand.qtbot.keyClick(hand.find("Typed pick", QLineEdit), Qt.Key.Key_Escape)
    assert card.isVisible()


def test_a_wrong_pick_gets_a_sentence_in_the_bar_and_keeps_the_gesture(window, hand, stage):
    hand.keys((Qt.Key.Key_B, CTRL))
    line, bar = hand.find("Typed pick", QLineEdit), window.stage_panel.bar
    for wrong in ("1, 2", "3 kg, 0, 0", "0, 0, 1e400", "banana"):
        line.clear()
        hand.qtbot.keyClicks(line, wrong)
        hand.qtbot.keyClick(line, Qt.Key.Key_Return)
        assert bar.complaint.isVisible(), wrong
        assert bar.complaint.text().endswith(".")
        assert not stage.pointing.picks
    line.clear()
    hand.qtbot.keyClicks(line, "bar_end")
    hand.qtbot.keyClick(line, Qt.Key.Key_Return)
    hand.settle()
    assert stage.pointing.picks[0].feature.name == "bar_end"
    hand.qtbot.keyClicks(line, "+0, 0, 50 mm")
    hand.qtbot.keyClick(line, Qt.Key.Key_Return)
    hand.settle()
    np.testing.assert_allclose(stage.pointing.picks[1].point, [0, 0, 0.15], atol=1e-12)
    hand.qtbot.keyClick(line, Qt.Key.Key_Backspace)
    assert len(stage.pointing.picks) == 1
    hand.qtbot.keyClick(line, Qt.Key.Key_Escape)
    assert stage.pointing.gesture is None


def test_a_mend_that_was_found_for_another_model_is_not_applied(window, hand, stage):
    hand.qtbot.waitUntil(lambda: bool(window.health.mendable))
    moved = impeto.set_on(window.document.model, impeto.Box(), (1, 0, 0))[0]
    window.document.edit("box", moved)
    window.health._follow("mend:0/0")
    assert window.document.model is moved
    assert "checked again" in window.toast.text()
    hand.qtbot.waitUntil(lambda: bool(window.health.mendable))
    hand.keys((Qt.Key.Key_M, CTRL | ALT))
    assert window.document.model != moved


def test_badges_leave_the_picture_while_a_run_plays(window, hand, stage):
    window.document.add_run(impeto.simulate(window.document.model, until=1.0))
    window.show_desk("Watch")
    hand.keys((Qt.Key.Key_Space, NONE))
    assert window.deck.playing
    assert stage._plays
    hand.keys((Qt.Key.Key_Space, NONE))
    assert not stage._plays


def test_flags_that_would_cover_each_other_are_joined_and_tell_what_they_stand_for(window, hand):
    from impeto.core.dynamics.names import Mark

    line = window.deck.line
    line.end = 10.0
    line.marks = tuple(Mark(time, "gate", f"impact {k}") for k, time in
                       enumerate((1.0, 1.001, 1.002, 8.0)))  # fmt: skip
    assert [len(marks) for _, marks in line.flags()] == [3, 1]
    assert [m.text for m in line.marks_near(line.x_of(1.0))] == ["impact 0", "impact 1", "impact 2"]
    assert line.mark_near(line.x_of(8.0)).text == "impact 3"


def test_a_pipe_is_bent_along_points_that_are_typed_and_one_undo_takes_it_back(window, qtbot, hand):
    open_model(window, model_file.new_model())
    hand.settle()
    hand.keys((Qt.Key.Key_B, CTRL | Qt.KeyboardModifier.AltModifier))
    section = hand.find("Section", QLineEdit)
    section.clear()
    hand.qtbot.keyClicks(section, "tube 60 x 3 mm")
    line = hand.find("Typed pick", QLineEdit)
    for text in ("0, 0, 0", "500 mm, 0, 0", "500 mm, 0, 300 mm", ""):
        hand.qtbot.keyClicks(line, text)
        hand.qtbot.keyClick(line, Qt.Key.Key_Return)
        hand.settle()
    model = window.document.model
    assert model["bent_bar"].shapes[0].path.text.count(";") == 2
    written, name = impeto.bent(
        model_file.new_model(), [(0, 0, 0), (0.5, 0, 0), (0.5, 0, 0.3)], section="tube 60 x 3 mm"
    )
    assert model[name] == written[name]
    hand.keys((Qt.Key.Key_Z, CTRL))
    assert "bent_bar" not in window.document.model.elements


def blocks():
    """A box above a table, neither held; nothing of them is a round number apart."""
    table = impeto.Body(name="table", shapes=(impeto.Box(size=(0.4, 0.4, 0.1034)),))
    box = impeto.Body(name="box", position=(0.0137, 0, 0.2511), orientation=(0, "7.3 deg", 0),
                      shapes=(impeto.Box(size=(0.1, 0.1, 0.1)),))  # fmt: skip
    return impeto.Model("blocks", [table, box])


def test_a_handle_is_caught_where_directions_and_faces_come_level(window, hand):
    open_model(window, blocks())
    window.stage.set_view("front")
    window.document.select("box")
    hand.settle()
    hand.click(window.stage_panel.handles)
    stage = window.stage
    at, _ = stage.body_place("box")
    ring = 0.1 * stage.reach * np.array([np.sin(0.6), 0.0, np.cos(0.6)])
    back = np.radians(-6.5)  # not far enough
    turned = np.array(
        [[np.cos(back), 0, np.sin(back)], [0, 1, 0], [-np.sin(back), 0, np.cos(back)]]
    )
    assert stage.handles.at(pixel(stage, at + ring)) == _handle()
    drag(hand, stage, pixel(stage, at + ring), pixel(stage, at + turned @ ring))
    _, rotation = stage.written_place("box")
    np.testing.assert_allclose(rotation, np.eye(3), atol=1e-8)
    arm = 0.12 * stage.reach * np.array([0, 0, 1.0])
    drag(hand, stage, pixel(stage, at + arm), pixel(stage, at + arm - (0, 0, 0.1475)))
    origin, _ = stage.written_place("box")
    assert origin[2] == pytest.approx(0.0517 + 0.05, abs=1e-8)  # it stands on the table


def test_what_catches_is_that_two_faces_are_level_or_two_middles():
    model = blocks()
    own, others = (impeto.features(model, name) for name in ("box", "table"))
    up = np.array([0, 0, 1.0])
    np.testing.assert_allclose(along(own, others, up).values, [-0.2511], atol=2e-9)  # it leans
    straight = with_poses(model, {"box": (np.array([0, 0, 0.25]), np.eye(3))}, None)
    caught = along(impeto.features(straight, "box"), others, up)
    expected = sorted([-0.25, *(t - o for o in (0.2, 0.3) for t in (-0.0517, 0.0517))])
    np.testing.assert_allclose(caught.values, expected, atol=2e-9)
    value, words = caught.near(-0.1482, 1e-3)
    assert (round(value, 9), words) == (-0.1483, "face, table")
    assert caught.near(-0.14, 1e-3) is None


def test_a_view_that_was_turned_by_keys_stays_while_the_model_is_edited(window, hand, stage):
    stage.setFocus()
    hand.qtbot.keyClick(stage, Qt.Key.Key_Left)
    before = stage.stance()
    assert before
    far = impeto.Body(name="far", position=(9, 0, 0), shapes=(impeto.Box(),))
    window.document.edit("new body", window.document.model.with_element(far))
    hand.settle()
    assert stage.stance() == before
