"""What charts are used with: boxes, limits, spectrograms, pictures of them, quantities on offer."""

import re
from xml.etree import ElementTree

import pytest
from PyQt6.QtCore import QCoreApplication, QEvent, QPoint, QPointF, Qt
from PyQt6.QtGui import QImage, QMouseEvent
from PyQt6.QtWidgets import QFileDialog, QInputDialog, QMenu

import impeto
from impeto.app.deck.offering import offer_quantities
from impeto.core.model.looking import AGAINST, SPECTROGRAM
from impeto.core.model.scope import Scope
from impeto.core.results.limits import beyond, read_limit
from impeto.core.simulate import simulate
from tests.app.test_looking import choose, plain


def test_a_spectrogram_says_what_is_strongest_now(watch, qtbot):
    chart = watch.charts[0]
    choose(qtbot, chart.chooser, SPECTROGRAM)
    watch.document.set_instant(1.0)
    told = re.search(r"strongest now at ([\d.]+) Hz", plain(chart))
    assert float(told[1]) == pytest.approx(280 / 60, abs=8.0)  # a window of 0.125 s has 8 Hz
    ((image, _),) = chart._drawn
    box = image.mapRectToParent(image.boundingRect())
    assert (box.left(), box.right()) == pytest.approx((0.0, 2.0), abs=0.1)  # s
    assert (box.top(), box.bottom()) == pytest.approx((0.0, 250.0), abs=8.0)  # Hz
    assert chart.plot.getViewBox().viewRange()[1][1] < 200.0, "what is empty is not shown"
    watch.document.set_instant(1.5)
    assert chart.plot.getViewBox().viewRange()[0][1] < 2.5


def test_long_curves_are_drawn_by_the_extremes_of_each_pixel(window, hand, gang_saw):
    window.document.add_run(simulate(gang_saw, until=2.0, outputs=20_000))
    window.show_desk("Watch")
    chart = window.watch.add_chart()
    chart.add("crank_drive.torque")
    hand.settle()
    r = window.document.run.recording
    for end in (1.9, 0.5):
        chart.plot.getPlotItem().setXRange(0.0, end, padding=0.0)
        hand.settle()
        drawn = chart._drawn[0][0].curve
        assert len(drawn.xData) < 4 * chart.plot.width()
        shown = r["crank_drive.torque"][r.time <= end] / chart.curves[0].factor
        assert drawn.yData.max() == pytest.approx(shown.max())
        assert drawn.yData.min() == pytest.approx(shown.min())


def test_a_box_is_shown_large_both_ways_and_a_double_click_shows_all(solved, qtbot):
    chart = solved.watch.charts[0]
    chart.show_all()
    field, view = chart.plot.viewport(), chart.plot.getViewBox()
    (left, right), (low, high) = view.viewRange()
    area = chart.plot.mapFromScene(view.sceneBoundingRect()).boundingRect()
    begin = area.topLeft() + QPoint(area.width() // 4, area.height() // 4)
    end = area.topLeft() + QPoint(area.width() // 2, area.height() * 3 // 4)
    qtbot.mousePress(field, Qt.MouseButton.RightButton, pos=begin)
    for share in (0.3, 0.7, 1.0):
        here = begin + (end - begin) * share
        move = QMouseEvent(QEvent.Type.MouseMove, QPointF(here), QPointF(field.mapToGlobal(here)),
                           Qt.MouseButton.NoButton, Qt.MouseButton.RightButton,
                           Qt.KeyboardModifier.NoModifier)  # fmt: skip
        QCoreApplication.sendEvent(field, move)
    qtbot.mouseRelease(field, Qt.MouseButton.RightButton, pos=end)
    (near, far), (bottom, top) = view.viewRange()
    wide, tall = right - left, high - low
    assert (near, far) == pytest.approx((left + wide / 4, left + wide / 2), abs=0.01 * wide)
    assert (bottom, top) == pytest.approx((low + tall / 4, high - tall / 4), abs=0.02 * tall)
    chart.redraw()
    assert view.viewRange()[1] == pytest.approx([bottom, top])
    qtbot.mouseDClick(field, Qt.MouseButton.LeftButton, pos=begin)
    assert view.viewRange()[1] == pytest.approx([low, high], rel=1e-6)


def test_a_limit_over_speed_tells_how_often_it_is_passed(solved, qtbot, monkeypatch):
    chart, r = solved.watch.add_chart(), solved.document.run.recording
    for name in ("saw_frame.velocity.z", "crank_drive.torque"):
        chart.add(name)
    choose(qtbot, chart.chooser, AGAINST)
    line = "-20 m/s, 500 N*m; 20 m/s, 500 N*m"
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: (line, True))
    qtbot.mouseClick(chart.head.limit, Qt.MouseButton.LeftButton)
    past = r["crank_drive.torque"] > 500.0
    assert past.any()
    read = read_limit(line, Scope(r.model, None), "speed", "torque")
    assert list(beyond(read, r["saw_frame.velocity.z"], r["crank_drive.torque"])) == list(past)
    assert f"limit passed at {100 * past.mean():.1f} % of the instants" in plain(chart)
    drawn = chart._drawn[-1][0]
    assert drawn.yData == pytest.approx([500.0 / chart.curves[0].factor] * 2)
    chart.set_limit("0 m/s, 1 MN*m")
    assert "below the limit" in plain(chart)
    chart.set_limit("0 m/s, 3 kg")
    assert "torque" in plain(chart)
    kept = solved.watch.arranged(solved.document.model)
    assert any(one.limit == "0 m/s, 3 kg" for one in kept.of(impeto.Chart))


def test_a_chart_and_the_stage_are_saved_with_lines_that_stay_sharp(
    solved, qtbot, monkeypatch, tmp_path
):
    solved.watch.active = solved.watch.charts[0]
    for title, name in (("Save the picture of the chart", "c.svg"),
                        ("Save the picture of the chart", "c.png"),
                        ("Save the picture of the Stage", "s.svg")):  # fmt: skip
        path = tmp_path / name
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, p=path, **k: (str(p), ""))
        solved.commands.do(solved.commands.named(title))
        assert path.exists()
    drawing = ElementTree.parse(tmp_path / "c.svg").getroot()
    lines = [n for n in drawing.iter() if n.tag.endswith(("path", "polyline"))]
    assert len(lines) > 3
    assert "crank_drive.torque" in "".join(drawing.itertext())
    assert solved.watch.charts[0].head.close.isVisible()
    assert "data:image/png" in (tmp_path / "s.svg").read_text()
    assert QImage(str(tmp_path / "c.png")).width() == solved.watch.charts[0].width()
    bad = tmp_path / "c.xyz"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(bad), ""))
    solved.commands.do(solved.commands.named("Save the picture of the chart"))
    assert "ends in .png" in solved.toast.text()
    assert not bad.exists()


def test_what_is_selected_offers_its_quantities_for_a_chart(solved, qtbot):
    menu, drawn = QMenu(), []
    solved.document.select("crank_pin")
    offer_quantities(menu, solved.document, drawn.append)
    inner = menu.actions()[0].menu()
    assert inner.title() == "Chart of crank_pin"
    texts = {action.text(): action for action in inner.actions()}
    assert "force.x" not in texts, "a vector is one entry"
    texts["force"].trigger()
    texts["force.x, y, z"].trigger()
    assert drawn == ["crank_pin.force", *(f"crank_pin.force.{axis}" for axis in "xyz")]
    solved.document.select("")
    bare = QMenu()
    offer_quantities(bare, solved.document, drawn.append)
    assert not bare.actions()
