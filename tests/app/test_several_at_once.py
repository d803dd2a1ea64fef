"""A run seen in several ways at once: arrows, views beside each other, pictures along a motion."""

from functools import partial

import numpy as np
import pytest
from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import QMenu

import impeto
from impeto.app.energy_dialog import EnergyDialog, streams
from impeto.app.stage.ghost import first_marks
from impeto.app.stage.trace import length_of
from impeto.app.stage.vectors import IN_JOINTS, KINDS
from impeto.core.results.poses import poses, value_at
from impeto.core.simulate import simulate
from tests.app.conftest import in_what_opens


def choose(hand, chip, *texts):
    """Entries of the menus that a chip opens, one after the other."""
    for text in texts:

        def pick(menu, wanted=text):
            assert isinstance(menu, QMenu)
            action = next(a for a in menu.actions() if a.text() == wanted)
            hand.qtbot.mouseClick(menu, Qt.MouseButton.LeftButton,
                                  pos=menu.actionGeometry(action).center())  # fmt: skip

        QTimer.singleShot(20, partial(in_what_opens, pick))
        if chip.isVisible():
            hand.click(chip)
        else:  # there is no room: it stands in the menu of further chips, which clicks it
            chip.click()


def lengths(stage, title):
    """Of the arrows of a kind by element [m], as they are drawn, and the value of each."""
    r, kind = stage.document.run.recording, KINDS[title]
    shown = stage.vectors._shown(stage, r, kind)
    return {a.element: np.linalg.norm(a.at(r, stage.document.instant)) for a in shown}


def test_arrows_of_a_kind_are_chosen_in_a_menu_and_told_in_a_legend(solved, hand):
    panel, r = solved.stage_panel, solved.document.run.recording
    plain = solved.stage.grab().toImage()
    choose(hand, panel.arrow, IN_JOINTS, "torques of loads and drives")
    assert solved.stage.vectors.on == [IN_JOINTS, "torques of loads and drives"]
    assert solved.stage.grab().toImage() != plain
    solved.document.set_instant(0.123)
    drawn = lengths(solved.stage, IN_JOINTS)
    assert set(drawn) == {j.name for j in solved.document.model.of(impeto.Joint)}
    for name, size in drawn.items():
        parts = [value_at(r, r[f"{name}.force.{axis}"], 0.123) for axis in "xyz"]
        assert size == pytest.approx(np.linalg.norm(parts))
    solved.document.select("crank_pin")
    assert set(lengths(solved.stage, IN_JOINTS)) == {"crank_pin"}
    solved.document.select("")
    choose(hand, panel.arrow, IN_JOINTS)
    assert solved.stage.vectors.on == ["torques of loads and drives"]
    solved.stage.vectors.clear()


def test_arrows_of_drives_and_springs_point_as_they_act(window):
    els = [
        impeto.Body(name="block", position=(0.3, 0, 0), shapes=(impeto.Box(),)),
        impeto.Frame(name="wall"), impeto.Frame(name="eye", body="block"),
        impeto.Joint(name="guide", frame_a="wall", frame_b="eye", free=("slide x",)),
        impeto.Spring(name="coil", frame_a="wall", frame_b="eye", stiffness="1 kN/m",
                      free_length="0.1 m"),
        impeto.Load(name="push", frame="eye", value="5 N", direction=(0, 1, 0)),
    ]  # fmt: skip
    window.document.open(impeto.Model("coil", els), None)
    window.document.add_run(simulate(window.document.model, until=0.01))
    stage, r = window.stage, window.document.run.recording
    ends = list(KINDS["forces of springs, dampers and ropes"].find(stage))
    assert [np.round(e.at(r, 0.0)) for e in ends] == [pytest.approx([200, 0, 0]),
                                                      pytest.approx([-200, 0, 0])]  # fmt: skip
    (load,) = KINDS["forces of loads and drives"].find(stage)
    assert load.at(r, 0.0) == pytest.approx([0, 5, 0])
    (speed,) = KINDS["accelerations of centres of mass"].find(stage)
    mass = r.system.tables.mass[1]
    assert speed.at(r, 0.0) == pytest.approx([-200 / mass, 0, 0], rel=1e-3)


def test_four_views_look_from_four_sides_at_the_same_instant(solved, hand):
    panel = solved.stage_panel
    choose(hand, panel.split, "four views")
    stages = panel.views.all
    assert [stage.view for stage in stages] == ["oblique", "front", "top", "right"]
    solved.document.set_instant(0.2)
    origins, _ = poses(solved.document.run.recording, 0.2)
    row = solved.document.run.recording.bodies["rod"]
    for stage in stages:
        assert stage.isVisible()
        assert stage.body_place("rod")[0] == pytest.approx(origins[row])
    looks = np.array([stage.looks() for stage in stages[1:]])
    assert looks == pytest.approx(np.array([[0, 1, 0], [0, 0, -1], [-1, 0, 0]]), abs=1e-6)
    panel.skeleton.setChecked(True)
    assert all(stage.skeleton for stage in stages)
    panel.skeleton.setChecked(False)
    choose(hand, panel.split, "one view")
    assert panel.views.all == [solved.stage]


