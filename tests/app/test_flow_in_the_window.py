"""Feeders and outlets by clicks and keys: added, run, seen on the Stage, counted."""

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QAbstractButton, QComboBox, QLabel

import impeto
from impeto.app import describe
from impeto.app.clearance_dialog import ClearanceDialog
from impeto.core.model.scope import Scope
from impeto.services import model_file
from tests.app.test_engine_in_the_window import open_model
from tests.core.test_flow import DROP, FALL, falling

CTRL = Qt.KeyboardModifier.ControlModifier


def dropping():
    settings = impeto.RunSettings(until="1.5 s", outputs="100 Hz")
    return impeto.Model("dropping", falling(interval=0.3), settings=settings)


def solve(window, hand, qtbot):
    hand.keys((Qt.Key.Key_R, CTRL))
    qtbot.waitUntil(lambda: bool(window.document.runs))


def command(window, title):
    window.commands.named(title).action()


def seen(stage):
    """Names of the bodies whose solids are to be seen, and how solid they are."""
    return {
        name: round(actors[0].GetProperty().GetOpacity(), 2)
        for name, actors in stage.scene.actors.items()
        if actors and actors[0].GetVisibility()
    }


def test_copies_are_on_the_stage_while_they_are_there(window, hand, qtbot):
    open_model(window, dropping())
    assert seen(window.stage) == {"ball": 1.0}
    solve(window, hand, qtbot)
    window.document.set_instant(0.45)
    assert seen(window.stage) == {"ball": 0.25, "ball_1": 1.0, "ball_2": 1.0}
    matrix = window.stage.scene.matrices["ball_1"]
    fallen = 0.5 * 9.81 * 0.45**2
    assert matrix.GetElement(2, 3) == pytest.approx(DROP - fallen, abs=1e-6)
    window.document.set_instant(FALL + 0.31)  # the first two have been taken away
    assert seen(window.stage) == {"ball": 0.25, "ball_3": 1.0}
    window.document.edit("shorter", window.document.model.changed(name="dropping again"))
    window.document.runs.clear()
    window.document.runs_changed.emit()
    assert window.document.run is None
    assert seen(window.stage) == {"ball": 1.0}


def test_a_click_on_a_copy_or_a_badge_selects_what_it_comes_from(window, hand, qtbot):
    open_model(window, dropping())
    solve(window, hand, qtbot)
    window.document.set_instant(0.45)
    stage = window.stage
    stage.grab()
    place = stage.scene.matrices["ball_1"]
    point = np.array([[place.GetElement(k, 3) for k in range(3)]])
    x, y = stage.to_screen(point)[0]
    hand.click(stage, QPoint(round(x), round(y)))
    assert window.document.selected == "ball"
    hand.click(stage, stage.flow_badges["bin"].toPoint())
    assert window.document.selected == "bin"
    hand.click(stage, stage.flow_badges["feed"].toPoint())
    assert window.document.selected == "feed"


def test_badges_write_what_has_been_counted_until_now(window, hand, qtbot):
    """The picture beside a badge changes with the count and with nothing else."""
    open_model(window, dropping())
    solve(window, hand, qtbot)

    def beside(time):
        window.document.set_instant(time)
        picture = window.stage.grab().toImage()
        spot = window.stage.flow_badges["bin"].toPoint() + QPoint(14, -9)
        return picture.copy(spot.x(), spot.y(), 20, 18)

    one, still_one, two = (beside(FALL + later) for later in (0.05, 0.2, 0.35))
    assert one == still_one
    assert one != two


def test_a_feeder_and_an_outlet_are_added_by_command_and_undone(window, hand, qtbot):
    open_model(window, impeto.Model("empty", falling()[:2]))
    before = window.document.model
    window.document.select("ball")
    command(window, "Add a feeder")
    assert window.document.selected == "feeder"
    assert window.document.model["feeder"].body == "ball"
    command(window, "Add an outlet")
    assert "A frame is needed first" in window.toast.text()
    command(window, "Add a frame")
    command(window, "Add an outlet")
    assert window.document.model["outlet"].frame == "frame"
    hand.settle()
    hand.type_into("Size x", "30 cm")
    assert str(window.document.model["outlet"].size[0]) == "30 cm"
    for _ in range(4):
        hand.keys((Qt.Key.Key_Z, CTRL))
    assert window.document.model == before


