"""Sweeps, sensitivities and best values in the window."""

import pytest
from PyQt6.QtCore import Qt

import impeto
from impeto.app.compare import rows as compare_rows
from impeto.app.studies.dialog import StudyDialog
from impeto.core.model.scope import Scope
from impeto.services import recording_file
from tests.app.test_by_hand import CTRL
from tests.services.test_studies import closed_form, hanging

ALT = Qt.KeyboardModifier.AltModifier


@pytest.fixture
def dialog(window, hand, monkeypatch, tmp_path):
    """Opened by keys on the hanging mass, its points kept in a folder of the test."""
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))
    window.document.open(hanging(), None)
    hand.keys((Qt.Key.Key_A, CTRL | ALT))
    return next(iter(window.findChildren(StudyDialog)))


def add(hand, dialog, name, values=None):
    """A line by the list of parameters, its values written over."""
    box = dialog.setup.add
    box.setCurrentText(name)
    box.textActivated.emit(name)
    if values is not None:
        table = dialog.setup.table
        table.item(table.rowCount() - 1, 1).setText(values)
    hand.settle()


def solve(hand, dialog):
    hand.qtbot.mouseClick(dialog.go, Qt.MouseButton.LeftButton)
    hand.qtbot.waitUntil(lambda: dialog.job is None)


def texts(table):
    return [[table.item(r, c).text() for c in range(table.columnCount())]
            for r in range(table.rowCount())]  # fmt: skip


def test_a_sweep_is_typed_solved_looked_at_and_a_point_becomes_a_run(window, hand, dialog):
    add(hand, dialog, "k")
    assert dialog.setup.vary[0].values == "1.6 kN/m : 2.4 kN/m : 9"
    dialog.setup.table.item(0, 1).setText("1 kN/m : 4 kN/m : 4")
    add(hand, dialog, "mass", "5 kg, 10 kg")
    solve(hand, dialog)
    found = dialog.solved
    assert found.figures["lowest"] == pytest.approx(closed_form(found.values), rel=1e-4)
    assert dialog.told.text().startswith("8 of 8 solved; 7 meet all targets")
    rows = texts(dialog.table)
    assert [text.replace("\u2009", " ") for text in rows[1]] == [
        "missed", "1 kN/m", "10 kg", "−196.1 mm",
    ]  # fmt: skip
    for view in ("map", "scatter", "parallel lines"):
        dialog.view.setCurrentText(view)
        dialog.view.textActivated.emit(view)
        assert dialog.picture.ci.items
    dialog.pick(5)
    assert dialog.table.currentRow() == 5
    dialog.table.cellDoubleClicked.emit(5, 0)
    hand.qtbot.waitUntil(lambda: len(window.document.runs) > 0 and window.job is None)
    run = window.document.runs[-1].recording
    assert run.case == "Point 5"
    assert run["block.position.z"].min() == found.figures["lowest"][5]


def test_a_sweep_that_was_stopped_is_gone_on_with(hand, dialog):
    add(hand, dialog, "k", "1 kN/m : 4 kN/m : 300")
    hand.qtbot.mouseClick(dialog.go, Qt.MouseButton.LeftButton)
    hand.qtbot.waitUntil(lambda: len(dialog.so_far.answers) > 5)
    assert dialog.go.text() == "Stop"
    hand.qtbot.mouseClick(dialog.go, Qt.MouseButton.LeftButton)
    hand.qtbot.waitUntil(lambda: dialog.job is None)
    part = len(dialog.solved.answers)
    assert 5 < part < 300
    assert f"{part} of 300 solved" in dialog.told.text()
    solve(hand, dialog)
    assert dialog.solved.is_whole
    assert len(dialog.so_far.answers) == 300 - part


def test_what_cannot_be_tried_is_told_and_nothing_is_lost(window, hand, dialog):
    solve(hand, dialog)
    assert dialog.told.text() == "Nothing varies. Name a parameter and its values."
    add(hand, dialog, "k", "4 kN/m : 1 kN/m : 3")
    solve(hand, dialog)
    assert "bounds are reversed" in dialog.told.text()
    dialog.setup.table.item(0, 1).setText("1 kN/m : 4 kN/m : 3")
    dialog.machines.choose("tcp://127.0.0.1:1", "")
    solve(hand, dialog)
    assert "No Dask scheduler answers" in dialog.told.text()
    assert dialog.go.text() == "Run"
    assert dialog.setup.vary[0].values == "1 kN/m : 4 kN/m : 3"


def test_sensitivities_are_bars_and_numbers(hand, dialog):
    dialog.setup.kind.setCurrentText("sensitivities")
    add(hand, dialog, "k")
    add(hand, dialog, "mass")
    solve(hand, dialog)
    rows = {row[0]: row[1] for row in texts(dialog.table)}
    assert float(rows["k"].replace("−", "-")) == pytest.approx(-1.0, abs=2e-3)
    assert float(rows["mass"]) == pytest.approx(1.0, abs=2e-3)


def test_best_values_become_a_case_and_what_is_typed_is_kept_in_the_model(window, hand, dialog):
    stiff = impeto.FigureOf(name="stiff", channel="k + 0 N/m*t/(1 s)", figure="max")
    window.document.edit("new figure", window.document.model.with_element(stiff))
    dialog.renew()
    dialog.setup.kind.setCurrentText("best values")
    dialog.setup.figure.setCurrentText("stiff")
    dialog.setup.points.setValue(40)
    add(hand, dialog, "k", "1 kN/m : 8 kN/m")
    solve(hand, dialog)
    assert dialog.told.text().endswith("meets all targets.")
    hand.qtbot.mouseClick(dialog.case, Qt.MouseButton.LeftButton)
    hand.qtbot.waitUntil(lambda: len(window.document.runs) > 0 and window.job is None)
    model = window.document.model
    assert model.cases["Best"].values["k"].si == pytest.approx(1961.33, rel=1e-3)
    hand.qtbot.mouseClick(dialog.keep, Qt.MouseButton.LeftButton)
    assert window.document.model["best"].vary[0].values == "1 kN/m : 8 kN/m"
    window.document.undo()
    assert "best" not in window.document.model.elements


