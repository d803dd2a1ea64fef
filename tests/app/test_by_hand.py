"""Machines built from an empty model by keys alone, with every action counted, against the same
machines written in Python."""

import numpy as np
import pytest
from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import QApplication

import impeto
from impeto.core.check import check
from impeto.services import model_file
from tests.app.conftest import in_what_opens
from tests.app.test_engine_in_the_window import open_model

CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier
ALT, NONE = Qt.KeyboardModifier.AltModifier, Qt.KeyboardModifier.NoModifier
Key = Qt.Key


class Counted:
    """Keys to whatever has the focus. An action is a key chord or a typed field with its Enter."""

    def __init__(self, qtbot, window):
        self.qtbot, self.window, self.count = qtbot, window, 0

    def chord(self, key, modifier=NONE):
        self.count += 1
        self.qtbot.keyClick(QApplication.focusWidget() or self.window, key, modifier)
        self.qtbot.wait(5)

    def typed(self, text, modifier=NONE):
        self.count += 1
        field = QApplication.focusWidget()
        assert field is not None, f"nothing has the focus for {text!r}"
        self.qtbot.keyClicks(field, text)
        self.qtbot.keyClick(field, Key.Key_Return, modifier)
        self.qtbot.wait(5)

    def command(self, words):
        """By the search; the dialog has a loop of its own."""

        def type_there(dialog):
            dialog.activateWindow()  # without a window manager it may not come by itself
            self.qtbot.waitUntil(
                lambda: dialog.isAncestorOf(QApplication.focusWidget() or self.window)
            )
            self.typed(words)

        QTimer.singleShot(20, lambda: in_what_opens(type_there))
        self.chord(Key.Key_K, CTRL)
        self.qtbot.wait(20)


@pytest.fixture
def hands(window, qtbot, hand):
    open_model(window, model_file.new_model())
    hand.settle()
    return Counted(qtbot, window)


def solved(window, hands, until):
    """Runs what was built, in the window."""
    hands.chord(Key.Key_R, CTRL)
    hands.qtbot.waitUntil(lambda: bool(window.document.runs))
    run = window.document.run.recording
    assert not run.stopped
    assert run.time[-1] == pytest.approx(until)
    return run


def same(run, written, channels, until, tolerance):
    """The same curves as those of the model that is written here."""
    other = impeto.simulate(written, until=until)
    np.testing.assert_allclose(run.time, other.time, atol=1e-12)
    for ours, theirs in channels.items():
        peak = max(np.abs(other[theirs]).max(), 1e-9)
        np.testing.assert_allclose(run[ours], other[theirs], atol=tolerance * peak, err_msg=ours)


def healthy(window):
    health = check(window.document.model)
    assert all(finding.severity == "note" for finding in health.findings), health.findings
    assert not health.redundant
    return health


def four_bar():
    """Crank 100 mm, rod, rocker 300 mm on a base of 400 mm; pins along y."""

    def bar(name, start, end):
        way = np.subtract(end, start)
        length = float(np.linalg.norm(way))
        turned = (-np.pi / 2, float(np.arctan2(-way[2], way[0])), 0.0)
        shape = impeto.Cylinder(radius=0.01, length=length, position=(length / 2, 0, 0),
                                orientation=("0 deg", "90 deg", "0 deg"))  # fmt: skip
        return impeto.Body(name=name, position=start, orientation=turned, shapes=(shape,))

    places = [(0, 0, 0), (0, 0, 0.1), (0.4, 0, 0.3), (0.4, 0, 0)]
    parts = [bar(name, places[k], places[k + 1])
             for k, name in enumerate(("crank", "rod", "rocker"))]  # fmt: skip
    model = impeto.Model("four-bar", [impeto.Gravity(name="gravity"), *parts])
    loose = ("slide z", "turn x", "turn y", "turn z")
    pins = (("ground", "crank", ("turn z",)), ("crank", "rod", ("turn z",)),
            ("rod", "rocker", ("turn z",)), ("ground", "rocker", loose))  # fmt: skip
    for k, (a, b, free) in enumerate(pins):
        model = impeto.joined(model, f"pin_{k}", a, b, places[k], free=free, z=(0, 1, 0))
    return model.with_element(impeto.Drive(name="drive", joint="pin_0", value="60 rpm"))


