"""The smooth integrator against problems with trusted solutions made by other code."""

import numpy as np
import pytest

from tests.reference_problems import problem, solved, vector, worst

SLIDER_CRANK = {
    "slider_position": "slider.position",
    "slider_velocity": "slider.velocity",
    "slider_acceleration": "slider.acceleration",
    "crank_bearing_force": "crank_bearing.force",
    "crank_pin_force": "crank_pin.force",
    "wrist_pin_force": "wrist_pin.force",
    "guide_force": "guide.force",
}


def test_large_pendulum_follows_the_elliptic_solution():
    r, ref, data = solved("01-planar-pendulum", "pendulum")
    offset = data["outputs"][0]["offset"]
    assert worst(r["pin.turn_z.position"] + offset, ref["theta"]) < 1e-8
    assert worst(r["pin.turn_z.speed"], ref["theta_dot"]) < 1e-8
    assert worst(vector(r, "pin.force"), ref["pin_force"]) < 1e-8


@pytest.mark.parametrize(("tol", "bound"), [("normal", 1e-5), ("fine", 1e-8)])
def test_slider_crank_of_spatial_joints_matches_the_closed_form(tol, bound):
    r, ref, _ = solved("03-slider-crank-driven", "driven", tol)
    assert worst(r["motor.torque"], ref["drive_torque"]) < bound
    for name, channel in SLIDER_CRANK.items():
        assert worst(vector(r, channel), ref[name]) < bound, name


def test_reactions_of_the_slider_crank_carry_no_alternating_noise():
    r, ref, _ = solved("03-slider-crank-driven", "driven")
    error = r["motor.torque"] - ref["drive_torque"]
    first, last = np.abs(error[:50]).max(), np.abs(error[50:]).max()
    assert last < 3 * first + 1e-9 * np.abs(ref["drive_torque"]).max()
    assert np.abs(np.diff(error, 2)).max() < 1e-8 * np.abs(ref["drive_torque"]).max()


@pytest.mark.parametrize("case", ["steady-precession", "nutation"])
def test_heavy_top_precesses_and_nutates_as_it_should(case):
    r, ref, _ = solved("06-heavy-top", case)
    assert worst(vector(r, "top.center.position"), ref["com"]) < 1e-7
    assert worst(vector(r, "top.spin"), ref["omega"]) < 1e-7
    assert worst(vector(r, "pivot.force"), ref["pivot_force"]) < 1e-7


def test_two_mass_chain_has_the_right_transient_tensions_and_guide_forces():
    r, ref, _ = solved("08-two-mass-chain", "chain")
    assert worst(vector(r, "m1.position"), ref["x1"]) < 1e-8
    assert worst(vector(r, "m2.velocity"), ref["v2"]) < 1e-8
    assert worst(r["s1.force"] + r["s1_damper.force"], ref["tension1"]) < 1e-8
    assert worst(r["s2.force"] + r["s2_damper.force"], ref["tension2"]) < 1e-8
    assert worst(vector(r, "guide1.force"), ref["guide1_force"]) < 1e-8
    assert np.abs(r["system.energy.balance"]).max() < 1e-8 * np.ptp(r["system.energy.loads"])


@pytest.mark.parametrize("case", ["N2", "N10"])
def test_parallelogram_loops_stay_on_their_branch_through_singular_poses(case):
    r, ref, data = solved("12-n-four-bar", case)
    offset = data["outputs"][0]["offset"]
    assert worst(r["base0.turn_z.position"] + offset, ref["angle"]) < 1e-6
    assert worst(r["system.energy.kinetic"], ref["kinetic_energy"]) < 1e-6
    assert len(problem("12-n-four-bar", case)["joints"]) == len(r.system.mechanism.joints)
