"""Gauges put in by hand and formulas typed as channels; the picture of a run while it goes on."""

import numpy as np
import pytest
from PyQt6.QtCore import QPoint
from PyQt6.QtWidgets import QLabel

from impeto.core.elements import Gauge
from impeto.services import model_file
from tests.app.test_by_hand import ALT, CTRL, SHIFT, Counted, Key


@pytest.fixture
def hands(window, qtbot):
    window.show_desk("Build")
    return Counted(qtbot, window)


def texts(widget):
    return [label.text() for label in widget.findChildren(QLabel) if label.isVisible()]


def find(window, qtbot, text):
    """Type into the search for channels and press Enter."""
    search = window.watch.table.search
    search.setFocus()
    qtbot.keyClicks(search, text)
    qtbot.keyClick(search, Key.Key_Return)


def test_what_was_measured_is_kept_as_a_gauge_and_read_from_the_run(solved, hands, qtbot):
    window = solved
    window.show_desk("Build")
    hands.chord(Key.Key_M, CTRL | SHIFT)
    hands.typed("shaft")
    hands.typed("frame_eye")
    assert window.toast.text().endswith("Ctrl+Alt+K keeps it as a gauge.")
    hands.chord(Key.Key_K, CTRL | ALT)
    assert hands.count == 4
    (gauge,) = window.document.model.of(Gauge)
    recording = window.document.runs[0].recording
    apart = [recording[f"frame_eye.position.{k}"] - recording[f"shaft.position.{k}"] for k in "xyz"]
    name = f"{gauge.name}.value"
    assert recording[name] == pytest.approx(np.linalg.norm(apart, axis=0), abs=1e-9)
    window.document.show_run("Base", True)  # a gesture has put the runs away
    window.show_desk("Watch")
    find(window, qtbot, name)
    assert name in window.watch.table.channels
    window.undo()
    assert not window.document.runs[0].recording.has(name)


def test_what_was_measured_of_another_model_is_not_kept(window, hands):
    hands.chord(Key.Key_M, CTRL | SHIFT)
    hands.typed("shaft")
    hands.typed("frame_eye")
    window.document.open(model_file.load_demo("winch_gears"), None)
    before = window.document.model
    window.stage_panel.hand.keep_measured()
    assert window.document.model is before
    assert "is not there any more. Measure again." in window.toast.text()


def test_a_formula_is_a_curve_and_a_wrong_one_says_why(solved, qtbot):
    find(solved, qtbot, "rate(saw_frame.position.z)")
    chart = solved.watch.active
    assert "rate(saw_frame.position.z)" in chart.channels
    drawn = chart.curves[-1]
    r = solved.document.run.recording
    wanted = r["saw_frame.velocity.z"]
    assert drawn.run.recording[drawn.name][2:-2] == pytest.approx(
        wanted[2:-2], abs=0.01 * np.abs(wanted).max()
    )
    search = solved.watch.table.search
    qtbot.keyClicks(search, "saw_frame.position.z + 3 N")
    assert "mixes a length and a force" in solved.watch.table.found.item(0).text()
    search.clear()


def test_a_formula_with_a_comparison_is_shown_as_it_is_written(solved, qtbot):
    find(solved, qtbot, "saw_frame.position.z > 1 m")
    assert "saw_frame.position.z &gt; 1 m" in solved.watch.active.legend.text()


def test_stage_and_charts_follow_a_run_while_it_goes_on(window, hand, qtbot):
    hand.type_into("End time", "1000 s")
    hand.click(window.strip.run)
    qtbot.waitUntil(lambda: window.document.growing is not None)
    assert window.desk == "Watch"
    first = window.document.growing.recording
    assert window.document.instant == pytest.approx(first.time[-1])
    assert window.watch.charts[0].curves
    qtbot.waitUntil(lambda: window.document.growing.recording is not first)
    later = window.document.growing.recording
    assert later.time[-1] > first.time[-1]
    assert window.document.instant == pytest.approx(later.time[-1])
    view = window.watch.charts[0].plot.getPlotItem().vb
    qtbot.waitUntil(lambda: view.viewRange()[0][1] > 0.9 * later.time[-1])
    window.document.set_instant(0.5)  # what is solved so far can be looked at
    qtbot.waitUntil(lambda: window.document.growing.recording is not later)
    assert window.document.instant == 0.5
    hand.click(window.strip.run)
    qtbot.waitUntil(lambda: window.job is None)
    assert window.document.growing is None
    assert window.document.instant == 0.5  # it was looked at; the newest would go back to the start
    (run,) = window.document.runs
    assert run.name == "Base"
    assert run.recording["crank_drive.torque"][: len(first.time)] == pytest.approx(
        first["crank_drive.torque"]
    )


def test_a_gauge_can_be_clicked_on_the_stage_and_switched_off(solved, hand, qtbot):
    window = solved
    gauge = Gauge(name="reach", frame_a="shaft", frame_b="frame_eye")
    window.document.edit("gauge", window.document.model.with_element(gauge))
    assert window.document.run.recording.has("reach.value")
    hand.pick_row("reach")
    assert window.document.selected == "reach"
    window.show_desk("Build")
    switch = hand.find("On")
    hand.click(switch, QPoint(8, switch.height() // 2))
    assert not window.document.model["reach"].enabled
    assert "switched off" in window.document.run.recording.complaint("reach.value")


def test_the_formula_of_a_gauge_is_typed_in_the_sheet_and_a_wrong_one_is_told(solved, hand):
    window = solved
    gauge = Gauge(name="mean", quantity="formula", formula="average(crank_drive.power, 0.1 s)")
    window.document.edit("gauge", window.document.model.with_element(gauge))
    window.show_desk("Build")
    hand.pick_row("mean")
    assert "Last run, Base" in texts(window.sheet)
    hand.type_into("Formula", "2*crank_drive.power + 1 N")
    assert any("mixes" in text for text in texts(window.sheet))
    hand.type_into("Formula", "2*crank_drive.power")
    r = window.document.run.recording
    assert r["mean.value"] == pytest.approx(2.0 * r["crank_drive.power"])


def test_what_is_solved_of_another_model_is_not_shown(window, hand, qtbot):
    hand.type_into("End time", "1000 s")
    hand.click(window.strip.run)
    qtbot.waitUntil(lambda: window.document.growing is not None)
    other = model_file.load_demo("winch_gears")
    window.document.open(other, None)
    assert window.document.growing is None
    for _ in range(20):
        window.running._look()
        qtbot.wait(20)
    assert window.document.growing is None
    assert window.document.runs == []
    window.stop()
    qtbot.waitUntil(lambda: window.job is None)
    assert window.document.runs == []
