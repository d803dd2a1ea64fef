"""Quick mode: forces that are stiff against its step, and bodies that tumble."""

import numpy as np
import pytest

import impeto
from impeto.core.results.system import energy_error
from impeto.core.simulate import simulate
from tests.core.building import DOWN, G, body, frame, joint
from tests.core.test_forces_and_couplers import geared


def quick(elements, until=1.0, rate=250.0, **settings):
    chosen = impeto.RunSettings(outputs=rate, integrator="quick", **settings)
    recording = simulate(impeto.Model("m", elements, settings=chosen), until=until)
    assert not recording.stopped, recording.stopped
    return recording


@pytest.mark.parametrize("spin", [(5, 50, 2), (10, 100, 3), (0.1, 30, 0.1), (200, 1, 0)])
def test_a_body_that_tumbles_keeps_its_energy(spin):
    """The implicit midpoint rule keeps quadratic invariants exactly."""
    box = impeto.Box(size=("14 cm", "10 cm", "4 cm"))
    energy = quick([impeto.Body(name="b", shapes=(box,), angular_velocity=spin)], 10.0)[
        "system.energy.kinetic"
    ]
    np.testing.assert_allclose(energy, energy[0], rtol=1e-6)


def test_a_joined_body_that_tumbles_gains_nothing():
    r = quick([
        body("b", 1.0, (0.01, 0.02, 0.03),
             angular_velocity=(5.0, 50.0, 2.0)), frame("g"), frame("f", "b"),
        joint("j", "g", "f", "turn x", "turn y", "turn z")], 5.0)  # fmt: skip
    energy = r["system.energy.kinetic"]
    assert energy.max() <= energy[0] * (1 + 1e-3)


def test_an_arm_that_turns_about_a_pin_keeps_its_speed_and_a_double_pendulum_its_energy():
    """Errors of the step are of order 2 and do not add up."""
    spin, radius = 24.0, 0.5
    arm = [body("b", 1.0, (0.1, 0.1, 0.1), position=(radius, 0, 0), angular_velocity=(0, spin, 0),
                velocity=(0, 0, -spin * radius)), frame("g"), frame("f", "b", -radius)]  # fmt: skip
    r = quick([*arm, joint("j", "g", "f", "turn y")], 10.0)
    np.testing.assert_allclose(r["j.turn_y.speed"], spin, rtol=1e-3)
    two = [DOWN, body("a", 1.0, (0.1, 0.1, 0.1), position=(0.5, 0, 0)),
           body("b", 1.0, (0.1, 0.1, 0.1), position=(1.5, 0, 0)), frame("g"),
           frame("fa", "a", -0.5), frame("ea", "a", 0.5), frame("fb", "b", -0.5)]  # fmt: skip
    r = quick([*two, joint("j", "g", "fa", "turn y"), joint("k", "ea", "fb", "turn y")], 10.0)
    energy = r["system.energy.kinetic"] + r["system.energy.potential"]
    assert np.abs(energy - energy[0]).max() < 0.02 * r["system.energy.kinetic"].max()


def test_a_strong_damper_slows_down_and_does_not_turn_over():
    """Implicit Euler: each step divides the speed by 1 + h c / J."""
    r = quick([
        body("b", 1.0, (1, 1, 1), angular_velocity=(0, 3.0, 0)), frame("g"), frame("f", "b"),
        joint("j", "g", "f", "turn y",
              behaviours=(impeto.Behaviour(freedom="turn y", damping=1000.0),))], 0.1)  # fmt: skip
    np.testing.assert_allclose(r["j.turn_y.speed"][:5], 3.0 / 5.0 ** np.arange(5), rtol=1e-9)
    r = quick([
        body("b", 1.0, position=(1, 0, 0), velocity=(1.0, 0, 0)), frame("g"), frame("f", "b"),
        impeto.Damper(name="d", frame_a="g", frame_b="f", damping=8000.0)], 0.5)  # fmt: skip
    np.testing.assert_allclose(r["b.velocity.x"][:4], 1.0 / 33.0 ** np.arange(4), rtol=1e-9)