def test_pictures_along_the_motion_stand_where_the_run_was(solved, hand):
    panel, stage, r = solved.stage_panel, solved.stage, solved.document.run.recording
    solved.document.select("rod")
    hand.settle()
    choose(hand, panel.onion, "5 pictures along the motion")
    end = float(r.time[-1])
    assert stage.onion.instants() == pytest.approx(np.linspace(0.0, end, 5))
    per_picture = len(stage.scene.actors["rod"])
    assert len(stage.onion._actors) == 5 * per_picture
    matrix = stage.onion._actors[2 * per_picture].GetUserMatrix()
    origins, _ = poses(r, end / 2)
    place = [matrix.GetElement(k, 3) for k in range(3)]
    assert place == pytest.approx(origins[r.bodies["rod"]])
    solved.document.set_span(0.1, 0.2)
    assert stage.onion.instants()[[0, -1]] == pytest.approx([0.1, 0.2])
    solved.document.set_span(None, None)
    choose(hand, panel.onion, "only the present instant")
    assert not stage.onion._actors
    solved.document.select("")


def falling(height):
    stops = impeto.Stops(freedom="slide z", lower="0 m", stiffness="100 kN/m", restitution=0.5)
    return impeto.Model("drop", [
        impeto.Gravity(name="gravity"),
        impeto.Body(name="block", position=(0, 0, height), shapes=(impeto.Box(),)),
        impeto.Frame(name="floor"), impeto.Frame(name="foot", body="block"),
        impeto.Joint(name="guide", frame_a="floor", frame_b="foot", free=("slide z",),
                     behaviours=(stops,)),
    ], settings=impeto.RunSettings(until="0.6 s"))  # fmt: skip


def test_a_ghost_goes_in_step_with_what_happened_in_both_runs(window, hand):
    window.document.open(falling(0.5), None)
    for height in (0.3, 0.5):
        window.document.add_run(simulate(falling(height)))
    for run in window.document.runs:
        window.document.show_run(run.name, True)
    window.show_desk("Watch")
    panel, ghost = window.stage_panel, window.stage.ghost
    hand.click(panel.ghost)
    (what,) = first_marks(window.document.run.recording)
    choose(hand, panel.align, f"at {what}")
    first, second = (np.sqrt(2 * h / 9.80665) for h in (0.3, 0.5))
    assert ghost.shift == pytest.approx(second - first, abs=1e-9)
    window.document.set_instant(float(second))
    height = ghost._matrices["block"].GetElement(2, 3)
    assert height == pytest.approx(0.0, abs=1e-3)  # both touch now
    choose(hand, panel.align, "at the start")
    assert ghost.shift == 0.0


def test_the_picture_of_energy_follows_the_run_and_its_span(solved, hand):
    hand.keys((Qt.Key.Key_W, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier))
    dialog = next(d for d in solved.findChildren(EnergyDialog) if d.isVisible())
    assert "0 s to 0.4 s" in dialog.title.text()
    flow = dialog.picture.flow
    r = solved.document.run.recording
    work = r["crank_drive.work"][-1] - r["crank_drive.work"][0]
    assert flow.given["crank_drive"] == pytest.approx(work)
    whole = sum(flow.given.values())
    left, right = (streams(flow.parts, sign, whole) for sign in (1.0, -1.0))
    assert sum(s.amount for s in left) == pytest.approx(whole)
    assert sum(s.amount for s in right) == pytest.approx(whole, rel=1e-6)
    blank = dialog.picture.grab().toImage()
    solved.document.set_span(0.1, 0.2)
    assert "0.1 s to 0.2 s" in dialog.title.text()
    assert dialog.picture.grab().toImage() != blank
    solved.document.set_span(None, None)
    dialog.close()


def test_a_selected_frame_has_a_speed_of_its_own_and_a_path_its_length(solved):
    r, stage = solved.document.run.recording, solved.stage
    stage.vectors.on = ["speeds of centres of mass"]
    solved.document.select("big_end")
    solved.document.set_instant(float(r.time[50]))
    speeds = lengths(stage, "speeds of centres of mass")
    assert speeds == {"big_end": pytest.approx(r["big_end.velocity"][50])}
    stage.vectors.clear()
    solved.document.select("")
    points = np.column_stack([r[f"big_end.position.{axis}"] for axis in "xyz"])
    chords = np.linalg.norm(np.diff(points, axis=0), axis=1).sum()
    assert length_of(r, "big_end") == pytest.approx(chords, rel=1e-2)
    radius = 0.25  # m, the crank: the big end goes round with it at 280 rpm
    assert length_of(r, "big_end") == pytest.approx(radius * 280 / 60 * 2 * np.pi * 0.4, rel=1e-3)