def test_where_scatter_comes_from_is_told(hand, dialog):
    dialog.setup.kind.setCurrentText("where scatter comes from")
    add(hand, dialog, "k", "normal(2 kN/m, 40 N/m)")
    add(hand, dialog, "mass", "normal(10 kg, 0.05 kg)")
    dialog.setup.points.setValue(32)
    solve(hand, dialog)
    shares = {row[0]: float(row[2]) for row in texts(dialog.table)}
    assert shares["k"] > 0.9  # 2 % of scatter against 0.5 %: 16 to 1
    assert shares["mass"] < 0.15


def test_a_fit_that_the_model_keeps_is_solved_and_becomes_a_case(window, hand, dialog):
    true = impeto.simulate(hanging().with_element(impeto.Parameter(name="k", value="3 kN/m")))
    curve = impeto.Dataset(
        name="test",
        columns={"t [s]": tuple(true.time[::20]), "z [m]": tuple(true["block.position.z"][::20])},
    )
    wanted = impeto.Fit(
        name="stiffness", channel="block.position.z", dataset="test", column="z",
        vary=[impeto.Varied(parameter="k", values="1 kN/m : 6 kN/m")],
    )  # fmt: skip
    dialog.setup.kind.setCurrentText("fit to a curve")
    solve(hand, dialog)
    assert "The model has no fit yet" in dialog.told.text()
    model = window.document.model.with_element(curve).with_element(wanted)
    window.document.edit("measured", model)
    dialog.renew()
    assert dialog.setup.vary == wanted.vary
    solve(hand, dialog)
    assert dialog.fitted[1].values == pytest.approx([3000.0], rel=1e-4)
    hand.qtbot.mouseClick(dialog.case, Qt.MouseButton.LeftButton)
    hand.qtbot.waitUntil(lambda: len(window.document.runs) > 0 and window.job is None)
    assert window.document.model.cases["Fitted"].values["k"].si == pytest.approx(3000.0, rel=1e-4)


def test_a_sweep_keeps_recordings_that_a_double_click_opens(window, hand, dialog, tmp_path):
    add(hand, dialog, "k", "1 kN/m : 2 kN/m : 2")
    dialog.folder.setText(str(tmp_path / "kept"))
    solve(hand, dialog)
    assert sorted(p.name for p in (tmp_path / "kept").iterdir()) == [
        "point-00000.h5", "point-00001.h5",
    ]  # fmt: skip
    dialog.open_point(1)
    hand.qtbot.waitUntil(lambda: len(window.document.runs) == 1)
    run = window.document.runs[0]
    assert run.name == "Point 1"
    assert run.recording["block.position.z"].min() == dialog.solved.figures["lowest"][1]
    assert compare_rows.latest(window.document).keys() == {"Point 1"}  # none of the case varied
    recording_file.save_recording(run.recording, tmp_path / "again.h5")
    again = recording_file.open_recording(tmp_path / "again.h5")
    assert Scope(again.model, again.case).parameter("k").si == 2000.0
    (tmp_path / "kept" / "point-00000.h5").write_bytes(
        (tmp_path / "kept" / "point-00001.h5").read_bytes()
    )
    dialog.open_point(0)
    hand.qtbot.waitUntil(lambda: "is of another model" in dialog.told.text())
    assert len(window.document.runs) == 1


def test_two_figures_are_traded_and_a_row_becomes_a_case(window, hand, dialog):
    """Sag 2 m g/k against a stiffness that costs: no run is better in both, so all stay."""
    stiff = impeto.FigureOf(name="stiff", channel="k + 0 N/m*t/(1 s)", figure="max")
    sag = impeto.FigureOf(name="sag", channel="block.position.z", figure="peak")
    model = window.document.model.without("high")
    window.document.edit("figures", model.with_element(stiff).with_element(sag))
    dialog.renew()
    dialog.setup.kind.setCurrentText("two figures together")
    dialog.setup.figure.setCurrentText("sag")
    dialog.setup.other.setCurrentText("stiff")
    assert "sag" not in [dialog.setup.other.itemText(k) for k in range(dialog.setup.other.count())]
    dialog.setup.points.setValue(60)
    add(hand, dialog, "k", "1 kN/m : 8 kN/m")
    solve(hand, dialog)
    found = dialog.found
    costs = [[found.history.answers[n].figures[f] for f in ("sag", "stiff")] for n in found.front]
    assert len(costs) >= 8
    for low, k in costs:
        assert low == pytest.approx(2 * 10 * 9.80665 / k, rel=1e-4)
    assert len(texts(dialog.table)) == len(costs)
    dialog.table.cellDoubleClicked.emit(0, 0)
    hand.qtbot.waitUntil(lambda: len(window.document.runs) > 0 and window.job is None)
    assert window.document.model.cases["sag 1"].values["k"].si == pytest.approx(costs[0][1])
    hand.qtbot.mouseClick(dialog.keep, Qt.MouseButton.LeftButton)
    assert window.document.model["trade_off"].against == "stiff"
