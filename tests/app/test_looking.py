"""Charts looked at otherwise: spectra, where a channel comes from, figures of what is shown."""

import re
from dataclasses import replace

import numpy as np
import pytest
from PyQt6.QtCore import QCoreApplication, QEvent, QPoint, QPointF, Qt
from PyQt6.QtGui import QMouseEvent

import impeto
from impeto.core.model import units
from impeto.core.model.looking import AMPLITUDES, DENSITY, PARTS, TIME
from impeto.core.results.poses import poses
from impeto.core.simulate import simulate


def choose(qtbot, box, text):
    """By keys: the list opens, its row is reached by its first letters."""
    box.setFocus()
    qtbot.keyClicks(box, text[:5])
    qtbot.keyClick(box, Qt.Key.Key_Return)
    if box.currentText() != text:
        box.setCurrentText(text)
    box.textActivated.emit(text)


def plain(chart):
    return re.sub("<[^>]*>", "", chart.legend.text()).replace("&nbsp;", " ")


def test_a_spectrum_names_its_largest_sine_and_stands_alone(watch, qtbot, hand):
    chart, other = watch.charts[0], watch.add_chart()
    other.add("crank.velocity.x")
    hand.settle()
    choose(qtbot, chart.chooser, AMPLITUDES)
    told = re.search(r"largest at ([\d.]+) Hz: ([\d.]+)", plain(chart))
    assert float(told[1]) == pytest.approx(280 / 60, rel=0.02)  # rpm of the saw
    assert float(told[2]) == pytest.approx(0.25, rel=0.02)  # m, the crank
    x = chart._drawn[0][0].getData()[0]
    assert x.max() == pytest.approx(250.0, rel=0.01)  # Hz, half the rate of outputs
    low, high = other.plot.getPlotItem().vb.viewRange()[0]
    assert high < 2.5, "the other chart still shows time"
    assert low > -0.1
    choose(qtbot, chart.chooser, DENSITY)
    spectrum = chart._drawn[0][0].getData()
    assert np.trapezoid(spectrum[1], spectrum[0]) > 0.0
    choose(qtbot, chart.chooser, TIME)
    assert "largest" not in plain(chart)
    assert chart.plot.getPlotItem().vb.viewRange()[0][1] < 2.5


def test_a_span_that_is_too_short_for_a_spectrum_is_told_on_the_chart(watch, qtbot, hand):
    chart = watch.charts[0]
    chart.plot.setXRange(0.1, 0.105, padding=0)
    hand.settle()
    choose(qtbot, chart.chooser, AMPLITUDES)
    assert "A spectrum needs 8 instants" in plain(chart)
    choose(qtbot, chart.chooser, TIME)
    assert "needs" not in plain(chart)


def test_where_a_reaction_comes_from_is_stacked_and_told_at_the_cursor(watch, window, qtbot, hand):
    chart = watch.charts[0]
    chart.remove("rod.position.z")
    chart.add("main_bearing.force")
    choose(qtbot, chart.chooser, PARTS)
    assert "is being worked out" in plain(chart)
    qtbot.waitUntil(lambda: chart.parts.layers is not None)
    layers = chart.parts.layers
    parts = sum(layer.values for layer in layers.layers)
    np.testing.assert_allclose(parts, layers.total, atol=1e-9 * np.abs(parts).max())
    for layer in layers.layers:
        np.testing.assert_allclose(layer.high - layer.low, layer.values, atol=1e-6)
    window.document.set_instant(0.3)
    shares = [int(s.replace("−", "-")) for s in re.findall(r"(−?\d+) %", plain(chart))]
    assert abs(sum(shares) - 100) <= len(shares)
    assert "inertia of counterweight" in plain(chart)
    assert "gravity" in plain(chart)
    assert len(chart._drawn) == 3 * len(layers.layers) + 1
    before = plain(chart)
    window.document.set_instant(0.35)
    assert plain(chart) != before
    window.switch_theme()
    window.switch_theme()
    assert len(chart._drawn) == 3 * len(layers.layers) + 1
    hand.run("1 s")  # the parts of the new run take the place of the old ones
    qtbot.waitUntil(lambda: chart.parts.layers is not None and chart.parts.layers is not layers)
    assert chart.parts.layers.time[-1] <= 1.0
    choose(qtbot, chart.chooser, TIME)
    assert len(chart._drawn) == 1
    assert not chart.plot.getPlotItem().items[1:]


