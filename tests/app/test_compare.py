"""The Compare desk: cases in a table, edited in place, solved, judged."""

from dataclasses import replace

import pytest
from PyQt6.QtCore import QMimeData, QPointF, Qt
from PyQt6.QtGui import QDropEvent
from PyQt6.QtWidgets import QApplication, QComboBox, QInputDialog

import impeto
from impeto.app.compare.rows import SOLVED, STALE, UNSOLVED, edited, same_machine
from impeto.app.deck.dragging import MIME
from impeto.core.errors import ModelError
from impeto.core.model import target_text, units
from impeto.core.simulate import simulate
from tests.app.test_by_hand import CTRL
from tests.app.test_several_at_once import falling
from tests.conftest import unjudged

BEARING = impeto.FigureOf(name="bearing", channel="main_bearing.force", figure="max")
LASTS = impeto.Target(name="lasts", figure="bearing", value="100 kN")


@pytest.fixture
def compare(window, hand):
    """The gang saw with a target, on the Compare desk."""
    model = unjudged(window.document.model).with_element(BEARING).with_element(LASTS)
    model = model.changed(settings=impeto.RunSettings(until="0.3 s"))
    window.document.open(model, None)
    hand.keys((Qt.Key.Key_3, CTRL))
    assert window.desk == "Compare"
    return window.compare


def cell(compare, title, case):
    """The item of a row by its title and a case."""
    number = next(k for k, row in enumerate(compare.table.rows) if row.title == title)
    return compare.table.item(number, 1 + compare.table.cases.index(case))


def type_into(hand, compare, item, text):
    """By keys: the cell is opened, written, and left."""
    table = compare.table
    table.setFocus()
    table.setCurrentItem(item)
    hand.qtbot.keyClick(table, Qt.Key.Key_Return)
    editor = QApplication.focusWidget()
    editor.selectAll()
    hand.qtbot.keyClicks(editor, text)
    hand.qtbot.keyClick(editor, Qt.Key.Key_Return)
    hand.settle()


def test_all_cases_are_solved_from_the_table_and_judged_there(compare, window, hand, qtbot):
    assert cell(compare, "Figures", "Base").text() == UNSOLVED
    hand.click(compare.all)
    qtbot.waitUntil(lambda: len(window.document.runs) == 4)
    assert window.desk == "Compare"
    runs = {run.recording.case: run.recording for run in window.document.runs}
    for case, recording in runs.items():
        assert cell(compare, "Figures", case).text() == SOLVED
        largest = recording["main_bearing.force"].max()
        assert cell(compare, "bearing", case).text().startswith(f"{largest / 1e3:.4g}")
        asked = cell(compare, "bearing below 100 kN", case)
        assert asked.text().startswith("met" if largest < 100e3 else "missed")
        head = compare.table.horizontalHeaderItem(1 + compare.table.cases.index(case)).text()
        assert head.endswith("✓" if largest < 100e3 else "✕")
    assert {r["main_bearing.force"].max() < 100e3 for r in runs.values()} == {True, False}


def test_a_cell_is_written_emptied_and_taken_back(compare, window, hand):
    window.document.add_run(simulate(window.document.model, "Base"))
    assert cell(compare, "Figures", "Base").text() == SOLVED
    type_into(hand, compare, cell(compare, "rim_thickness", "Base"), "120 mm")
    assert str(window.document.model.cases["Base"].values["rim_thickness"]) == "120 mm"
    assert cell(compare, "Figures", "Base").text() == STALE
    assert compare.table.outdated == list(window.document.model.cases)
    type_into(hand, compare, cell(compare, "rim_thickness", "Base"), "95")
    assert str(window.document.model.cases["Base"].values["rim_thickness"]) == "95 mm"
    type_into(hand, compare, cell(compare, "counterweight", "Base"), "off")
    assert window.document.model.cases["Base"].switches == {"counterweight": False}
    hand.keys((Qt.Key.Key_Z, CTRL), (Qt.Key.Key_Z, CTRL), (Qt.Key.Key_Z, CTRL))
    assert not window.document.model.cases["Base"].values
    assert cell(compare, "Figures", "Base").text() == SOLVED


@pytest.mark.parametrize(
    ("title", "text", "why"),
    [("rim_thickness", "3 kg", "another kind"), ("rim_thickness", "nothing*2", "nothing"),
     ("rim_thickness", "1,5 mm", ""), ("counterweight", "perhaps", "on or off")],
)  # fmt: skip
def test_what_does_not_fit_is_told_and_nothing_changes(compare, window, hand, title, text, why):
    before = window.document.model
    type_into(hand, compare, cell(compare, title, "Heavy flywheel"), text)
    assert window.document.model == before
    assert why in window.toast.text()
    assert "Heavy flywheel" in window.toast.text()


