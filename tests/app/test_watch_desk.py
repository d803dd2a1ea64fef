"""The Watch desk: run, play, charts, overlay of runs, export."""

import csv
import dataclasses

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QDropEvent
from PyQt6.QtWidgets import QComboBox, QLabel, QPushButton

import impeto
from impeto.app.deck.dragging import channel_data
from impeto.app.jobs import Job
from impeto.core.model import units
from tests.core.building import DOWN, body, frame, joint

CTRL = Qt.KeyboardModifier.ControlModifier
PLAIN = Qt.KeyboardModifier.NoModifier


def drop(chart, name):
    """Drop a channel on a chart as a drag would."""
    data = channel_data(name)
    event = QDropEvent(
        QPointF(50, 50), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, PLAIN
    )
    chart.dropEvent(event)


def test_a_run_ends_on_the_watch_desk_with_charts_and_quality(solved):
    assert solved.desk == "Watch"
    assert solved.watch.charts[0].channels == ["crank_drive.torque"]
    assert "energy" in solved.strip.quality.text()
    assert "real time" in solved.strip.quality.text()
    assert solved.document.run.recording.time[-1] == pytest.approx(0.4)


def test_the_window_keeps_answering_while_a_run_goes_on_and_stop_keeps_what_is_solved(window, hand):
    hand.type_into("End time", "400 s")
    hand.click(window.strip.run)
    assert window.strip.run.text() == "Stop"
    hand.qtbot.waitUntil(lambda: "left" in window.strip.quality.text())
    hand.pick_row("rod")  # the main thread answers
    assert window.document.selected == "rod"
    hand.click(window.strip.run)
    hand.qtbot.waitUntil(lambda: window.job is None)
    assert window.strip.run.text() == "Run"
    assert "Cancelled" in window.toast.text()
    assert 0 < window.document.run.recording.time[-1] < 400


def test_a_run_that_cannot_start_says_why_and_keeps_the_model(window, hand):
    hand.pick_row("rod")
    hand.type_into("Mass", "0 kg")
    hand.click(window.strip.run)
    hand.qtbot.waitUntil(lambda: window.job is None)
    assert window.toast.text().startswith("rod, mass: it has no mass")
    assert window.document.runs == []


def test_an_end_time_of_zero_is_refused_with_a_reason(window, hand):
    hand.type_into("End time", "0 s")
    assert "greater than zero" in window.toast.text()
    assert str(window.document.model.settings.until) == "8 s"


def test_scrubbing_moves_bodies_cursor_and_clock_together(solved, hand):
    line = solved.deck.line
    before = solved.stage.frame_place("cut")[0][2]
    hand.click(line, QPoint(int(line.x_of(0.1)), 17))
    assert solved.document.instant == pytest.approx(0.1, abs=0.002)
    assert solved.deck.clock.text() == f"{solved.document.instant:.3f} s"
    after = solved.stage.frame_place("cut")[0][2]
    r = solved.document.run.recording
    expected = np.interp(solved.document.instant, r.time, r["cut.position.z"])
    assert after == pytest.approx(expected, abs=1e-4)
    assert after != pytest.approx(before, abs=1e-3)


def test_playing_moves_on_and_pausing_and_stepping_stop_at_stored_instants(solved, hand):
    hand.keys((Qt.Key.Key_Space, PLAIN))
    assert solved.deck.playing
    hand.qtbot.waitUntil(lambda: solved.document.instant > 0.005)
    hand.keys((Qt.Key.Key_Space, PLAIN))
    assert not solved.deck.playing
    hand.keys((Qt.Key.Key_Period, PLAIN))
    r = solved.document.run.recording
    assert np.abs(r.time - solved.document.instant).min() < 1e-12


def test_playback_speed_and_loop(solved, hand):
    speed = hand.find("Speed of playback", QComboBox)
    assert [speed.itemText(0), speed.itemText(speed.count() - 1)] == ["1/100 ×", "4 ×"]
    speed.setCurrentText("4 ×")
    solved.document.set_instant(0.39)
    solved.deck.toggle()
    hand.qtbot.waitUntil(lambda: solved.document.instant < 0.3)  # came round
    solved.deck.loop.setChecked(False)
    hand.qtbot.waitUntil(lambda: not solved.deck.playing)
    assert solved.document.instant == pytest.approx(0.4)