def test_a_channel_without_parts_says_so_and_a_chart_can_go_while_it_is_worked_out(
    watch, qtbot, hand
):
    chart = watch.charts[0]
    choose(qtbot, chart.chooser, PARTS)
    qtbot.waitUntil(lambda: "has no parts" in plain(chart))
    other = watch.add_chart()
    other.add("main_bearing.force")
    choose(qtbot, other.chooser, PARTS)
    watch.remove_chart(other)
    assert watch.charts == [chart]


def test_figures_are_of_the_time_that_is_shown(watch, window, qtbot, hand):
    table = watch.table
    assert not table.told.isVisible()
    whole = table.table.item(0, 3).text()
    chart = watch.charts[0]
    chart.plot.setXRange(0.05, 0.09, padding=0)
    qtbot.waitUntil(table.told.isVisible)
    assert table.told.text() == "Figures from 0.05 to 0.09 s"
    run = window.document.run.recording
    within = (run.time >= 0.05) & (run.time <= 0.09)
    shown = float(table.table.item(0, 3).text())
    assert shown == pytest.approx(run["rod.position.z"][within].min(), rel=1e-3)
    assert table.table.item(0, 3).text() != whole
    chart.show_all()
    qtbot.waitUntil(lambda: not table.told.isVisible())
    assert table.table.item(0, 3).text() == whole


def test_a_further_figure_is_chosen(watch, qtbot, hand):
    table = watch.table
    assert table.table.horizontalHeaderItem(7).text() == "peak to peak"
    choose(qtbot, table.further, "time of max")
    assert table.table.horizontalHeaderItem(7).text() == "time of max"
    assert table.table.item(0, 7).text().endswith("s")
    watch.charts[0].add("crank.angular_velocity.y")  # even, but for rounding
    choose(qtbot, table.further, "period")
    assert float(table.table.item(0, 7).text().split()[0]) == pytest.approx(60 / 280, rel=1e-3)
    table.channels = ["crank.angular_velocity.y"]
    table.refresh()
    assert table.table.item(0, 7).text() == "–"
    assert "makes no sense" in table.table.item(0, 7).toolTip()


def test_the_ghost_is_the_other_shown_run_at_the_same_instant(window, qtbot, hand):
    hand.run("0.6 s")
    chip = window.stage_panel.ghost
    assert not chip.isVisible(), "there is one run only"
    slower = replace(window.document.model["crank_speed"], value="200 rpm")
    window.document.edit("slower", window.document.model.with_element(slower))
    hand.run("0.6 s")
    window.document.show_run("Base", True)
    hand.settle()
    assert chip.isVisible()
    assert chip.text() == "ghost: Base"
    hand.click(chip)
    stage = window.stage
    window.document.set_instant(0.31)
    for run, matrices in ((window.document.runs[1], stage.scene.matrices),
                          (window.document.runs[0], stage.ghost._matrices)):  # fmt: skip
        origins, _ = poses(run.recording, 0.31)
        matrix = matrices["rod"]
        at = [matrix.GetElement(k, 3) for k in range(3)]
        np.testing.assert_allclose(at, origins[run.recording.bodies["rod"]], atol=1e-9)
    spot = stage.to_screen(origins[[run.recording.bodies["rod"]]])[0].astype(int)
    assert stage.element_at(QPoint(*spot.tolist())) != "ghost", "only what is solid is picked"
    count = stage.scene.renderer.GetActors().GetNumberOfItems()
    hand.click(chip)
    assert stage.scene.renderer.GetActors().GetNumberOfItems() < count
    assert not stage.ghost._actors
    hand.click(chip)
    window.document.show_run("Base", False)
    assert not chip.isVisible()
    assert not stage.ghost._actors


def test_the_stage_stands_still_with_a_body_or_turns_with_it(watch, window, qtbot, hand):
    stage, document = window.stage, window.document
    document.set_instant(0.2)
    document.select("rod")
    eye = np.array([0.1, 0.2, 0.3])  # a point of the rod

    def on_screen(turned):
        origin, axes = stage.body_place("rod")
        point = origin + (axes @ eye if turned else 0.0)
        return stage.to_screen(point[None, :])[0]

    for key, turned in ((Qt.Key.Key_S, False), (Qt.Key.Key_T, True)):
        hand.keys((key, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier))
        before = on_screen(turned)
        for moment in (0.25, 0.31, 0.5):
            document.set_instant(moment)
            np.testing.assert_allclose(on_screen(turned), before, atol=1e-6)
    assert "turning with rod" in window.stage_panel.view.text()
    window.commands.do(window.commands.named("Follow nothing"))
    before = on_screen(True)
    document.set_instant(0.2)
    assert np.abs(on_screen(True) - before).max() > 1.0
    assert "rod" not in window.stage_panel.view.text()


