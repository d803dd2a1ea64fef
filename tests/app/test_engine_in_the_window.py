"""What the engine can do, by clicks and keys: mends, events on the Deck, tables, poses, modes."""

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtWidgets import QFileDialog, QLabel, QPushButton

import impeto
from impeto.app import running
from impeto.app.deck.deck import TimeLine
from impeto.app.deck.flag_list import FlagList
from impeto.app.deck.flags import PEAKS
from impeto.app.linear_dialog import LinearDialog
from impeto.core.dynamics.names import EVENTS, STOPS
from impeto.core.model import units
from impeto.services import model_file

CTRL = Qt.KeyboardModifier.ControlModifier
SHIFT = Qt.KeyboardModifier.ShiftModifier


def link_of(card, text):
    """Target of the first link on the Health card whose text begins so."""
    before, found, _ = card.text.text().partition(f">[{text}")
    assert found, card.text.text()
    return before.rsplit('href="', 1)[1].split('"')[0]


def open_model(window, model):
    window.document.open(model, None)
    window.show_opened()


def test_a_click_on_a_mend_applies_it_and_undo_takes_it_back(window, hand, qtbot):
    qtbot.waitUntil(lambda: "held by other joints too" in window.health.text.text())
    before = window.document.model
    window.health.text.linkActivated.emit(link_of(window.health, "Free "))
    assert "slide x" in window.document.model["guide_right"].free
    qtbot.waitUntil(lambda: "Nothing redundant" in window.health.text.text())
    hand.keys((Qt.Key.Key_Z, CTRL))
    assert window.document.model == before


def bouncing():
    stops = impeto.Stops(freedom="slide z", lower="0 m", stiffness="100 kN/m", restitution=0.5)
    return impeto.Model("drop", [
        impeto.Gravity(name="gravity"),
        impeto.Body(name="block", position=(0, 0, 0.5), shapes=(impeto.Box(),)),
        impeto.Frame(name="floor"), impeto.Frame(name="foot", body="block"),
        impeto.Joint(name="guide", frame_a="floor", frame_b="foot", free=("slide z",),
                     behaviours=(stops,)),
        impeto.Event(name="half", time="0.25 s"),
    ], settings=impeto.RunSettings(until="0.6 s"))  # fmt: skip


def test_events_and_impacts_fly_flags_on_the_deck_and_a_click_jumps_there(window, hand, qtbot):
    open_model(window, bouncing())
    hand.keys((Qt.Key.Key_R, CTRL))
    qtbot.waitUntil(lambda: bool(window.document.runs))
    line = window.deck.findChild(TimeLine)
    happened = [mark for mark in line.marks if mark.kind != PEAKS]
    assert [(mark.element, mark.kind) for mark in happened][:2] == [
        ("half", EVENTS), ("guide", STOPS),
    ]  # fmt: skip
    impact = happened[1]
    assert impact.time == pytest.approx(np.sqrt(2 * 0.5 / 9.80665), abs=1e-9)
    hand.click(line, QPoint(round(line.x_of(impact.time)) + 2, 8))
    assert window.document.instant == pytest.approx(impact.time)
    assert line.mark_near(QPointF(line.x_of(0.25) + 1, 8).x()).element == "half"


def test_flags_are_listed_by_kind_hidden_and_a_row_goes_there(window, hand, qtbot):
    open_model(window, bouncing())
    hand.keys((Qt.Key.Key_R, CTRL))
    qtbot.waitUntil(lambda: bool(window.document.runs))
    chart = window.watch.charts[0]
    for name in list(chart.channels):
        chart.remove(name)
    chart.add("block.velocity.z")
    r = window.document.run.recording
    fastest = np.argmax(np.abs(r["block.velocity.z"]))
    peak = next(mark for mark in window.deck.line.marks if mark.element == "block.velocity.z")
    assert (peak.kind, peak.time) == (PEAKS, r.time[fastest])
    assert units.shown(r["block.velocity.z"][fastest], "speed") in peak.text
    hand.click(window.deck.list_flags)
    listed = next(d for d in window.findChildren(FlagList) if d.isVisible())
    kinds = [listed.table.item(row, 1).text() for row in range(listed.table.rowCount())]
    assert set(kinds) == {EVENTS, STOPS, PEAKS}
    hand.click(listed.table.viewport(), listed.table.visualItemRect(
        listed.table.item(kinds.index(EVENTS), 0)).center())  # fmt: skip
    assert window.document.instant == pytest.approx(0.25)
    for kind in (PEAKS, STOPS):
        hand.click(next(c for c in listed.findChildren(QPushButton)
                        if c.isVisible() and c.text().startswith(kind)))  # fmt: skip
    assert [mark.kind for mark in window.deck.line.marks] == [EVENTS]
    assert listed.table.rowCount() == 1