def test_a_channel_is_found_by_words_and_taken_with_enter(solved, hand):
    hand.keys((Qt.Key.Key_L, CTRL))
    search = solved.watch.table.search
    hand.qtbot.keyClicks(search, "saw_frame velocity z")
    assert solved.watch.table.found.item(0).text() == "saw_frame.velocity.z"
    hand.qtbot.keyClick(search, Qt.Key.Key_Return)
    assert "saw_frame.velocity.z" in solved.watch.charts[0].channels


def test_a_channel_dropped_on_a_chart_is_drawn_on_a_second_axis_with_its_figures(solved):
    chart = solved.watch.charts[0]
    drop(chart, "crank_pin.force")
    assert chart.channels == ["crank_drive.torque", "crank_pin.force"]
    assert chart.plot.getAxis("right").isVisible()
    table = solved.watch.table.table
    rows = {table.item(row, 0).text(): row for row in range(table.rowCount())}
    r = solved.document.run.recording
    peak = table.item(rows["crank_pin.force"], 4)
    assert float(peak.toolTip().split()[0]) == pytest.approx(r["crank_pin.force"].max())
    mean = float(table.item(rows["crank_pin.force"], 5).toolTip().split()[0])
    assert mean == pytest.approx(np.trapezoid(r["crank_pin.force"], r.time) / 0.4)


def test_the_legend_shows_the_value_at_the_cursor(solved):
    solved.document.set_instant(0.2)
    r = solved.document.run.recording
    value = np.interp(0.2, r.time, r["crank_drive.torque"]) / 1000
    assert f"<b>{units.digits(value)}</b>" in solved.watch.charts[0].legend.text()


def test_an_old_run_stays_and_is_laid_over_the_new_one(solved, hand):
    first = solved.document.run.recording
    hand.keys((Qt.Key.Key_1, CTRL))
    hand.pick_row("cutting_force")
    hand.type_into("Value", "20 kN")
    hand.run()
    assert [run.name for run in solved.document.runs] == ["Base", "Base 2"]
    chart = solved.watch.charts[0]
    assert {curve.run.name for curve in chart.curves} == {"Base 2"}
    chip = next(b for b in solved.watch.findChildren(QPushButton)
                if b.text() == "Base" and b.isVisible())  # fmt: skip
    hand.click(chip)
    assert {curve.run.name for curve in chart.curves} == {"Base", "Base 2"}
    dashes = {curve.dash for curve in chart.curves}
    assert len(dashes) == 2
    assert first.model["cutting_force"].value.text == "12 kN"  # the run kept its model


def test_cases_are_chosen_and_solved_by_name(window, hand):
    window.strip.case.setCurrentText("No counterweight")
    window.strip.case.textActivated.emit("No counterweight")
    hand.run()
    assert window.document.run.name == "No counterweight"
    assert "counterweight" not in window.document.run.recording.bodies


def test_arrow_and_path_are_drawn_where_they_belong(solved):
    plain = solved.stage.grab().toImage()
    solved.stage_panel.show_on_stage(solved.stage.vectors.joints, "crank_pin", True)
    solved.stage_panel.show_on_stage(solved.stage.paths, "big_end", True)
    assert solved.stage.grab().toImage() != plain
    solved.stage_panel.show_on_stage(solved.stage.vectors.joints, "crank_pin", False)
    solved.stage_panel.show_on_stage(solved.stage.paths, "big_end", False)


def test_csv_export_writes_the_charts_channels_in_si(solved, hand, tmp_path):
    path = tmp_path / "channels.csv"
    with hand.qtbot.waitSignal(solved.files.told):
        solved.files.export_csv(solved.watch.table.channels, path)
    rows = list(csv.reader(path.read_text().splitlines()))
    assert rows[0][:2] == ["time [s]", "crank_drive.torque [N*m]"]
    r = solved.document.run.recording
    np.testing.assert_allclose([float(row[1]) for row in rows[1:]], r["crank_drive.torque"])


def test_exporting_before_a_run_explains_itself(window, hand):
    hand.keys((Qt.Key.Key_E, CTRL))
    assert "run a case first" in window.toast.text()


def test_no_job_is_left_after_runs_and_checks(solved, hand):
    hand.run()
    hand.qtbot.waitUntil(lambda: not solved.findChildren(Job))
    assert solved.job is None
    assert solved.health.job is None