def test_search_has_whole_words_first_and_vectors_in_one_go(solved, qtbot):
    table, chart = solved.watch.table, solved.watch.add_chart()
    qtbot.keyClicks(table.search, "rod velocity")
    found = [table.found.item(k).text() for k in range(table.found.count())]
    assert found[0] == "rod.velocity"
    assert found.index("rod.velocity.x, y, z") == found.index("rod.velocity.x") - 1
    assert found.index("rod.velocity.x") < found.index("rod.angular_velocity.x")
    table.found.setCurrentRow(found.index("rod.velocity.x, y, z"))
    qtbot.keyClick(table.search, Qt.Key.Key_Return)
    assert chart.channels == [f"rod.velocity.{k}" for k in "xyz"]
    qtbot.keyClicks(table.search, "rod velocity y")
    qtbot.keyClick(table.search, Qt.Key.Key_Return)
    assert chart.channels == [f"rod.velocity.{k}" for k in "xyz"]
    solved.document.select("crank_pin")
    qtbot.mouseClick(table.of_selected, Qt.MouseButton.LeftButton)
    assert table.of_selected.text() == "of crank_pin"
    assert table.found.item(0).text().startswith("crank_pin.")
    table.search.clear()


def test_a_channel_over_another_has_its_dot_where_the_instant_is(solved, qtbot):
    chart = solved.watch.add_chart()
    for name in ("saw_frame.position.z", "saw_frame.velocity.z", "crank_drive.torque"):
        chart.add(name)
    qtbot.keyClicks(chart.chooser, "over the f")
    chart.chooser.textActivated.emit(chart.chooser.currentText())
    assert [curve.name for curve in chart.curves] == ["saw_frame.velocity.z", "crank_drive.torque"]
    r = solved.document.run.recording
    curve = chart._drawn[0][0]
    assert curve.xData == pytest.approx(r["saw_frame.position.z"])  # shown in m and m/s
    assert curve.yData == pytest.approx(r["saw_frame.velocity.z"])
    solved.document.set_instant(float(r.time[40]))
    (_, x, y, _), (torque, _, newtons, box) = chart.dots()
    assert x == pytest.approx(r["saw_frame.position.z"][40])
    assert y == pytest.approx(r["saw_frame.velocity.z"][40])
    assert newtons == pytest.approx(r["crank_drive.torque"][40] / torque.factor)
    assert box is chart.plot.right
    assert "over" in chart.legend.text()


def test_from_a_to_b_there_are_differences_figures_and_a_loop(solved, qtbot):
    window, r = solved, solved.document.run.recording
    chart, deck = window.watch.charts[0], window.deck
    window.activateWindow()
    for key, moment in ((Qt.Key.Key_BracketLeft, 0.1), (Qt.Key.Key_BracketRight, 0.3)):
        window.document.set_instant(moment)
        qtbot.keyClick(deck.line, key)
    assert window.document.span == pytest.approx((0.1, 0.3))
    change = np.interp([0.1, 0.3], r.time, r["crank_drive.torque"]) @ [-1.0, 1.0]
    shown = chart.curves[0]
    assert f"Δ\u00a0{units.digits(change / shown.factor)}" in chart.legend.text()
    qtbot.waitUntil(lambda: window.watch.table.told.text() == "Figures from 0.1 to 0.3 s")
    assert deck.played == pytest.approx((0.1, 0.3))
    window.document.set_instant(0.35)
    deck.toggle()
    assert window.document.instant == pytest.approx(0.1)
    deck.pause()
    qtbot.keyClick(deck.line, Qt.Key.Key_X, Qt.KeyboardModifier.ShiftModifier)
    assert window.document.span == (None, None)
    assert "Δ" not in chart.legend.text()


def test_shift_and_a_drag_on_a_chart_set_a_and_b(solved, qtbot):
    chart = solved.watch.charts[0]
    view, box = chart.plot.viewport(), chart.plot.getViewBox()
    at = [chart.plot.mapFromScene(box.mapViewToScene(QPointF(t, 0.0))) for t in (0.3, 0.1)]
    shift = Qt.KeyboardModifier.ShiftModifier
    qtbot.mousePress(view, Qt.MouseButton.LeftButton, shift, at[0])
    event = QMouseEvent(QEvent.Type.MouseMove, QPointF(at[1]), Qt.MouseButton.NoButton,
                        Qt.MouseButton.LeftButton, shift)  # fmt: skip
    QCoreApplication.sendEvent(view, event)
    qtbot.mouseRelease(view, Qt.MouseButton.LeftButton, shift, at[1])
    assert solved.document.span == pytest.approx((0.1, 0.3), abs=5e-3)