def test_the_run_strip_says_in_words_how_far_the_run_can_be_trusted(window, hand, qtbot):
    open_model(window, bouncing())
    hand.keys((Qt.Key.Key_R, CTRL))
    qtbot.waitUntil(lambda: bool(window.document.runs))
    assert "●" in window.strip.quality.text()
    told = window.strip.quality.toolTip()
    for words in ("Energy balance", "Joints stay together", "Smooth integrator", "switchings"):
        assert words in told


def test_a_csv_of_time_histories_drives_the_loads_of_its_columns(
    window, hand, qtbot, tmp_path, monkeypatch
):
    path = tmp_path / "bench run.csv"
    path.write_text("time [s];push [N];other [mm]\n0;0;1\n0,5;10;2\n1;-10;3\n")
    base = bouncing()
    model = base.with_element(impeto.Load(name="push", frame="foot", value=0.0))
    open_model(window, model)
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a: (str(path), ""))
    hand.keys((Qt.Key.Key_I, CTRL))
    qtbot.waitUntil(lambda: "bench_run" in window.document.model.elements)
    load = window.document.model["push"]
    assert isinstance(load.value, impeto.Table)
    assert (load.value.dataset, load.value.column) == ("bench_run", "push")
    hand.keys((Qt.Key.Key_R, CTRL))
    qtbot.waitUntil(lambda: bool(window.document.runs))
    recording = window.document.run.recording
    assert np.interp(0.25, recording.time, recording["push.value"]) == pytest.approx(5.0)


def test_a_bad_table_is_refused_with_its_line_and_changes_nothing(window, qtbot, tmp_path):
    path = tmp_path / "bad.csv"
    path.write_text("time [s],push [N]\n0,1\n1,two\n")
    before = window.document.model
    said = []
    window.document.complained.connect(said.append)
    window.files.import_csv(path)
    qtbot.waitUntil(lambda: bool(said))
    assert "line 3: 'two' is not a number" in said[0]
    assert window.document.model is before


def test_an_instant_is_kept_as_a_pose_and_a_case_starts_from_it(solved, hand):
    solved.document.set_instant(0.25)
    hand.keys((Qt.Key.Key_P, CTRL))
    assert solved.document.selected == "pose"
    kept = solved.document.model["pose"].bodies
    r = solved.document.run.recording
    there = {state.body: state for state in kept}["saw_frame"]
    index = int(np.argmin(np.abs(r.time - 0.25)))
    assert there.position[2].si == pytest.approx(r["saw_frame.position.z"][index])
    solved.document.edit_case(pose="pose")
    again = impeto.simulate(solved.document.model, solved.document.case, until=0.01)
    assert again["saw_frame.position.z"][0] == pytest.approx(r["saw_frame.position.z"][index])


def test_modes_are_listed_and_swing_on_the_stage_and_the_response_is_drawn(window, hand, qtbot):
    open_model(window, model_file.load_demo("scale_platform"))
    qtbot.waitUntil(lambda: window.preparation.done)
    still = window.stage.body_place("platform")[0].copy()
    hand.keys((Qt.Key.Key_M, CTRL))
    dialog = window.findChild(LinearDialog)
    qtbot.waitUntil(lambda: dialog.table.rowCount() == 6)
    frequencies = [mode.frequency for mode in dialog.view.modes]
    assert dialog.table.item(0, 1).text().startswith(f"{frequencies[0]:.4f}")
    qtbot.waitUntil(lambda: np.abs(window.stage.body_place("platform")[0] - still).max() > 1e-4)
    load = impeto.Load(name="shake", frame="corner_1", value=0.0)
    window.document.edit("load", window.document.model.with_element(load))
    assert dialog.table.rowCount() == 0  # the old modes are not those of the new model
    dialog.source.setCurrentText("shake")
    dialog.channel.setText("platform.position.z")
    hand.click(dialog.draw)
    qtbot.waitUntil(lambda: "Largest at" in dialog.about.text())
    dialog.channel.setText("nonsense.x")
    hand.click(dialog.draw)
    qtbot.waitUntil(lambda: "no channel 'nonsense.x'" in dialog.about.text())
    dialog.close()
    np.testing.assert_allclose(window.stage.body_place("platform")[0], still)


