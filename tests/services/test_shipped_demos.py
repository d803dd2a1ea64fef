"""Demos that were built wholly by hand in the window, against what can be said by hand."""

import numpy as np
import pytest

import impeto
from impeto.core.check import check
from impeto.core.geometry.rotation import from_roll_pitch_yaw
from impeto.core.model.scope import Scope
from impeto.core.results.poses import poses
from impeto.core.results.sizing import stalls
from impeto.services import model_file


@pytest.mark.parametrize("name", ["sling_swing", "debarker_ring", "loader_crane", "chipper_deck"])
def test_a_demo_built_by_hand_is_healthy(name):
    assert not check(model_file.load_demo(name)).findings


def test_a_log_in_two_slings_swings_with_the_period_of_a_pendulum():
    """T = 2π √(L/g) (1 + θ²/16), of the slings stretched by the weight."""
    model = model_file.load_demo("sling_swing")
    r = impeto.simulate(model)
    y, t = r["log.position.y"], r.time
    rising = np.flatnonzero((y[:-1] < 0.0) & (y[1:] >= 0.0))
    at = t[rising] - y[rising] * (t[rising + 1] - t[rising]) / (y[rising + 1] - y[rising])
    g = 9.80665
    length = 2.0 + impeto.masses(model)["log"].mass * g / 2 / 2e6
    angle = y.max() / length
    expected = 2 * np.pi * np.sqrt(length / g) * (1 + angle**2 / 16)
    np.testing.assert_allclose(np.diff(at), expected, rtol=1e-5)
    assert r["sling_start.force"].mean() * 2 == pytest.approx(
        impeto.masses(model)["log"].mass * g, rel=5e-3
    )


def test_the_bearing_of_a_spinning_ring_that_is_tilted_feels_the_gyroscopic_moment():
    """M = I ω Ω about the axis square to both."""
    model = model_file.load_demo("debarker_ring")
    r = impeto.simulate(model)
    spin, tilt = 300 * np.pi / 30, np.deg2rad(15) * 2 * np.pi * 0.5
    about_axis = impeto.masses(model)["ring"].inertia[2][2]
    assert np.abs(r["ring_bearing.torque.x"]).max() == pytest.approx(
        about_axis * spin * tilt, rel=1e-6
    )


def test_the_crane_lifts_its_log_by_four_joints_and_its_weak_motor_stalls():
    """The screw's force by moments about the boom's pin; the current by the motor's constants."""
    model = model_file.load_demo("loader_crane")
    assert check(model).free == 4
    runs = {case: impeto.simulate(model, case, until=9.0) for case in model.cases}
    good, weak = runs["Base"], runs["Weak motor"]
    assert good["extension.position.z"][-1] - good["extension.position.z"][0] > 0.7
    assert good["slew.turn_z.position"][-1] == pytest.approx(np.pi / 2, abs=5e-3)
    (told,) = stalls(weak)
    assert told.startswith("jack_motor stalls from 1.")
    assert not stalls(good)
    # at rest at the end: what hangs beyond the boom's pin is held by the jack at its lever
    rows = {row.name: row.each for row in impeto.weights(model)}
    height, lever = good["heel.turn_z.position"][-1], 0.0
    for name in ("boom", "arm", "extension"):
        origin, turn = pose_at_end(good, name)
        start, axes = drawn(model, name)
        centre = origin + turn @ axes.T @ (rows[name].center - start)
        lever += rows[name].mass * 9.80665 * np.hypot(*centre[:2])
    lower, pin = np.array([0.25, -0.4]), np.array([0.7, -0.06])
    up = np.array([[np.cos(height), np.sin(height)], [-np.sin(height), np.cos(height)]])
    way = up @ pin - lower
    arm = abs(np.cross(np.append(lower, 0), np.append(way / np.linalg.norm(way), 0))[2])
    assert good["upper_pin.force"][-1] == pytest.approx(lever / arm, rel=0.02)  # the jack's weight


def drawn(model, name):
    body = model[name]
    scope = Scope(model)
    rotation = from_roll_pitch_yaw(scope.vector(body, "orientation", "angle"))
    return scope.vector(body, "position", "length"), rotation


def pose_at_end(run, name):
    origins, rotations = poses(run, float(run.time[-1]))
    row = run.bodies[name]
    return origins[row], rotations[row]


def test_the_tuned_mass_of_the_chipper_deck_is_as_den_hartog_has_it():
    """1934: a share μ of the mass, tuned to 1/(1 + μ), lets it swing √(1 + 2/μ) times the static
    way. The force goes through the resonance slowly, so a few percent are left."""
    model = model_file.load_demo("chipper_deck")
    tuned = impeto.simulate(model, "Tuned", tol="draft")
    static = 1e3 / (4 * 247e3)
    swing = np.ptp(tuned["deck.position.z"]) / 2
    assert swing == pytest.approx(static * np.sqrt(1 + 2 / 0.1), rel=0.02)
    assert not tuned.judged().missed
    assert Scope(model, "Tuned").parameter("tuning").si == pytest.approx(1 / 1.1, rel=5e-3)
    assert impeto.simulate(model, "Base", tol="draft").judged().missed


@pytest.mark.slow
def test_the_motor_that_the_gang_saw_finds_is_the_smallest_of_a_grid():
    model = model_file.load_demo("gang_saw")
    found = impeto.optimise(model, model["smallest_motor"])
    assert not found.missed
    size = found.values["rated_torque"]
    rims = " , ".join(f"{rim} mm" for rim in range(70, 241, 10))
    for share, some in ((0.95, False), (1.03, True)):
        vary = {"rated_torque": f"{share * size} N*m", "rim_thickness": rims}
        tried = impeto.sweep(model, vary, case="Motor with droop")
        assert tried.meets.any() == some


@pytest.mark.slow
def test_the_counterweight_that_the_gang_saw_finds_is_the_best_of_a_grid():
    model = model_file.load_demo("gang_saw")
    found = impeto.optimise(model, model["balance"])
    tried = impeto.sweep(model, {"counterweight_width": "20 mm : 160 mm : 29"}, case="Base")
    best = tried.values[np.argmin(tried.figures["bearing_peak"]), 0]
    assert found.values["counterweight_width"] == pytest.approx(best, abs=5e-3)
    assert found.best.figures["bearing_peak"] <= np.nanmin(tried.figures["bearing_peak"]) * 1.001