def test_cells_go_to_a_spreadsheet_and_back_in_one_step(compare, window, hand):
    table = compare.table
    first = cell(compare, "counterweight", "Base")
    table.setCurrentItem(first)
    table.setRangeSelected(table.selectedRanges()[0], True)
    hand.qtbot.keyClick(table, Qt.Key.Key_C, CTRL)
    assert QApplication.clipboard().text() == "on"
    below = table.rows[first.row() + 1].name
    QApplication.clipboard().setText("off\ton\noff\toff")
    hand.qtbot.keyClick(table, Qt.Key.Key_V, CTRL)
    cases = window.document.model.cases
    assert cases["Base"].switches == {"counterweight": False, below: False}
    assert cases["No counterweight"].switches.get("counterweight", True)
    hand.keys((Qt.Key.Key_Z, CTRL))
    assert not window.document.model.cases["Base"].switches


def test_figures_targets_checks_and_values_are_added(compare, window, hand, monkeypatch):
    window.document.add_run(simulate(window.document.model, "Base"))
    answers = iter(["crank_drive.torque", "peak"])
    monkeypatch.setattr(QInputDialog, "getItem", lambda *a, **k: (next(answers), True))
    compare.add_figure()
    (figure,) = [f for f in window.document.model.of(impeto.FigureOf) if f.name != "bearing"]
    assert (figure.channel, figure.figure) == ("crank_drive.torque", "peak")
    monkeypatch.setattr(QInputDialog, "getItem", lambda *a, **k: (figure.name, True))
    monkeypatch.setattr(
        QInputDialog, "getText", lambda *a, **k: ("between 1 N*m and 99 kN*m", True)
    )
    compare.add_target()
    target = window.document.model[f"{figure.name}_target"]
    assert (target.limit, str(target.value), str(target.upper)) == ("between", "1 N*m", "99 kN*m")
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("roughly nothing", True))
    compare.add_target()
    assert "is no target" in window.toast.text()
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("rod.mass*9.81 m/s^2*1 m", True))
    compare.add_check()
    assert f"{figure.name}_by_hand" in window.document.model.elements
    monkeypatch.setattr(QInputDialog, "getItem", lambda *a, **k: ("crank_radius", True))
    compare.add_value()
    assert cell(compare, "crank_radius", "Base").text()
    monkeypatch.setattr(QInputDialog, "getItem", lambda *a, **k: ("end time", True))
    compare.add_value()
    assert cell(compare, "end time", "Base").text() == "0.3 s"
    type_into(hand, compare, cell(compare, "end time", "Base"), "2 s")
    assert str(window.document.model.cases["Base"].until) == "2 s"


def test_cases_are_duplicated_moved_renamed_and_removed(compare, window, monkeypatch):
    names = list(window.document.model.cases)
    compare.duplicate("Heavy flywheel")
    (new,) = set(window.document.model.cases) - set(names)
    assert window.document.model.cases[new].values == (
        window.document.model.cases["Heavy flywheel"].values
    )
    compare.move_case(new, -1)
    assert list(window.document.model.cases)[-2] == new
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("Light", True))
    compare._rename(new)
    compare.remove("Heavy flywheel")
    assert list(window.document.model.cases) == [*names[:-1], "Light"]


def test_a_case_built_on_another_takes_its_changes_over(compare, window, hand):
    heavy = window.document.model.cases["Heavy flywheel"].values["rim_thickness"]
    actions = compare.menu_of("Heavy flywheel").actions()
    next(a for a in actions if a.text() == "New case built on this").trigger()
    hand.settle()
    new = window.document.case
    assert cell(compare, "built on", new).text() == "Heavy flywheel"
    taken = cell(compare, "rim_thickness", new)
    assert taken.text() == str(heavy)
    assert "as in Heavy flywheel" in taken.toolTip()
    type_into(hand, compare, cell(compare, "rim_thickness", "Heavy flywheel"), "150 mm")
    assert cell(compare, "rim_thickness", new).text() == "150 mm"
    type_into(hand, compare, cell(compare, "counterweight", new), "off")
    assert window.document.model.cases[new].switches == {"counterweight": False}
    assert not window.document.model.cases[new].values  # just its own
    type_into(hand, compare, cell(compare, "built on", "Heavy flywheel"), new)
    assert f"it is built on itself, by way of {new}" in window.toast.text()
    assert cell(compare, "built on", "Heavy flywheel").text() == "Motor with droop"
    hand.keys((Qt.Key.Key_1, CTRL))
    window.document.choose([])
    hand.settle()
    built_on = hand.find("Built on", QComboBox)
    assert built_on.currentText() == "Heavy flywheel"
    built_on.setCurrentText("the model itself")
    built_on.textActivated.emit("the model itself")
    hand.settle()
    assert window.document.model.cases[new].built_on == ""