def test_a_chart_over_the_first_may_be_empty_or_of_a_run_that_has_not_got_that(solved, qtbot):
    document, chart = solved.document, solved.watch.add_chart()
    chart.show_as("over the first")
    qtbot.wait(50)  # painted
    assert chart.dots() == []
    assert "Drop a channel" in chart.legend.text()
    model = document.model.with_element(impeto.Frame(name="tip", body="rod"))
    other = simulate(model, until=0.1)
    document.add_run(other)
    document.show_run("Base", True)
    for name in ("tip.position.x", "rod.velocity.z"):
        chart.add(name)
    qtbot.wait(50)
    assert [curve.run.name for curve in chart.curves] == ["Base 2"]
    assert "no channel 'tip.position.x'" in chart.complaint


def test_log_keeps_the_time_that_is_shown(solved):
    view = solved.watch.charts[0].plot.getPlotItem().vb
    view.setXRange(0.1, 0.2, padding=0.0)
    solved.watch.charts[0].log.click()
    assert view.viewRange()[0] == pytest.approx([0.1, 0.2])


def test_log_leaves_out_what_is_not_above_zero(solved):
    chart = solved.watch.charts[0]
    chart.log.click()
    drawn, _ = chart._drawn[0]
    values = solved.document.run.recording["crank_drive.torque"] / chart.curves[0].factor
    _, y = drawn.getData()
    assert np.nanmax(y) == pytest.approx(np.log10(values.max()), abs=1e-6)
    chart.log.click()
    assert np.nanmax(chart._drawn[0][0].getData()[1]) == pytest.approx(values.max())


def test_a_path_has_the_colour_of_its_speed_where_it_was(solved, qtbot):
    """Fast is yellow, slow is violet: read from the picture at a place the frame was at."""
    panel, r = solved.stage_panel, solved.document.run.recording
    stage = panel.stage
    stage.show_badges = False
    panel.show_on_stage(stage.paths, "small_end", True)
    panel.colour_paths("its speed")
    speed = r["small_end.velocity"]
    stage.set_view("front")
    image = stage.grab().toImage()
    shades, spots = [], []
    for row in (int(np.argmax(speed)), int(np.argmin(speed[5:-5])) + 5):
        place = np.array([r[f"small_end.position.{k}"][row] for k in "xyz"])
        x, y = stage.to_screen(place[None])[0]
        spots.append((round(float(x)), round(float(y))))
        shades.append(image.pixelColor(*spots[-1]))
    fast, slow = shades
    assert fast.red() > 150
    assert fast.blue() < 100
    assert slow.blue() > slow.red()
    panel.colour_paths("no.such")  # plain where there is no such channel
    plain_one = stage.grab().toImage()
    assert all(
        plain_one.pixelColor(*spot) != shade for spot, shade in zip(spots, shades, strict=True)
    )


def test_a_run_of_many_turns_begins_with_a_few_and_figures_stay_those_of_all(window, hand, qtbot):
    hand.run("8 s")  # 37 turns
    chart, deck, table = window.watch.charts[0], window.deck, window.watch.table
    begin, end = chart.plot.getPlotItem().vb.viewRange()[0]
    assert begin == pytest.approx(0.0, abs=1e-9)
    assert 0.5 < end < 2.0
    assert deck.line.seen == pytest.approx((begin, end))
    assert table.span is None
    chart.show_all()
    qtbot.waitUntil(lambda: deck.line.seen is None)
    chart.plot.getPlotItem().setXRange(1.0, 3.0, padding=0.0)
    qtbot.waitUntil(lambda: table.told.text() == "Figures from 1 to 3 s")


def test_the_legend_of_many_curves_flows_around_the_tools_and_leaves_the_chart_room(solved, hand):
    for _ in range(3):
        solved.document.add_run(solved.document.run.recording)
    for run in solved.document.runs:
        solved.document.show_run(run.name, True)
    solved.show_desk("Compare")
    chart = solved.watch.charts[0]
    for name in ("main_bearing.force", "crank_pin.force"):
        chart.add(name)
    while len(solved.watch.charts) < 2:
        solved.watch.add_chart()
    hand.settle()
    assert len(chart.curves) == 12
    assert chart.legend.width() > chart.width() - 30
    lines = chart.legend.height() / chart.legend.fontMetrics().lineSpacing()
    assert lines < 7.0  # the least is 12 curves of 150 px on 440
    assert chart.plot.height() > 90
    assert chart.head.tools.geometry().right() <= chart.legend.geometry().right()
    chart.head.show_tools(False)
    hand.settle()
    assert chart.legend.height() / chart.legend.fontMetrics().lineSpacing() < lines
