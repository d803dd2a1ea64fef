"""Contact by clicks and keys: a rule by names, its pairs, an overlap mended, forces after a run."""

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QAbstractButton, QCheckBox, QComboBox, QLabel

import impeto
from impeto.app.sheet.editors import CheckedLine
from tests.app.test_engine_in_the_window import link_of, open_model

CTRL = Qt.KeyboardModifier.ControlModifier


def heap():
    """Two balls over a floor, one of them half in it, and no rule yet."""
    return impeto.Model("heap", [
        impeto.Gravity(name="gravity"),
        impeto.Body(name="ground", shapes=(impeto.HalfSpace(),)),
        impeto.Body(name="ball_1", position=(0, 0, 0.03), shapes=(impeto.Sphere(),)),
        impeto.Body(name="ball_2", position=(0.4, 0, 0.06), shapes=(impeto.Sphere(),)),
    ], settings=impeto.RunSettings(until="0.3 s"))  # fmt: skip


def words(window):
    return " ".join(label.text() for label in window.sheet.findChildren(QLabel))


def test_a_rule_is_added_by_names_and_shows_its_pairs(window, hand, qtbot):
    open_model(window, heap())
    window.commands.named("Add a contact rule").action()
    hand.settle()
    assert "3 pairs" in words(window)
    hand.type_into("First", "ball_*")
    assert window.document.model["contact_rule"].first == ("ball_*",)
    hand.type_into("Second", "ground")
    qtbot.waitUntil(lambda: "2 pairs" in words(window))
    assert "ground – ball_1" in words(window)
    hand.type_into("Second", "not a name")
    line = next(e for e in window.sheet.findChildren(CheckedLine)
                if e.line.accessibleName() == "Second")  # fmt: skip
    assert "cannot be a name" in line.message.text()
    assert window.document.model["contact_rule"].second == ("ground",)
    window.stage.grab()  # with the lines of the pairs


def test_an_overlap_is_named_on_the_health_card_and_one_click_mends_it(window, hand, qtbot):
    rule = impeto.ContactRule(name="touch")
    open_model(window, heap().with_element(rule))
    qtbot.waitUntil(lambda: "overlaps" in window.health.text.text())
    window.health.text.linkActivated.emit(link_of(window.health, "Move ball_1"))
    place = window.document.model["ball_1"].position[2]
    assert float(place.text.split()[0]) == pytest.approx(0.05, abs=1e-4)
    qtbot.waitUntil(lambda: "overlaps" not in window.health.text.text())


def test_after_a_run_the_forces_of_contact_are_drawn_and_charted(window, hand, qtbot):
    rule = impeto.ContactRule(name="touch", restitution=0.2)
    open_model(window, heap().with_element(rule))
    hand.keys((Qt.Key.Key_R, CTRL))
    qtbot.waitUntil(lambda: bool(window.document.runs))
    recording = window.document.run.recording
    assert not recording.stopped
    window.show_desk("Watch")
    window.document.set_instant(recording.time[-1])
    window.document.select("")
    hand.settle()
    force = window.look.colour("force").name()
    picture = window.stage.grab().toImage()
    seen = {
        picture.pixelColor(x, y).name()
        for x in range(0, picture.width(), 2)
        for y in range(0, picture.height(), 2)
    }
    assert force in seen
    chart = window.watch.add_chart()
    chart.add("touch.normal")
    assert recording["touch.normal"][-1] > 0.0


def chosen(hand, name, text):
    """Choose from a list by its keys."""
    combo = hand.find(name, QComboBox)
    combo.setFocus()
    assert combo.findText(text) >= 0
    while combo.currentText() != text:
        before = combo.currentText()
        hand.qtbot.keyClick(combo, Qt.Key.Key_Down)
        hand.qtbot.wait(100)
        combo = hand.find(name, QComboBox)
        combo.setFocus()
        assert combo.currentText() != before
    return combo


def test_a_case_of_its_own_integrator_runs_in_quick_mode_and_says_so(window, hand, qtbot):
    rule = impeto.ContactRule(name="touch", restitution=0.2)
    open_model(window, heap().without("ball_1").with_element(rule))
    qtbot.wait(100)  # the Sheet is built anew a little later
    hand.click(hand.find("Copy case", QAbstractButton))
    qtbot.wait(100)
    chosen(hand, "Own integrator", "quick")
    hand.type_into("Own end time", "0.2 s")
    name = window.document.case
    case = window.document.model.cases[name]
    assert (case.integrator, str(case.until)) == ("quick", "0.2 s")
    assert window.document.model.settings.integrator == "automatic"
    hand.keys((Qt.Key.Key_R, CTRL))
    qtbot.waitUntil(lambda: bool(window.document.runs))
    recording = window.document.run.recording
    assert (recording.statistics.integrator, recording.case) == ("quick", name)
    assert recording.time[-1] == pytest.approx(0.2)
    assert "Fixed steps of order 1" in window.strip.quality.toolTip()
    window.show_desk("Build")
    qtbot.wait(100)
    hand.click(hand.find("Copy case", QAbstractButton))
    assert window.document.model.cases[window.document.case].integrator == "quick"


def test_a_quick_step_of_nothing_is_refused_before_the_run(window, hand, qtbot):
    open_model(window, heap())
    qtbot.wait(100)
    chosen(hand, "Integrator", "quick")
    hand.type_into("Quick step", "0 ms")
    hand.keys((Qt.Key.Key_R, CTRL))
    qtbot.waitUntil(lambda: "quick step must be" in window.toast.text())
    assert window.document.run is None


def test_a_selected_rule_shows_how_finely_it_watches_outlines(window, hand, qtbot):
    """Dots where places of contact may begin, on the teeth as drawn; gone with the selection."""
    wheel = impeto.Body(name="wheel", shapes=(impeto.ToothedWheel(),))
    other = impeto.Body(name="other", position=(0.5, 0, 0), shapes=(impeto.Box(),))
    model = impeto.Model("m", [wheel, other, impeto.ContactRule(name="touch")])
    open_model(window, model)
    plain = window.stage.grab().toImage()
    hand.pick_row("touch")
    qtbot.waitUntil(lambda: bool(window.stage.resolution.shapes))
    watched = window.stage.resolution.shapes[0]
    assert (watched.body, watched.cell) == ("wheel", 0.0)
    assert len(watched.points) > 100
    with_dots = window.stage.grab().toImage()
    hand.pick_row("other")
    assert window.stage.resolution.shapes == ()
    hand.pick_row("touch")
    hand.pick_row("wheel")  # before the answer is there: it comes too late and is dropped
    qtbot.wait(300)
    assert window.stage.resolution.shapes == ()
    assert with_dots != plain


def test_settling_by_a_click_lets_a_run_start_at_rest_on_the_floor(window, hand, qtbot):
    open_model(window, heap().with_element(impeto.ContactRule(name="touch")))
    window.document.select("run settings")
    hand.settle()
    hand.click(hand.find("Settle first", QCheckBox), QPoint(8, 8))
    hand.keys((Qt.Key.Key_R, CTRL))
    qtbot.waitUntil(lambda: bool(window.document.runs))
    qtbot.waitUntil(lambda: window.job is None)
    run = window.document.run.recording
    weight = 9.80665 * run.system.mechanism.bodies[2].mass
    assert run["ball_2.touch.ground.normal"] == pytest.approx(weight, rel=1e-3)
    assert "Settled to equilibrium" in window.strip.quality.toolTip()