def test_a_four_bar_with_a_drive_is_built_by_keys_in_at_most_forty_actions(window, hands, qtbot):
    hands.chord(Key.Key_B, CTRL)
    hands.typed("crank at 0, 0, 0", SHIFT)
    hands.typed("0, 0, 100 mm")
    hands.typed("400, 0, 300 mm")
    hands.typed("400, 0, 0 mm", SHIFT)
    hands.chord(Key.Key_Return)
    hands.chord(Key.Key_D, CTRL | SHIFT)
    hands.typed("ground_crank_pin")
    hands.chord(Key.Key_F4)
    hands.typed("60 rpm")
    qtbot.waitUntil(lambda: bool(window.health.mendable))
    hands.chord(Key.Key_M, CTRL | ALT)
    health = healthy(window)
    assert (health.free, health.driven) == (0, 1)
    run = solved(window, hands, 5.0)
    assert hands.count <= 40
    print("four-bar:", hands.count, "actions")
    channels = {f"{ours}.position.{k}": f"{theirs}.position.{k}" for k in "xz"
                for ours, theirs in (("crank_2", "rod"), ("crank_3", "rocker"))}  # fmt: skip
    channels["ground_crank_pin_drive.torque"] = "drive.torque"
    same(run, four_bar(), channels, 5.0, 1e-6)


def quarter_vehicle():
    """A box on a strut with a ball for a tyre, drawn over a road."""
    profile = "0 m: 0 m; 1 m: 0 m; 1.3 m: 60 mm; 1.6 m: 0 m"
    ground = impeto.Body(name="ground", shapes=(impeto.Road(profile=profile, width="5 m"),))
    chassis = impeto.Body(name="chassis", position=(0, 0, 0.9),
                          shapes=(impeto.Box(size=("600 mm", "400 mm", "200 mm")),))  # fmt: skip
    tyre = impeto.Sphere(radius="200 mm", density="1000 kg/m^3")
    wheel = impeto.Body(name="wheel", position=(0, 0, 0.2), shapes=(tyre,))
    model = impeto.Model("quarter vehicle", [
        impeto.Gravity(name="gravity"), ground, chassis, wheel,
        impeto.ContactRule(name="tyre", stiffness="200 kN/m"),
    ])  # fmt: skip
    model = impeto.joined(model, "travel", "ground", "chassis", (0, 0.2, 0.9),
                          free=("slide x", "slide y"), z=(0, 1, 0))  # fmt: skip
    model = impeto.joined(model, "strut", "chassis", "wheel", (0, 0, 0.8), free=("slide z",),
                          z=(0, 0, -1))  # fmt: skip
    model = model.with_element(
        impeto.Drive(name="drive", joint="travel", freedom="slide x", value="3 m/s")
    )
    for name, body, at in (("up", "chassis", (0, 0, 0.8)), ("low", "wheel", (0, 0, 0.2))):
        model = model.with_element(impeto.frame_at(model, name, body, at))
    spring = impeto.Spring(name="spring", frame_a="up", frame_b="low", stiffness="40 kN/m",
                           damping="3 kN*s/m")  # fmt: skip
    return model.with_element(spring)


