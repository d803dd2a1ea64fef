"""What is repeated, built and changed in the window."""

from dataclasses import replace

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QPushButton

import impeto
from impeto.app.sheet.editors import QuantityEditor
from impeto.core.model.removing import removed
from impeto.services import model_file
from tests.app.test_by_hand import Counted, healthy, solved
from tests.app.test_engine_in_the_window import open_model
from tests.app.test_pointing import pixel

CTRL, ALT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.AltModifier
Key = Qt.Key


@pytest.fixture
def hands(window, qtbot, hand):
    open_model(window, model_file.new_model())
    hand.settle()
    return Counted(qtbot, window)


def hanging_chain(count=12, pitch=0.08):
    """Round bars hung end to end on balls, drawn along x."""
    model = impeto.Model("chain", [impeto.Gravity(name="gravity")])
    for k in range(count):
        bar = impeto.Cylinder(radius=0.01, length=pitch, position=(pitch / 2, 0, 0),
                              orientation=("0 deg", "90 deg", "0 deg"))  # fmt: skip
        body = impeto.Body(name=f"link_{k + 1}", position=(pitch * k, 0, 0), shapes=(bar,))
        model = model.with_element(body)
        before = f"link_{k}" if k else "ground"
        model = impeto.joined(model, f"tie_{k}", before, body.name, (pitch * k, 0, 0),
                              free=("turn x", "turn y", "turn z"))  # fmt: skip
    return model


def test_a_chain_of_twelve_links_is_hung_up_by_keys_in_at_most_25_actions(window, hands, qtbot):
    hands.chord(Key.Key_B, CTRL)
    hands.typed("link at 0, 0, 0")
    hands.typed("80 mm, 0, 0")
    hands.chord(Key.Key_Return)
    hands.chord(Key.Key_E, CTRL | ALT)
    hands.typed("link circle 0.08")
    hands.typed("link circle at 0, 0, 0")
    assert window.document.model["link_chain"].count.text == "12"
    hands.chord(Key.Key_J, CTRL)
    hands.typed("0, 0, 0")
    hands.typed("link_1 circle at 0, 0, 0")
    hands.chord(Key.Key_Escape)
    health = healthy(window)
    assert health.free == 36
    run = solved(window, hands, 5.0)
    assert hands.count <= 25
    print("chain:", hands.count, "actions")
    other = impeto.simulate(hanging_chain(), until=0.3)  # later it swings as it likes
    early = run.time <= 0.3 + 1e-9
    for name in ("link_1.position.z", "link_7.position.x", "link_12.position.z"):
        np.testing.assert_allclose(run[name][early], other[name], atol=1e-6)


def said(window, name):
    """What stands under a field that refuses."""
    editor = next(e for e in window.findChildren(QuantityEditor) if e.line.accessibleName() == name)
    return editor.message.text()


def choose(hands, window, name, text):
    """In a list of the Sheet, by its first letters."""
    box = next(b for b in window.findChildren(QComboBox) if b.accessibleName() == name)
    box.setFocus()
    hands.qtbot.keyClicks(box, text)
    hands.qtbot.keyClick(box, Key.Key_Return)
    hands.qtbot.wait(30)


def test_a_ring_of_24_rollers_is_one_roller_and_a_repeat(window, hands, hand):
    hands.chord(Key.Key_B, CTRL)
    hands.typed("roller at 0, 0, 500 mm")
    hands.typed("100 mm, 0, 500 mm")
    hands.chord(Key.Key_Return)
    hands.command("Add a repeat")
    hand.settle()
    choose(hands, window, "Along", "a circle")
    hand.type_into("Count", "24")
    model = window.document.model
    ring = next(iter(model.of(impeto.Repeat)))
    assert (ring.along, ring.count.text, ring.bodies) == ("a circle", "24", ("roller",))
    places = [window.stage.body_place(f"roller_{k}")[0] for k in (1, 7, 13)]
    np.testing.assert_allclose(places, [[0, 0, 0.5]] * 3, atol=1e-9)
    hand.type_into("Count", "0")
    assert "0 members cannot be made" in said(window, "Count")
    assert window.document.model == model


def test_a_member_that_is_clicked_shows_the_original_and_may_stand_alone(window, hand, qtbot):
    open_model(window, model_file.load_demo("drag_chain"))
    hand.settle()
    stage = window.stage
    stage.set_view("top")
    hand.settle()
    names = [f"link_{k}" for k in range(30, 41)]  # in the open
    here = next(
        spot for name in names
        for spot in [pixel(stage, stage.body_place(name)[0] + np.array([0.0, 0.015, 0.0]))]
        if stage.element_at(spot) in names
    )  # fmt: skip
    qtbot.mouseClick(stage, Qt.MouseButton.LeftButton, pos=here)
    member = window.document.picked
    assert member in names
    assert window.document.chosen == ("link",)
    assert stage.scene.selected == (member,)
    hand.settle()
    alone = next(
        b for b in window.findChildren(QPushButton) if b.text() == f"let {member} stand alone"
    )
    hand.click(alone)
    assert window.document.chosen == (member,)
    hand.settle()
    hand.type_into("Mass", "2 kg")
    masses = impeto.masses(window.document.model)
    assert masses[member].mass == 2.0
    assert masses["link_7"].mass == pytest.approx(0.4588, rel=1e-3)
    window.undo()
    window.undo()
    assert member not in window.document.model.elements


def test_the_left_half_of_a_vehicle_is_mirrored_to_what_was_written_out(window, hands, hand):
    whole = model_file.load_demo("log_forwarder")
    half = removed(whole, [name for name in whole.elements if "right" in name])
    left = replace(half["wheels"], members=("wheel_front_left", "wheel_rear_left"))
    half = half.with_element(left)
    open_model(window, half)
    hand.settle()
    hand.pick_row("carrier_left")
    for name in ("beam_left", "wheel_front_left", "wheel_rear_left"):
        window.document.select(name, beside=True)
    hands.command("Add a mirror")
    hand.settle()
    assert window.document.selected == "mirror"
    assert set(window.document.marked) >= {"wheel_rear_left", "wheel_rear_right"}
    shown = {b.name for b in window.document.whole.of(impeto.Body)}
    assert shown == {b.name for b in whole.of(impeto.Body)}
    ours, theirs = (impeto.simulate(m, until=1.0) for m in (window.document.model, whole))
    for name in ("trailer.position.z", "wheel_rear_right.position.z", "spring_right.force"):
        peak = np.abs(theirs[name]).max()
        np.testing.assert_allclose(ours[name], theirs[name], atol=2e-3 * peak, err_msg=name)
    assert window.document.undo() == "new mirror mirror"


def test_handles_move_what_is_repeated_where_its_first_member_is(window, hand):
    open_model(window, model_file.load_demo("drag_chain"))
    hand.settle()
    window.document.select("link_3")
    handles = window.stage.handles
    handles.on = True
    window.stage.grab()
    assert (handles.body, handles.shown) == ("link", "link_1")
    up = next(h for h in handles._all() if h.kind == "move" and h.axis == 2)
    handles.type(up, "50 mm")
    assert window.document.model["link"].position[2].text == "0.006 m"
    np.testing.assert_allclose(window.stage.body_place("link_40")[0][2], 0.006, atol=1e-12)
    handles.on = False
