"""Pointing at features on the Stage, and joints made of two of them, by pointer and keys."""

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt

import impeto
from impeto.core.connecting import features
from tests.app.test_engine_in_the_window import open_model

CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier
LEFT = Qt.MouseButton.LeftButton


def lever_and_post():
    ground = impeto.Body(name="ground", shapes=(
        impeto.Box(size=("600 mm", "200 mm", "20 mm"), position=("0 m", "0 m", "-100 mm")),
        impeto.Cylinder(radius="12 mm", length="120 mm", orientation=("90 deg", 0, 0),
                        position=("-200 mm", "-60 mm", "60 mm"))))  # fmt: skip
    lever = impeto.Body(name="lever", position=(0.05, -0.1, 0.25),
                        orientation=("70 deg", "0 deg", "20 deg"), shapes=(
        impeto.Box(size=("260 mm", "40 mm", "16 mm"), position=("0.15 m", 0, 0)),
        impeto.Tube(radius="24 mm", inner_radius="12 mm", length="20 mm",
                    position=("-20 mm", 0, 0))))  # fmt: skip
    return impeto.Model("lever", [ground, lever, impeto.Gravity(name="gravity")])


def one(window, body, kind):
    return next(f for f in features(window.document.model, body) if f.kind == kind)


def pixel(stage, point):
    x, y = stage.to_screen(np.asarray(point)[None])[0]
    return QPoint(round(x), round(y))


def point_at(hand, stage, place):
    hand.qtbot.mouseMove(stage, place)
    stage.pointing.look(place)
    hand.settle()


@pytest.fixture
def stage(window, hand):
    open_model(window, lever_and_post())
    hand.settle()
    return window.stage


def wall_of(stage, pin):
    """A pixel on the near side of the wall of the pin."""
    look = np.array(stage.scene.camera.GetPosition()) - pin.point
    out = look - (look @ pin.direction) * pin.direction
    return pixel(stage, pin.point + pin.radius * out / np.linalg.norm(out))


def test_a_pin_is_made_by_one_key_and_two_clicks_and_taken_back_by_one(window, hand, stage):
    before = window.document.model
    pin, hole = one(window, "ground", "axis"), one(window, "lever", "hole")
    hand.keys((Qt.Key.Key_J, CTRL))
    place = wall_of(stage, pin)
    point_at(hand, stage, place)
    assert stage.pointing.current.kind == "axis"
    hand.qtbot.mouseClick(stage, LEFT, pos=place)
    mouth = pixel(stage, hole.point)
    point_at(hand, stage, mouth + QPoint(14, 4))  # over the lever's eye, then into it
    point_at(hand, stage, mouth)
    assert stage.pointing.current.kind == "hole"
    hand.qtbot.mouseClick(stage, LEFT, pos=mouth)
    hand.settle()
    model = window.document.model
    assert window.document.selected == "lever_joint"
    assert model["lever_joint"].free == ("turn z",)
    assert "lever was brought to it" in window.toast.text()
    brought = one(window, "lever", "hole")
    away = brought.point - pin.point
    assert abs(brought.direction @ pin.direction) == pytest.approx(1.0, abs=1e-12)
    np.testing.assert_allclose(np.cross(away, pin.direction), 0.0, atol=1e-11)
    hand.qtbot.waitUntil(lambda: window.health.head.text() == "1 free motion")
    assert stage.pointing.gesture is None
    hand.keys((Qt.Key.Key_Z, CTRL))
    assert window.document.model == before
    assert "connection of ground and lever" in window.toast.text()


def test_tab_goes_through_what_lies_there_and_escape_ends_connecting(window, hand, stage):
    pin = one(window, "ground", "circle")
    look = np.array(stage.scene.camera.GetPosition()) - pin.point
    rim = pin.across * (1.0 if look @ pin.across > 0.0 else -1.0)
    place = pixel(stage, pin.point + 0.93 * pin.radius * rim)
    near = next(
        place + QPoint(dx, dy) for dx in range(-6, 7) for dy in range(-6, 7)
        if stage.pointing.look(place + QPoint(dx, dy)) is None and len(stage.pointing.found) > 1
    )  # fmt: skip
    point_at(hand, stage, near)
    first = stage.pointing.current
    stage.setFocus()
    hand.qtbot.keyClick(stage, Qt.Key.Key_Tab)
    assert stage.pointing.current is not first
    assert window.stage.hasFocus()
    hand.keys((Qt.Key.Key_J, CTRL))
    assert window.stage_panel.connect_chip.isChecked()
    hand.qtbot.keyClick(stage, Qt.Key.Key_Escape)
    assert stage.pointing.gesture is None
    assert not window.stage_panel.connect_chip.isChecked()