def test_what_dampers_take_out_is_booked_whether_by_number_or_by_curve():
    curve = "-2 m/s: -160 N; 0 m/s: 0 N; 1 m/s: 50 N; 2 m/s: 160 N"
    for about in ({"damping": 8000.0}, {"damping": 0.0, "curve": curve}):
        r = quick([
            body("b", 1.0, position=(1, 0, 0), velocity=(1.5, 0, 0)), frame("g"), frame("f", "b"),
            impeto.Damper(name="d", frame_a="g", frame_b="f", **about)], 0.5)  # fmt: skip
        lost = 0.5 * (1.5**2 - r["b.velocity.x"] ** 2)
        np.testing.assert_allclose(r["d.dissipated"], lost, rtol=1e-9, atol=1e-12)


def test_springs_bushings_servos_and_motors_however_stiff_stay_in_bounds():
    arm = [DOWN, body("b", 1.0, (0.1, 0.1, 0.1), position=(0.5, 0, 0)), frame("g"),
           frame("f", "b", -0.5)]  # fmt: skip
    pin = joint("j", "g", "f", "turn y")
    strong = {"stiffness": (1e9,) * 3, "damping": (1e6,) * 3, "turning_stiffness": (1e8,) * 3,
              "turning_damping": (1e5,) * 3}  # fmt: skip
    held = quick([*arm, impeto.Bushing(name="u", frame_a="g", frame_b="f", **strong)])
    assert abs(held["b.position.z"][-1]) < 1e-6
    servo = impeto.Servo(name="s", joint="j", freedom="turn y", proportional=1e7, derivative=1e5,
                         reference="0.3*sin(5 rad/s*t)")  # fmt: skip
    r = quick([*arm, pin, servo])
    np.testing.assert_allclose(r["j.turn_y.position"], 0.3 * np.sin(5 * r.time), atol=2e-3)
    motor = impeto.Motor(
        name="m", joint="j", freedom="turn y", supply="24 V", resistance="0.1 Ω",
        inductance="1 uH", torque_constant="0.5 N*m/A", duty="0.5",
    )  # fmt: skip
    r = quick([*arm[1:], pin, motor], 2.0)
    assert r["j.turn_y.speed"][-1] == pytest.approx(12.0 / 0.5, rel=1e-6)
    assert np.abs(np.diff(r["m.current"][5:])).max() < 5.0


def test_a_spring_that_the_step_follows_swings_as_it_should():
    """Linearly implicit Euler is of order 1: half the step, half the error."""

    def error(step):
        r = quick([
            body("b", position=(1.1, 0, 0)), frame("g"), frame("f", "b"),
            impeto.Spring(name="s", frame_a="g", frame_b="f", stiffness=100.0, free_length=1.0)],
            1.0, step=step)  # fmt: skip
        return np.abs(r["b.position.x"] - 1.0 - 0.1 * np.cos(10 * r.time)).max()

    assert error("1 ms") == pytest.approx(0.5 * error("2 ms"), rel=0.1)


@pytest.mark.parametrize("stiffness", ["1 MN/m", "1 GN/m"])
@pytest.mark.parametrize("restitution", [0.0, 0.3, 0.5, 0.8, 1.0])
def test_a_stiff_stop_gives_back_the_restitution_that_was_asked(restitution, stiffness):
    stop = impeto.Stops(freedom="slide x", upper="100 mm", stiffness=stiffness,
                        restitution=restitution)  # fmt: skip
    for gap, speed in zip(np.linspace(0.05, 0.0539, 7), (0.5, 1, 2, 5, 10, 20, 50), strict=True):
        r = quick([
            body("b", position=(0.1 - gap, 0, 0), velocity=(speed, 0, 0)), frame("g"),
            frame("f", "b"), joint("j", "g", "f", "slide x", behaviours=(stop,))], 0.3)  # fmt: skip
        assert r["b.velocity.x"][-1] == pytest.approx(-restitution * speed, abs=3e-5 * speed)
        assert r["b.position.x"].max() < 0.1 + 1e-6
        assert energy_error(r) < 1e-4
        lost = 0.5 * (1 - restitution**2) * speed**2
        assert r["j.slide_x.stop_loss"][-1] == pytest.approx(lost, abs=3e-5 * speed**2)
        assert [mark.text for mark in r.marks] == ["touches or leaves its stop"]