def test_a_quarter_vehicle_over_a_bump_is_built_by_keys_in_at_most_45_actions(window, hands):
    hands.command("set down a road profile")
    hands.chord(Key.Key_Tab)
    hands.typed("profile 0 m: 0 m; 1 m: 0 m; 1.3 m: 60 mm; 1.6 m: 0 m, width 5 m")
    hands.typed("0, 0, 0")
    hands.chord(Key.Key_B, CTRL | SHIFT)
    hands.chord(Key.Key_Tab)
    hands.typed("size 600 x 400 x 200 mm")
    hands.typed("chassis at 0, 0, 0.8")
    hands.chord(Key.Key_J, CTRL)
    hands.typed("chassis facing +y")
    hands.chord(Key.Key_Return, SHIFT)
    hands.chord(Key.Key_6)
    hands.chord(Key.Key_D, CTRL | SHIFT)
    hands.chord(Key.Key_F4)
    hands.typed("3 m/s")
    hands.command("set down a sphere")
    hands.chord(Key.Key_Tab)
    hands.typed("radius 200 mm, density 1000 kg/m^3")
    hands.typed("wheel at 0, 0, 0")
    hands.chord(Key.Key_J, CTRL)
    hands.typed("chassis facing -z")
    hands.typed("centre wheel", SHIFT)
    hands.chord(Key.Key_K)
    hands.typed("prismatic")
    hands.command("connect features by a spring")
    hands.typed("chassis facing -z")
    hands.typed("centre wheel")
    hands.chord(Key.Key_F4)
    hands.typed("40 kN/m")
    hands.chord(Key.Key_Tab)
    hands.typed("3 kN*s/m")
    hands.command("add a contact rule")
    hands.chord(Key.Key_F4)
    hands.typed("200 kN/m")
    healthy(window)
    run = solved(window, hands, 5.0)
    print("quarter vehicle:", hands.count, "actions")
    assert hands.count <= 45
    assert run["wheel.position.z"].max() > 0.22
    channels = {f"{body}.position.z": f"{body}.position.z" for body in ("chassis", "wheel")}
    same(run, quarter_vehicle(), channels, 5.0, 1e-4)


def winch():
    """Two steel wheels of 5 mm module, 20 and 41 teeth, a motor on the first."""
    pinion = impeto.Body(name="pinion", position=(0, 0, 0.02), shapes=(
        impeto.ToothedWheel(module="5 mm", teeth="20", width="40 mm"),))  # fmt: skip
    wheel = impeto.Body(name="wheel", position=(0.1525, 0, 0.02), shapes=(
        impeto.ToothedWheel(module="5 mm", teeth="41", width="40 mm"),))  # fmt: skip
    model = impeto.Model(
        "winch", [impeto.Gravity(name="gravity"), wheel, pinion, impeto.ContactRule(name="teeth")]
    )
    for name, x in (("wheel", 0.1525), ("pinion", 0.0)):
        model = impeto.joined(model, f"{name}_pin", "ground", name, (x, 0, 0.02))
    return model.with_element(impeto.Motor(name="motor", joint="pinion_pin"))


def test_two_toothed_wheels_and_a_motor_are_built_by_keys_in_at_most_forty_actions(window, hands):
    for name, teeth, x in (("wheel", 41, "152.5"), ("pinion", 20, "0")):
        hands.command("set down a toothed wheel")
        hands.chord(Key.Key_Tab)
        hands.typed(f"module 5 mm, teeth {teeth}, width 40 mm")
        hands.typed(f"{name} at {x} mm, 0, 0")
        hands.chord(Key.Key_J, CTRL)
        hands.typed(f"axis {name}")
        hands.chord(Key.Key_Return, SHIFT)
    hands.command("motor on a joint")
    hands.command("add a contact rule")
    hands.chord(Key.Key_F6)
    hands.typed("0.5 s")
    healthy(window)
    run = solved(window, hands, 0.5)
    print("toothed wheels:", hands.count, "actions")
    assert hands.count <= 40
    turned = {f"{name}.angular_velocity.z": f"{name}.angular_velocity.z"
              for name in ("pinion", "wheel")}  # fmt: skip
    same(run, winch(), turned, 0.5, 1e-6)
    speeds = run["pinion.angular_velocity.z"][-1], run["wheel.angular_velocity.z"][-1]
    assert speeds[0] / speeds[1] == pytest.approx(-41 / 20, rel=0.05)