def test_shift_keeps_the_gap_and_two_features_of_one_body_are_refused(window, hand, stage):
    pin, hole = one(window, "ground", "axis"), one(window, "lever", "hole")
    mouth = pixel(stage, hole.point)
    hand.keys((Qt.Key.Key_J, CTRL))
    for _ in range(2):
        point_at(hand, stage, mouth + QPoint(14, 4))
        point_at(hand, stage, mouth)
        hand.qtbot.mouseClick(stage, LEFT, pos=mouth)
    assert "features of lever" in window.toast.text()
    before = window.document.model["lever"]
    place = wall_of(stage, pin)  # the first pick is kept
    point_at(hand, stage, place)
    hand.qtbot.mouseClick(stage, LEFT, SHIFT, place)
    assert window.document.model["lever"] == before
    assert window.document.model["lever_joint"].free == ("turn z",)


def test_a_spring_is_strung_between_two_features_by_the_same_gesture(window, hand, stage):
    pin, corner = one(window, "ground", "axis"), one(window, "lever", "hole")
    window.commands.named("Connect two features by a spring").action()
    place, mouth = wall_of(stage, pin), pixel(stage, corner.point)
    for where in (place, mouth):
        if where is mouth:
            point_at(hand, stage, mouth + QPoint(14, 4))
        point_at(hand, stage, where)
        hand.qtbot.mouseClick(stage, LEFT, pos=where)
    model = window.document.model
    assert window.document.selected == "lever_spring"
    assert isinstance(model["lever_spring"], impeto.Spring)
    drawn = float(np.linalg.norm(corner.point - pin.point))
    run = impeto.simulate(model, until=0.01)
    assert run["lever_spring.length"][0] == pytest.approx(drawn, rel=1e-11)


def test_features_of_three_hundred_bodies_answer_at_once(window, hand):
    """Not a timed test: only the body under the pointer is looked at."""
    bodies = [
        impeto.Body(name=f"plank_{k}", position=(0.3 * (k % 20), 0.3 * (k // 20), 0),
                    shapes=(impeto.Box(size=(0.2, 0.2, 0.05)),))
        for k in range(300)
    ]  # fmt: skip
    open_model(window, impeto.Model("many", bodies))
    stage = window.stage
    hand.qtbot.waitUntil(lambda: "and 294 more" in window.health.text.text())
    assert window.height() == 800  # the Health card does not stretch the window
    top = next(f for f in features(window.document.model, "plank_57")
               if f.kind == "face" and f.direction[2] > 0.9)  # fmt: skip
    place = pixel(stage, top.point)
    stage.pointing.look(place)
    assert stage.pointing.current.body == "plank_57"
    assert set(stage.pointing.finder._known) == {"plank_57"}


def test_what_lies_behind_a_surface_is_not_offered(window, hand):
    screen = impeto.Box(size=(0.6, 0.02, 0.6), position=(0, -0.3, 0))
    behind = impeto.Box(size=(0.2, 0.2, 0.2), position=(0, 0.3, 0))
    body = impeto.Body(name="cabin", shapes=(screen, behind))
    open_model(window, impeto.Model("cabin", [body]))
    stage = window.stage
    stage.set_view("front")
    hand.settle()
    hidden = next(
        f for f in features(window.document.model, "cabin") if f.kind == "corner" and f.shape == 2
    )
    stage.pointing.look(pixel(stage, hidden.point))
    assert stage.pointing.current.kind == "face"
    assert {f.shape for f in stage.pointing.found if f.kind not in ("centre of mass",)} == {1}