def test_a_body_bounces_lower_each_time_and_rests_on_a_stop_with_its_weight():
    stop = impeto.Stops(freedom="slide z", lower=0.0, stiffness="1 GN/m", restitution=0.7)
    r = quick([
        DOWN, body("b", 2.0, position=(0, 0, 0.5)), frame("g"), frame("f", "b"),
        joint("j", "g", "f", "slide z", behaviours=(stop,))], 4.0, rate=500)  # fmt: skip
    z = r["b.position.z"]
    tops = [b for a, b, c in zip(z, z[1:], z[2:], strict=False) if a < b > c]
    met = np.sqrt(2 * G * 0.5) * 0.7 ** np.arange(4)  # it turns round up to a step too early
    heights = 0.5 * 0.49 ** np.arange(1, 5)
    assert (np.abs(np.array(tops[:4]) - heights) < np.cumsum(met * 0.004)).all()
    assert z[-1] == pytest.approx(0.0, abs=1e-7)
    assert r["j.slide_z.stop"][-1] == pytest.approx(2.0 * G, rel=1e-6)
    assert r["j.slide_z.stop"].min() >= 0.0


def test_teeth_with_play_take_each_other_along_in_quick_mode_as_they_do_accurately():
    gears = impeto.Gears(name="mesh", joint_a="j1", joint_b="j2", radius_a=0.1, radius_b=0.1,
                         backlash="2 mm", tooth_stiffness="100 MN/m", restitution=0.3)  # fmt: skip
    r = quick(geared(gears), 0.3)
    np.testing.assert_allclose(
        r["one.angular_velocity.z"][-1], 10.0 * 0.3 / (0.02 + 0.3), rtol=1e-4
    )
    np.testing.assert_allclose(r["mesh.tooth_force"][-5:] * np.cos(np.radians(20)),
                               10.0 * 0.3 / (0.02 + 0.3) / 0.1, rtol=1e-4)  # fmt: skip
    assert np.abs(r["mesh.play"]).max() < 1.01e-3


@pytest.mark.parametrize("speed", [5.0, 20.0, 50.0])
def test_small_boxes_do_not_pass_through_each_other(speed):
    box = (impeto.Box(size=("10 mm",) * 3),)
    for gap in np.linspace(0.01, 0.3, 9):
        r = quick([
            impeto.Body(name="a", shapes=box, position=(-gap, 0, 0), velocity=(speed, 0, 0)),
            impeto.Body(name="b", shapes=box, velocity=(-speed, 0, 0)),
            impeto.ContactRule(name="r", first=("a",), second=("b",), restitution=0.5)],
            2 * gap / speed + 0.02)  # fmt: skip
        assert r["b.position.x"][-1] > r["a.position.x"][-1]
        assert r["system.momentum.x"][-1] == pytest.approx(0.0, abs=1e-12)


def test_a_short_load_is_felt_in_quick_mode_too():
    rows = {"t": (0, 0.501, 0.502, 0.503, 2), "F": (0, 0, 60, 0, 0)}
    data = impeto.Dataset(name="d", columns=rows)
    push = impeto.Table(dataset="d", column="F", factor="1 N")
    r = quick([
        body("b", 10.0), frame("g"), frame("f", "b"), joint("j", "g", "f", "slide x"), data,
        impeto.Load(name="push", frame="f", direction=(1, 0, 0), value=push)])  # fmt: skip
    assert 10.0 * r["b.velocity.x"][-1] == pytest.approx(60e-3, rel=1e-9)
    fall = quick([DOWN, body("b")])
    assert fall["b.velocity.z"][-1] == pytest.approx(-G, rel=1e-12)
