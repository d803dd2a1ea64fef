"""What one does every day: recordings opened, files dropped, fields that help, what is kept."""

import numpy as np
import pytest
from PyQt6.QtCore import QMimeData, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent
from PyQt6.QtWidgets import QApplication, QLineEdit

import impeto
from impeto.app.document import Document
from impeto.app.main_window import MainWindow
from impeto.services import model_file
from tests.app.test_engine_in_the_window import open_model

CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier


def pendulum():
    model, _ = impeto.bars(model_file.new_model(), [(0, 0, 0), (0.5, 0, 0)], held={0: "ground"})
    return model


def drop(window, path):
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(path))])
    event = QDropEvent(QPointF(5, 5), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton,
                       Qt.KeyboardModifier.NoModifier)  # fmt: skip
    window.dropEvent(event)


def test_a_recording_is_opened_with_its_model_and_beside_the_runs_of_its_own(
    window, hand, tmp_path
):
    path = tmp_path / "swing.h5"
    run = impeto.simulate(pendulum(), until=0.5)
    run.save(path)
    drop(window, path)
    hand.qtbot.waitUntil(lambda: bool(window.document.runs))
    assert list(window.document.model.elements) == list(pendulum().elements)
    assert window.desk == "Watch"
    opened = window.document.run.recording
    np.testing.assert_array_equal(opened["bar.position.z"], run["bar.position.z"])
    model = window.document.model
    assert window.files.open_path(path)
    hand.qtbot.waitUntil(lambda: len(window.document.runs) == 2)
    assert window.document.model is model
    assert window.files.recent()[0] == str(path)


def test_what_cannot_be_opened_is_said_and_changes_nothing(window, hand, tmp_path):
    before = window.document.model
    for name, text in (("notes.docx", "x"), ("broken.h5", "x"), ("model.impeto.json", "{")):
        path = tmp_path / name
        path.write_text(text)
        window.toast.hide()
        drop(window, path)
        hand.qtbot.waitUntil(window.toast.isVisible)
        assert name.partition(".")[0] in window.toast.text()
    assert window.document.model is before


def test_a_mesh_and_a_table_are_dropped_on_the_window(window, hand, tmp_path):
    import trimesh

    mesh, table = tmp_path / "wedge.stl", tmp_path / "push.csv"
    trimesh.creation.box((10, 20, 30)).export(mesh)
    table.write_text("t [s],push [N]\n0,1\n1,2\n")
    drop(window, mesh)
    hand.qtbot.waitUntil(lambda: "wedge" in window.document.model.elements)
    drop(window, table)
    hand.qtbot.waitUntil(lambda: "push" in window.document.model.elements)


def test_parameters_are_offered_while_a_value_is_typed(window, hand):
    hand.pick_row("gravity")
    line = hand.find("Size", QLineEdit)
    line.setFocus()
    line.selectAll()
    hand.qtbot.keyClicks(line, "2 * crank_r")
    popup = line.completer().popup()
    hand.qtbot.waitUntil(popup.isVisible)
    offered = [popup.model().index(k, 0).data() for k in range(popup.model().rowCount())]
    assert offered == ["crank_radius"]
    line.completer().activated[str].emit(line.completer().pathFromIndex(popup.model().index(0, 0)))
    assert line.completer().pathFromIndex(popup.model().index(0, 0)) == "2 * crank_radius"
    hand.qtbot.keyClick(line, Qt.Key.Key_Escape)


@pytest.mark.parametrize("wrong", ["0 mm", "-5 mm", "0,5 m", "1e400 m", "2 kg"])
def test_a_wrong_size_gets_a_sentence_in_its_field_and_never_reaches_the_model(window, hand, wrong):
    model = impeto.Model("m", [impeto.Body(name="log", shapes=(impeto.Cylinder(),))])
    open_model(window, model)
    window.document.select("log")
    hand.settle()
    hand.click(hand.find("cylinder 1"))
    before = window.document.model
    hand.type_into("Radius", wrong)
    editor = hand.find("Radius", QLineEdit)
    assert editor.property("wrong") is True
    assert editor.parent().message.text().endswith(".")
    assert window.document.model is before
    if wrong == "0,5 m":
        assert "decimals with a point" in editor.parent().message.text()


def test_tab_goes_from_field_to_field_and_typing_replaces_what_is_there(window, hand):
    open_model(window, pendulum())
    window.document.select("bar_end")
    window.open_fields()
    assert QApplication.focusWidget().accessibleName() == "Position x"
    for text, field in (("0.6 m", "Position x"), ("10 mm", "Position y"), ("20 mm", "Position z")):
        line = QApplication.focusWidget()
        assert line.accessibleName() == field
        assert line.selectedText() == line.text()
        hand.qtbot.keyClicks(line, text)
        hand.qtbot.keyClick(line, Qt.Key.Key_Tab)
        hand.settle()
    assert [str(v) for v in window.document.model["bar_end"].position] == [
        "0.6 m", "10 mm", "20 mm",
    ]  # fmt: skip


def test_long_numbers_are_shown_short_and_whole_when_they_are_edited(window, hand):
    frame = impeto.Frame(name="mark", position=("0.123456789012 m", "0 m", "0 m"))
    open_model(window, impeto.Model("m", [frame]))
    window.document.select("mark")
    hand.settle()
    line = hand.find("Position x", QLineEdit)
    assert line.text() == "0.1235 m"
    line.setFocus()
    assert line.text() == "0.123456789012 m"
    before = window.document.model
    hand.qtbot.keyClick(line, Qt.Key.Key_Tab)
    assert window.document.model is before
    hand.type_into("Position x", "0.1235 m")  # typed, it counts
    assert str(window.document.model["mark"].position[0]) == "0.1235 m"


