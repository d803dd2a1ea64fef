"""What must never cost anybody work: surprises, text from files, another model in between."""

import sys
import threading

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QLabel

import impeto
from impeto.app.jobs import Job
from impeto.app.plain_text import as_tip
from impeto.app.rescue import Rescue
from impeto.services import model_file
from tests.app.conftest import PATIENCE

CTRL = Qt.KeyboardModifier.ControlModifier
MARKUP = "<img src='fifo.png'><b>bold</b>"


def test_text_from_a_file_is_never_markup(window, hand):
    parts = [impeto.Body(name="post", note=MARKUP), impeto.Frame(name="foot", note=MARKUP)]
    case = impeto.Case(name=MARKUP, note=MARKUP)
    window.document.open(impeto.Model(MARKUP, parts, cases=[case]), None)
    assert "&lt;img" in window.strip.name.text()
    window.complain(MARKUP)
    assert window.toast.textFormat() == Qt.TextFormat.PlainText
    for name in ("", "post", "foot"):
        window.document.select(name)
        hand.settle()
        for label in window.findChildren(QLabel):
            form = label.textFormat()
            assert form != Qt.TextFormat.AutoText or not label.isVisible(), label.text()
            assert form != Qt.TextFormat.RichText or MARKUP not in label.text()


def test_tips_show_the_letters_of_a_text(window):
    window.document.open(impeto.Model("m", [impeto.Body(name="post", note=MARKUP)]), None)
    tip = window.roster.row_of("post").data(Qt.ItemDataRole.ToolTipRole)
    assert tip.startswith("<qt>post")
    assert MARKUP not in tip
    assert tip.endswith(as_tip(MARKUP).removeprefix("<qt>"))


def test_a_case_called_like_markup_stays_text_in_the_legend(window, qtbot, hand):
    model = window.document.model.changed(cases=[impeto.Case(name=MARKUP)])
    window.document.open(model.changed(settings=impeto.RunSettings(until="50 ms")), None)
    for _ in range(2):
        hand.keys((Qt.Key.Key_R, CTRL))
        qtbot.waitUntil(lambda: window.job is None)
    window.document.show_run(window.document.runs[0].name, True)
    texts = [chart.legend.text() for chart in window.watch.charts]
    assert any("&lt;img" in text for text in texts)
    assert not any("<img" in text for text in texts)


def test_an_error_that_nobody_expected_is_told_and_the_model_kept(window, hand, tmp_path):
    rescue = Rescue(window.document, window, tmp_path / "kept")
    old = sys.excepthook
    rescue.install()
    try:
        hand.pick_row("crank_radius")
        hand.type_into("Value", "0.26 m")
        try:
            raise RuntimeError("a surprise")
        except RuntimeError as error:
            sys.excepthook(RuntimeError, error, error.__traceback__)
    finally:
        sys.excepthook = old
    box = rescue.box
    assert box.isVisible()
    assert "RuntimeError" in box.text()
    kept = list((tmp_path / "kept").iterdir())
    assert len(kept) == 1
    assert model_file.load(kept[0])["crank_radius"] == window.document.model["crank_radius"]
    copy = next(b for b in box.buttons() if b.text() == "Copy the details")
    copy.click()
    assert "a surprise" in QApplication.clipboard().text()
    next(b for b in box.buttons() if b.text() == "Go on").click()
    assert rescue.box is None
    hand.keys((Qt.Key.Key_Z, CTRL))  # the window goes on
    assert str(window.document.model["crank_radius"].value) != "0.26 m"


def test_a_run_of_one_model_does_not_land_in_the_next(window, qtbot, hand):
    settings = impeto.RunSettings(until="60 s", accuracy="fine")
    window.document.open(window.document.model.changed(settings=settings), None)
    hand.keys((Qt.Key.Key_R, CTRL))
    qtbot.waitUntil(lambda: window.job is not None)
    window.files.open_demo("scale_platform")
    qtbot.waitUntil(lambda: window.job is None)
    assert window.document.runs == []
    assert window.document.model.name == model_file.load_demo("scale_platform").name
    assert window.strip.run.text() == "Run"


def test_what_formulas_and_events_use_is_not_deleted(window, hand):
    model = impeto.Model("m", [
        impeto.Parameter(name="k_rear", value="3 N/mm"), impeto.Parameter(name="k", value="1 N/m"),
        impeto.Frame(name="a"), impeto.Frame(name="b"),
        impeto.Spring(name="s", frame_a="a", frame_b="b", stiffness="2 * k_rear"),
        impeto.Event(name="e", when="channel rises", channel="s.length", level="1 m",
                     action="switch off", target="s"),
    ], cases=[impeto.Case(name="Soft", values={"k_rear": "1 N/mm"})])  # fmt: skip
    assert model.users_of("k_rear") == ["s", "case Soft"]
    assert model.users_of("k") == []
    assert model.users_of("s") == ["e"]
    for name in ("k_rear", "s"):
        with pytest.raises(impeto.ModelError, match="it is used by"):
            model.without(name)
    window.document.open(model, None)
    for name, said in (("k", "Used by nothing yet"), ("k_rear", "Used by s, case Soft")):
        window.document.select(name)
        hand.settle()
        assert said in [label.text() for label in window.sheet.findChildren(QLabel)]


def test_stop_answers_at_once_even_where_a_task_does_not_look_up(qtbot, window):
    """Setting up large models and their grids takes seconds in which nobody asks for progress."""
    go_on = threading.Event()
    answers = []
    job = Job(lambda _progress: go_on.wait(PATIENCE / 1000), window)
    job.failed.connect(answers.append)
    job.finished.connect(answers.append)
    job.start()
    job.cancel()
    qtbot.waitUntil(lambda: bool(answers))
    assert answers == ["Stopped before anything was solved."]
    go_on.set()
    job.wait()
    qtbot.wait(50)
    assert len(answers) == 1  # what comes too late is thrown away