def test_all_cases_run_at_once_and_lie_over_each_other(window, hand, qtbot):
    window.document.edit("short", window.document.model.changed(
        settings=impeto.RunSettings(until="0.2 s")))  # fmt: skip
    told = []
    window.running.advanced.connect(told.append)
    hand.keys((Qt.Key.Key_R, CTRL | SHIFT))
    qtbot.waitUntil(window.strip.cases.isVisible)
    assert set(window.strip.cases.strips) == set(window.document.model.cases)
    qtbot.waitUntil(lambda: len(window.document.runs) == 4)
    qtbot.waitUntil(lambda: window.job is None)
    assert not window.strip.cases.isVisible()
    shares = np.array([[shares[case] for case in window.document.model.cases] for shares in told])
    assert (np.diff(shares, axis=0) >= 0.0).all()
    assert (shares[-1] > 0.9).all()
    assert {run.recording.case for run in window.document.runs} == set(window.document.model.cases)
    assert len(window.document.shown_runs) == 4


def test_settling_is_shown_on_the_stage_and_told(window, hand, qtbot, monkeypatch):
    monkeypatch.setattr(running, "LOOK_EVERY", 1)
    floor = impeto.Body(name="ground", shapes=(impeto.HalfSpace(),))
    logs = [
        impeto.Body(name=f"log_{k}", position=(0.05 * (k % 2), 0, 0.2 + 0.22 * k), shapes=(
            impeto.Cylinder(radius=0.1, length=1.0, orientation=("90 deg", 0, 0)),))
        for k in range(8)
    ]  # fmt: skip
    walls = [impeto.Body(name="ground", shapes=(
        *floor.shapes, impeto.Box(position=(-0.35, 0, 1), size=(0.1, 2, 2)),
        impeto.Box(position=(0.35, 0, 1), size=(0.1, 2, 2)),
    ))]  # fmt: skip
    model = impeto.Model("stack", [
        impeto.Gravity(name="gravity"), *walls, *logs, impeto.ContactRule(name="touch"),
    ], settings=impeto.RunSettings(until="0.05 s", settle=True))  # fmt: skip
    open_model(window, model)
    places, told = [], []
    window.document.previewed.connect(places.append)
    window.running.settled.connect(lambda _share: told.append(window.strip.quality.text()))
    hand.keys((Qt.Key.Key_R, CTRL))
    qtbot.waitUntil(lambda: bool(window.document.runs))
    assert told
    assert all("of the forces are not balanced yet" in text for text in told)
    assert places[-1] is None, "bodies are where they are again"
    drawn = model["log_7"].position[2].si
    shown = [now["log_7"][0][2] for now in places if now is not None]
    assert shown[-1] < drawn
    start = window.document.runs[0].recording["log_7.position.z"][0]
    assert start <= shown[-1] + 0.05


def test_a_click_on_a_spring_selects_it_and_a_curve_is_typed_into_its_sheet(window, hand):
    open_model(window, model_file.load_demo("scale_platform"))
    stage = window.stage
    ends = np.vstack([stage.frame_place(name)[0] for name in ("foot_2", "corner_2")])
    middle = stage.to_screen(ends).mean(axis=0)
    hand.click(stage, QPoint(*map(int, middle)))
    assert window.document.selected == "spring_2"
    hand.type_into("Curve", "0 mm: 0 N; 50 mm: 1 kN")
    assert str(window.document.model["spring_2"].curve) == "0 mm: 0 N; 50 mm: 1 kN"
    hand.type_into("Curve", "0 mm: 0 N; 50 kg: 1 kN")
    assert str(window.document.model["spring_2"].curve) == "0 mm: 0 N; 50 mm: 1 kN"


def test_the_sheet_of_a_drive_shows_its_torque_over_speed_and_its_limit(window, hand):
    curve = "0 rpm: 30 kN*m; 400 rpm: 1 kN*m"
    hand.pick_row("crank_drive")
    hand.type_into("Limit curve", curve)
    hand.run("0.3 s")
    window.show_desk("Build")
    window.document.select("crank_drive")
    hand.settle()
    texts = [label.text() for label in window.sheet.findChildren(QLabel)]
    assert "Torque over speed" in texts
    assert any("its limit" in text for text in texts)
