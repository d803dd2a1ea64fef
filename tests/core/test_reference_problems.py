"""The smooth integrator against problems with trusted solutions made by other code."""

import numpy as np
import pytest

import impeto
from tests.reference_problems import model_of, problem, solved, vector, worst

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
    assert worst(vector(r, "top.angular_velocity"), ref["omega"]) < 1e-7
    assert worst(vector(r, "pivot.force"), ref["pivot_force"]) < 1e-7


def test_two_mass_chain_has_the_right_transient_tensions_and_guide_forces():
    r, ref, _ = solved("08-two-mass-chain", "chain")
    assert worst(vector(r, "m1.position"), ref["x1"]) < 1e-8
    assert worst(vector(r, "m2.velocity"), ref["v2"]) < 1e-8
    assert worst(r["s1.force"] + r["s1_damper.force"], ref["tension1"]) < 1e-8
    assert worst(r["s2.force"] + r["s2_damper.force"], ref["tension2"]) < 1e-8
    assert worst(vector(r, "guide1.force"), ref["guide1_force"]) < 1e-8
    assert np.abs(r["system.energy.balance"]).max() < 1e-8 * np.ptp(r["system.energy.loads"])


@pytest.mark.parametrize("case", ["N2", pytest.param("N10", marks=pytest.mark.slow)])
def test_parallelogram_loops_stay_on_their_branch_through_singular_poses(case):
    r, ref, data = solved("12-n-four-bar", case)
    offset = data["outputs"][0]["offset"]
    assert worst(r["base0.turn_z.position"] + offset, ref["angle"]) < 1e-6
    assert worst(r["system.energy.kinetic"], ref["kinetic_energy"]) < 1e-6
    assert len(problem("12-n-four-bar", case)["joints"]) == len(r.system.mechanism.joints)


@pytest.mark.parametrize("case", ["undamped", "damped"])
def test_a_rope_catches_a_falling_mass_and_lets_go_at_the_right_instants(case):
    r, ref, data = solved("16-rope-drop", case)
    assert worst(r["mass.position.z"], ref["z"]) < 1e-10
    assert worst(r["rope.force"], ref["tension"]) < 1e-10
    assert r.statistics.changes >= len(data["scalars"]["events"]) // 2


def test_quarter_vehicle_crosses_a_bump_whose_speed_jumps():
    r, ref, _ = solved("19-quarter-vehicle", "half-sine-bump")
    for body, height in (("sprung", 0.8), ("unsprung", 0.3)):
        assert worst(r[f"{body}.position.z"] - height, ref[f"z_{body}"]) < 1e-8
        assert worst(r[f"{body}.velocity.z"], ref[f"v_{body}"]) < 1e-8
    force = -(r["suspension.force"] + r["suspension_damper.force"])
    assert worst(force, ref["suspension_force"]) < 1e-8


@pytest.mark.parametrize(("tol", "bound"), [("normal", 1e-4), ("fine", 1e-7)])
def test_motor_arm_has_the_right_current_torque_and_losses_after_its_voltage_step(tol, bound):
    r, ref, _ = solved("15-dc-motor-arm", "motor-arm", tol)
    smooth = np.abs(r.time - 0.2) > 1e-9  # the torque jumps there
    for channel, name in (
        ("motor.current", "current"), ("shaft.turn_z.speed", "speed"), ("motor.torque", "torque"),
        ("motor.electric_energy", "electric_energy"), ("motor.copper_loss", "copper_loss"),
    ):  # fmt: skip
        assert worst(r[channel][smooth], ref[name][smooth]) < bound, name
    force = vector(r, "shaft.force")[smooth]
    assert worst(force, ref["shaft_force"][smooth]) < bound


def test_screw_and_gears_have_their_closed_accelerations_and_forces():
    r, ref, data = solved("22-screw-gear", "screw-nut")
    assert worst(vector(r, "nut.center.position"), ref["com"]) < 1e-11
    thread = r["screw_thread.force"] + r["screw.force.z"]
    np.testing.assert_allclose(thread, data["scalars"]["axial_thread_force"], rtol=1e-10)
    moment = r["screw_thread.torque"] + r["screw.torque.z"]
    np.testing.assert_allclose(moment, data["scalars"]["thread_moment"], rtol=1e-9)
    for case in ("gear-pair", "gear-pair-loaded"):
        r, ref, data = solved("22-screw-gear", case)
        assert worst(r["bearing1.turn_z.position"], ref["angle1"]) < 1e-10
        np.testing.assert_allclose(r["mesh.force"], data["scalars"]["tooth_force"], rtol=1e-10)
        np.testing.assert_allclose(r["bearing1.force.y"], r["mesh.force"], rtol=1e-9)


@pytest.mark.parametrize(
    "case", ["three-mass-chain", "double-pendulum", "double-pendulum-damped", "inverted-pendulum",
             "inverted-pendulum-unstable"],
)  # fmt: skip
def test_natural_frequencies_and_damping_are_those_of_the_closed_forms(case):
    data = problem("20-linear-modes", case)
    modes = impeto.linear_view(model_of(data)).modes
    swinging = [mode.eigenvalue for mode in modes if mode.frequency > 0]
    expected = [complex(*mode["eigenvalue"]) for mode in data["reference"]["modes"]]
    np.testing.assert_allclose(swinging, expected, rtol=1e-8)
    real = sorted(mode.eigenvalue.real for mode in modes if mode.frequency == 0)
    np.testing.assert_allclose(real, sorted(data["reference"].get("real_eigenvalues", [])),
                               rtol=1e-8)  # fmt: skip


def test_frequency_response_of_an_oscillator_is_the_textbooks():
    m, k, c = 2.0, 400.0, 3.0
    elements = [
        impeto.Body(name="b", mass=m, inertia=(1, 1, 1), position=(0.5, 0, 0)),
        impeto.Frame(name="wall"), impeto.Frame(name="eye", body="b"),
        impeto.Joint(name="j", frame_a="wall", frame_b="eye", free=("slide x",)),
        impeto.Spring(name="s", frame_a="wall", frame_b="eye", stiffness=k),
        impeto.Damper(name="d", frame_a="wall", frame_b="eye", damping=c),
        impeto.Load(name="push", frame="eye", direction=(1, 0, 0), value=0.0),
    ]  # fmt: skip
    frequencies = np.array([0.5, 2.0, 2.25, 5.0])
    s = 2j * np.pi * frequencies
    for channel, top in (
        ("b.position.x", 1.0), ("s.force", k), ("d.force", c * s), ("b.acceleration.x", s * s),
    ):  # fmt: skip
        ours = impeto.frequency_response(impeto.Model("m", elements), "push", channel, frequencies)
        np.testing.assert_allclose(ours, top / (m * s * s + c * s + k), rtol=1e-8)