def test_charts_are_added_linked_in_time_and_removed(solved, hand):
    hand.keys((Qt.Key.Key_T, CTRL))
    assert len(solved.watch.charts) == 3
    solved.watch.charts[0].plot.setXRange(0.1, 0.2, padding=0)
    linked = solved.watch.charts[2].plot.viewRange()[0]
    assert linked == pytest.approx([0.1, 0.2], abs=1e-6)
    hand.click(solved.watch.charts[2].head.close)
    assert len(solved.watch.charts) == 2


def test_a_double_click_on_a_chart_shows_the_whole_time_again(solved, hand):
    chart = solved.watch.charts[0]
    chart.plot.setXRange(0.1, 0.15, padding=0)
    centre = chart.plot.viewport().rect().center()
    hand.qtbot.mouseClick(chart.plot.viewport(), Qt.MouseButton.LeftButton, pos=centre)
    hand.qtbot.mouseDClick(chart.plot.viewport(), Qt.MouseButton.LeftButton, pos=centre)
    hand.qtbot.waitUntil(lambda: chart.plot.viewRange()[0][1] > 0.35)
    assert chart.plot.viewRange()[0][0] < 0.01


def test_a_channel_is_taken_off_by_a_click_on_its_name(solved):
    chart = solved.watch.charts[0]
    chart.legend.linkActivated.emit("crank_drive.torque")
    assert chart.channels == []
    assert "Drop a channel here" in chart.legend.text()


def test_the_sheet_tells_the_peaks_of_the_last_run(solved, hand):
    hand.keys((Qt.Key.Key_1, CTRL))
    hand.pick_row("guide_right")
    texts = " ".join(w.text() for w in solved.sheet.findChildren(QLabel))
    r = solved.document.run.recording
    assert units.shown(float(r["guide_right.force"].max()), "force") in texts
    assert "depend on the idealisation" in texts


def test_space_presses_a_button_that_has_the_focus_and_plays_otherwise(solved, hand):
    chip = solved.stage_panel.frames
    chip.setFocus()
    hand.qtbot.keyClick(chip, Qt.Key.Key_Space)
    assert chip.isChecked()
    assert not solved.deck.playing
    solved.stage.setFocus()
    hand.qtbot.keyClick(solved.stage, Qt.Key.Key_Space)
    assert solved.deck.playing
    solved.deck.pause()


def test_charts_show_the_whole_run_where_there_is_no_drive_and_where_one_is_empty(window, hand):
    elements = [DOWN, body("bob", position=(0.5, 0, 0)), frame("hook"), frame("eye", "bob", -0.5),
                joint("pin", "hook", "eye", "turn y")]  # fmt: skip
    window.document.open(impeto.Model("m", elements), None)
    hand.type_into("End time", "3 s")
    hand.click(window.strip.run)
    hand.qtbot.waitUntil(lambda: window.job is None)
    hand.settle()
    assert window.watch.charts[0].channels == ["pin.force"]
    window.watch.charts[0].remove("pin.force")
    hand.settle()
    for chart in window.watch.charts:
        low, high = chart.plot.getPlotItem().vb.viewRange()[0]
        assert low <= 0.0
        assert 2.9 < high < 3.5
    window.document._saved = window.document.model


def test_a_channel_has_one_unit_for_all_runs_in_the_table(solved, hand):
    """A run of 20 N beside one of 20 kN would be read as the larger one."""
    run = solved.document.run
    small = dataclasses.replace(
        run.recording, multiplier=1e-3 * np.asarray(run.recording.multiplier)
    )
    solved.document.add_run(small)
    for shown in solved.document.runs:
        solved.document.show_run(shown.name, True)
    solved.watch.table.show_channels(["crank_pin.force"])
    hand.settle()
    table = solved.watch.table.table
    texts = [table.item(row, 2).text() for row in range(table.rowCount())]
    units_of = {text.rsplit(" ", 1)[1] for text in texts}
    assert len(texts) == 2
    assert len(units_of) == 1, texts
    solved.document._saved = solved.document.model


def test_the_table_shows_rows_and_names_however_little_room_there_is(solved, hand):
    table = solved.watch.table
    for _ in range(3):
        solved.watch.add_chart().add("rod.position.z")
    solved.resize(1280, 800)
    hand.qtbot.waitUntil(lambda: table.table.visualItemRect(table.table.item(1, 0)).bottom()
                         < table.table.viewport().height())  # fmt: skip
    wide = table.table.columnWidth(0)
    solved.show_desk("Compare")
    hand.settle()
    assert wide > table.table.columnWidth(0) >= 130
    assert table.table.horizontalScrollBar().maximum() > 0