def test_a_gauge_that_an_event_watches_makes_a_run_stale_and_others_do_not():
    reach = impeto.Gauge(name="reach", frame_a="floor", frame_b="foot")
    idle = impeto.Gauge(name="idle", quantity="formula", formula="2*t")
    ends = impeto.Event(name="ends", when="channel falls", channel="reach.value", level="0.2 m")
    model = falling(0.5)
    for element in (reach, idle, ends):
        model = model.with_element(element)
    case = next(iter(model.cases))
    changed = replace(idle, formula="3*t")
    assert same_machine(model, model.with_element(changed), case)
    assert same_machine(model, model.with_element(impeto.FigureOf(name="f", channel="t")), case)
    watched = replace(reach, frame_a="foot", frame_b="floor")
    assert not same_machine(model, model.with_element(watched), case)


def test_figures_tell_their_difference_to_a_case(compare, window, hand):
    runs = {case: simulate(window.document.model, case) for case in ("Base", "No counterweight")}
    for recording in runs.values():
        window.document.add_run(recording)
    compare.reference.setCurrentText("Base")
    compare.reference.textActivated.emit("Base")
    largest = {case: r["main_bearing.force"].max() for case, r in runs.items()}
    share = 100 * (largest["No counterweight"] / largest["Base"] - 1)
    item = cell(compare, "bearing", "No counterweight")
    assert item.text().endswith(f"+{units.digits(share, 2)} %")
    assert "more than Base" in item.toolTip()
    assert "%" not in cell(compare, "bearing", "Base").text()


def test_the_best_and_the_worst_of_three_are_marked_by_their_target(compare, window):
    names = list(window.document.model.cases)[:3]
    for case in names:
        window.document.add_run(simulate(window.document.model, case))
    largest = {r.recording.case: r.recording["main_bearing.force"].max()
               for r in window.document.runs}  # fmt: skip
    told = {case: cell(compare, "bearing", case).text() for case in names}
    assert told[min(largest, key=lambda c: largest[c])].endswith("best")
    assert told[max(largest, key=lambda c: largest[c])].endswith("worst")


def test_a_channel_that_is_dropped_on_the_table_becomes_a_figure(compare, window, monkeypatch):
    monkeypatch.setattr(QInputDialog, "getItem", lambda *a, **k: ("RMS", True))
    data = QMimeData()
    data.setData(MIME, b"crank_pin.force")
    drop = QDropEvent(QPointF(5, 5), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton,
                      Qt.KeyboardModifier.NoModifier)  # fmt: skip
    compare.dropEvent(drop)
    (figure,) = [f for f in window.document.model.of(impeto.FigureOf) if f.name != "bearing"]
    assert (figure.channel, figure.figure) == ("crank_pin.force", "RMS")


def test_what_differs_from_the_run_is_listed(compare, window):
    compare.show_differences("Base")
    assert "has not been solved" in window.toast.text()
    window.document.add_run(simulate(window.document.model, "Base"))
    row = next(row for row in compare.table.rows if row.title == "rim_thickness")
    case = window.document.model.cases["Base"]
    window.document.edit("x", edited(window.document.model, row, case, "0.1 m"))
    compare.show_differences("Base")
    table = compare.differs.table
    assert [table.item(0, k).text() for k in range(4)] == [
        "case Base", "Changed values, rim_thickness", "–", "0.1 m",
    ]  # fmt: skip
    assert table.rowCount() == 1
    window.document.add_run(simulate(window.document.model, "Base"))
    compare.show_differences("Base")
    assert (compare.differs.title.text(), table.rowCount()) == ("Nothing differs", 0)
    compare.differs.first.setCurrentText("Base")
    compare.differs.second.setCurrentText("Base 2")
    compare.differs.compare()
    told = [[table.item(row, k).text() for k in range(4)] for row in range(table.rowCount())]
    assert [row[:2] for row in told] == [
        ["case Base", "Changed values, rim_thickness"], ["bearing", "figure"],
    ]  # fmt: skip
    assert told[1][2] != told[1][3]
    compare.differs.close()


def test_targets_are_read_as_they_are_spoken():
    near = target_text.read("near 5 mm by 0.1 mm", "gap", "gap_ok")
    assert (near.limit, str(near.value), str(near.within)) == ("near", "5 mm", "0.1 mm")
    assert target_text.read("< 3 N", "f", "f_ok").limit == "below"
    heavy = target_text.read("below 3 N, weight 2.5", "f", "f_ok")
    assert (heavy.asked, str(heavy.weight)) == ("f below 3 N, weight 2.5", "2.5")
    with pytest.raises(ModelError, match="is no target"):
        target_text.read("3 N", "f", "f_ok")