def test_a_signal_shows_its_curve(window, hand):
    from impeto.app.sheet.signal_curve import SignalCurve

    drive = impeto.Drive(name="drive", joint="ground_bar_pin", value=impeto.Harmonic(
        amplitude="2 rad/s", frequency="1 Hz"))  # fmt: skip
    open_model(window, pendulum().with_element(drive))
    window.document.select("drive")
    hand.settle()
    (curve,) = window.sheet.findChildren(SignalCurve)
    assert curve.isVisible()
    expected = 2.0 * np.sin(2.0 * np.pi * curve.time)
    np.testing.assert_allclose(curve.values, expected, atol=1e-9)


def test_poses_are_kept_from_the_drawing_and_drawn_again(window, hand):
    open_model(window, pendulum())
    hand.keys((Qt.Key.Key_P, CTRL | SHIFT))
    assert window.document.selected == "pose"
    home = window.document.model["bar"]
    window.document.select("ground_bar_pin")
    hand.settle()
    hand.type_into("Drawn turn z", "30 deg")
    assert window.document.model["bar"] != home
    window.document.select("pose")
    window.commands.do(window.commands.named("Draw the selected pose"))
    back = window.document.model["bar"]
    a, b = (model_file.new_model().with_element(bar) for bar in (home, back))
    for x, y in zip(impeto.features(a, "bar"), impeto.features(b, "bar"), strict=True):
        np.testing.assert_allclose(x.point, y.point, atol=1e-9)


def test_the_window_comes_back_with_its_splits_and_its_desk(window, hand, settings, qtbot):
    window.show_desk("Watch")
    window.split.setSizes([0, 400, 0, 880])
    sizes = window.split.sizes()
    window.document._saved = window.document.model
    window.close()
    again = MainWindow(Document(window.document.model), settings)
    qtbot.addWidget(again)
    again.show()
    qtbot.waitExposed(again)
    assert again.desk == "Watch"
    assert again.split.sizes() == pytest.approx(sizes, abs=2)  # px
    qtbot.waitUntil(lambda: again.strip.ready)


def test_values_are_shown_in_the_chosen_units_and_files_are_not_touched(window, hand):
    from impeto.app.roster.roster import LINE
    from impeto.core.model import units

    open_model(window, pendulum())
    before = model_file.to_text(window.document.model)
    try:
        window.commands.do(window.commands.named("Units: inch and pound"))
        assert window.roster.row_of("bar").data(LINE).endswith("lb")
        assert units.shown(0.0254, "length") == "1\u2009in"
        assert window.settings.value("units") == "inch and pound"
        window.units.settings.setValue("own units", "mass g")
        window.units.choose("SI")
        assert window.roster.row_of("bar").data(LINE).endswith("kg")
    finally:
        window.units.choose("as fits the size")
    assert model_file.to_text(window.document.model) == before


def test_what_an_expression_comes_to_is_said_in_the_unit_that_was_written(window, hand):
    from impeto.app.sheet.editors import QuantityEditor

    window.document.select("crank_drive")
    hand.settle()
    told = [e.result.text() for e in window.sheet.findChildren(QuantityEditor)]
    assert "= 280 rpm" in told


@pytest.mark.parametrize("size", [(1024, 600), (853, 533)])  # the second: 1280x800 at scale 1.5
def test_everything_fits_a_small_screen(window, hand, size):
    window.document.add_run(impeto.simulate(window.document.model, until=0.02))
    window.document.select("crank_pin")
    window.resize(*size)
    hand.settle()
    hand.qtbot.wait(50)
    assert (window.width(), window.height()) == size
    run = window.strip.run
    assert window.rect().contains(run.rect().translated(run.mapTo(window, run.rect().topLeft())))
    assert window.sheet.widget().minimumSizeHint().width() <= window.sheet.viewport().width()
    shown = [c for c in window.stage_panel.chips.children() if getattr(c, "isVisible", bool)()]
    for chip in shown:
        assert chip.width() >= chip.sizeHint().width()  # no label is cut
    assert window.stage_panel.more.isVisible()
    assert window.health.mapTo(window, window.health.rect().bottomLeft()).y() <= size[1]


def test_a_mechanism_is_dropped_on_the_window_beside_what_is_there(window, hand, tmp_path):
    from tests.services.test_urdf import arm

    path = tmp_path / "arm.urdf"
    path.write_text(arm(), encoding="utf-8")
    open_model(window, pendulum())
    drop(window, path)
    hand.qtbot.waitUntil(lambda: "link_6" in window.document.model.elements)
    assert "bar" in window.document.model.elements
    assert set(window.document.chosen) >= {"link_1", "link_6"}
    assert len(window.document.model["ground"].shapes) == 1, "the base that weighs nothing"
    assert window.toast.text() == "Read 6 bodies from arm.urdf."
    hand.settle()
    window.stage.grab()
    assert window.document.undo() == "geometry of arm.urdf"
    path.write_text("<robot>", encoding="utf-8")
    drop(window, path)
    hand.qtbot.waitUntil(lambda: "is not XML that can" in window.toast.text())
