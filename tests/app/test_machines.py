"""Where several cases are solved: each by itself, here or by the workers of a cluster."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QProgressBar, QPushButton

import impeto
from impeto.app.case_strips import MOST, CaseStrips
from impeto.app.machines import MachinesDialog
from tests.app.test_by_hand import CTRL
from tests.services.test_studies import hanging
from tests.services.test_workers import cluster

ALT, SHIFT = Qt.KeyboardModifier.AltModifier, Qt.KeyboardModifier.ShiftModifier


def test_one_of_the_cases_is_stopped_by_its_cross_and_keeps_what_is_solved(window, hand, qtbot):
    model = window.document.model
    long, *others = model.cases
    model = model.with_case(impeto.Case(name=long, until="900 s")).changed(
        settings=impeto.RunSettings(until="0.2 s", outputs="20 Hz")
    )
    window.document.edit("a long case", model)
    hand.keys((Qt.Key.Key_R, CTRL | SHIFT))
    qtbot.waitUntil(lambda: len(window.document.runs) == len(others))
    assert window.job is not None  # the long one goes on, the others are there
    assert set(window.document.shown_runs) == set(others)
    hand.click(hand.find(f"Stop {long}", QPushButton))
    qtbot.waitUntil(lambda: window.job is None)
    stopped = next(run.recording for run in window.document.runs if run.recording.case == long)
    assert stopped.stopped
    assert 0.0 < stopped.time[-1] < 900.0


def test_a_case_that_cannot_be_solved_is_told_and_the_others_are_there(window, hand, qtbot):
    model = window.document.model.changed(settings=impeto.RunSettings(until="0.1 s"))
    bad = impeto.Case(name="Odd", values={"crank_radius": "-3 kg"})
    window.document.edit("an odd case", model.with_case(bad))
    hand.keys((Qt.Key.Key_R, CTRL | SHIFT))
    qtbot.waitUntil(lambda: len(window.document.runs) == len(model.cases))
    qtbot.waitUntil(lambda: window.job is None)
    assert "Odd: " in window.toast.text()


def test_of_many_cases_those_that_go_on_have_a_strip(qtbot):
    strips = CaseStrips()
    qtbot.addWidget(strips)
    shares = {f"case {k}": 1.0 if k < 500 else 0.5 if k < 502 else 0.0 for k in range(1000)}
    strips.show_shares(shares)
    assert list(strips.strips)[:2] == ["case 500", "case 501"]
    assert len(strips.strips) == len(strips.findChildren(QProgressBar)) == MOST
    assert strips.count.text() == "500 of 1000 cases solved"
    with qtbot.waitSignal(strips.stop_asked) as asked:
        qtbot.mouseClick(strips.strips["case 501"].stop, Qt.MouseButton.LeftButton)
    assert asked.args == ["case 501"]


def test_a_scheduler_is_chosen_if_it_answers_and_solves_the_cases(window, hand, qtbot, tmp_path):
    window.document.open(hanging().with_case(impeto.Case(name="Soft", values={"k": 1000})), None)
    hand.keys((Qt.Key.Key_N, CTRL | ALT))
    dialog = window.findChildren(MachinesDialog)[0]
    dialog.address.setText("tcp://127.0.0.1:1")
    hand.click(dialog.use)
    qtbot.waitUntil(lambda: "No Dask scheduler answers" in dialog.told.text())
    assert dialog.machines.address == ""
    with cluster(1) as (address, _):
        dialog.address.setText(address)
        dialog.folder.setText(str(tmp_path / "shared"))
        hand.click(dialog.use)
        qtbot.waitUntil(lambda: "1 worker answers" in dialog.told.text())
        dialog.close()
        window.activateWindow()
        qtbot.waitUntil(window.isActiveWindow)
        hand.keys((Qt.Key.Key_R, CTRL | SHIFT))
        qtbot.waitUntil(lambda: len(window.document.runs) == 2)
        qtbot.waitUntil(lambda: window.job is None)
    assert sorted(p.name for p in (tmp_path / "shared").iterdir()) == ["base.h5", "soft.h5"]
    dialog.address.setText("")
    dialog.take()
    assert dialog.machines.said == "on this machine"