def test_the_roster_says_how_many_how_often_and_what_is_taken():
    model = impeto.Model("m", [
        *falling(), impeto.Outlet(name="gate", frame="bin_at", effect="only counts",
                                  takes=("ball",)),
        impeto.Feeder(name="more", body="ball", pace="by events", number=2),
    ])  # fmt: skip
    scope = Scope(model)
    lines = {name: describe.values_line(model[name], scope) for name in ("feed", "more", "gate")}
    assert lines["feed"].replace("\u2009", " ") == "3 ball, every 0.25 s"
    assert lines["more"] == "2 ball, by events"
    assert lines["gate"] == "counts ball"
    assert describe.values_line(model["bin"], scope) == "takes away whatever comes"


def test_the_log_sorter_sorts(window, hand, qtbot):
    """The demo as a new user sees it: run, the counts are on the first chart, sorted right."""
    open_model(window, model_file.load_demo("log_sorter"))
    hand.type_into("End time", "5 s")
    solve(window, hand, qtbot)
    recording = window.document.run.recording
    assert not recording.stopped
    window.show_desk("Watch")
    assert window.watch.charts[0].channels == [
        "thick_gate.count", "thick_stack.count", "thin_stack.count",
    ]  # fmt: skip
    taken = {name: {mark.text for mark in recording.marks if mark.element == name}
             for name in ("thick_stack", "thin_stack")}  # fmt: skip
    assert taken["thick_stack"]
    assert taken["thin_stack"]
    assert all("thick_log" in text for text in taken["thick_stack"])
    assert all("thin_log" in text for text in taken["thin_stack"])
    assert recording["kicker_pivot.turn_z.position"].max() > 0.6


def test_pairs_of_what_is_fed_are_drawn_before_a_run(window, hand):
    open_model(window, model_file.load_demo("log_sorter"))
    hand.pick_row("log_on_log")
    window.stage.grab()
    texts = " ".join(label.text() for label in window.sheet.findChildren(QLabel))
    assert "3 pairs" in texts
    assert "thin_log – thick_log" in texts


def test_clearance_is_asked_of_copies_after_a_run(window, hand, qtbot):
    """The body that is fed is not in the run; its copies are offered in its place."""
    post = impeto.Body(name="post", position=(0.2, 0, 1), shapes=(impeto.Sphere(),))
    hold = [impeto.Frame(name="seat", position=(0.2, 0, 1)), impeto.Frame(name="foot", body="post"),
            impeto.Joint(name="mount", frame_a="seat", frame_b="foot", free=())]  # fmt: skip
    open_model(window, impeto.Model("m", [*falling(), post, *hold],
                                    settings=impeto.RunSettings(until="0.8 s")))  # fmt: skip
    solve(window, hand, qtbot)
    hand.keys((Qt.Key.Key_D, CTRL))
    dialog = window.findChild(ClearanceDialog)
    first, second = (dialog.findChildren(QComboBox)[k] for k in (0, 1))
    offered = [first.itemText(k) for k in range(first.count())]
    assert offered == ["post", "ball_1", "ball_2", "ball_3"]
    dialog.chosen[:] = ["ball_1", "post"]
    assert second.count() == 4
    with qtbot.waitSignal(dialog.found):
        hand.click(next(b for b in dialog.findChildren(QAbstractButton)
                        if b.accessibleName() == "Find the clearance"))  # fmt: skip
    assert "as near as 100" in dialog.about.text()
    passing = np.sqrt(2 * (DROP - 1) / 9.81)
    assert window.document.instant == pytest.approx(passing, abs=2e-3)
