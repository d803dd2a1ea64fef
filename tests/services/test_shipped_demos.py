"""Demos that were built wholly by hand in the window, against what can be said by hand."""

import numpy as np
import pytest

import impeto
from impeto.core.check import check
from impeto.services import model_file


@pytest.mark.parametrize("name", ["sling_swing", "debarker_ring"])
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
