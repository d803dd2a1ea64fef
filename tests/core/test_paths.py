"""Points and bodies that follow paths, against closed forms, invariants and Newton's law."""

import numpy as np
import pytest

import impeto
from impeto.core.errors import ModelError
from impeto.core.joints.paths import axes_along, spline
from impeto.core.results.system import energy_error
from tests.core.building import DOWN, G, body, frame, joint, run


def path(points, closed=False):
    """A path of some points."""
    listed = tuple(impeto.PathPoint(position=tuple(map(float, p))) for p in points)
    return impeto.Path(name="track", points=listed, closed=closed)


def circle(radius, count=72):
    angle = 2 * np.pi * np.arange(count) / count
    return np.stack([radius * np.sin(angle), 0 * angle, -radius * np.cos(angle)], axis=1)


def bead(points, start, special="point on path", closed=False, **rest):
    return [
        DOWN, path(points, closed), body("b", 2.0, (0.02, 0.03, 0.04), position=start, **rest),
        frame("g"), frame("f", "b"),
        joint("rail", "g", "f", special=special, path="track"),
    ]  # fmt: skip


WAVE = [(x, 0.2 * np.sin(2 * x), 0.3 * np.cos(1.5 * x)) for x in np.linspace(0, 4, 13)]


def test_a_bead_on_a_straight_slope_slides_with_the_component_of_gravity():
    slope = [(x, 0.0, -0.75 * x) for x in (0.0, 1.0, 2.0, 5.0)]
    r = run(bead(slope, (0.0, 0.0, 0.0)), 1.0)
    np.testing.assert_allclose(r["rail.slide_x.position"], 0.5 * 0.6 * G * r.time**2, atol=1e-9)
    np.testing.assert_allclose(r["rail.slide_x.acceleration"], 0.6 * G, rtol=1e-9)
    np.testing.assert_allclose(r["rail.force"], 0.8 * 2.0 * G, rtol=1e-9)


def test_a_bead_on_a_circle_is_a_pendulum_and_counts_its_rounds():
    radius, speed = 0.5, 6.0  # fast enough to go round
    r = run(bead(circle(radius), (0, 0, -radius), closed=True, velocity=(speed, 0, 0)), 3.0)
    fallen = r["b.position.z"] + radius
    np.testing.assert_allclose(
        r["b.velocity"] ** 2, speed**2 - 2 * G * fallen, rtol=1e-9
    )  # exact on any path
    assert energy_error(r) < 1e-10
    assert r["rail.slide_x.position"][-1] > 2 * 2 * np.pi * radius
    towards = speed**2 - 2 * G * fallen
    force = 2.0 * (towards / radius + G * (radius - fallen) / radius)
    np.testing.assert_allclose(r["rail.force"], force, rtol=1e-3)  # 72 points make the circle


@pytest.mark.parametrize("special", ["point on path", "body on path"])
def test_a_body_on_a_wave_obeys_newton_keeps_its_energy_and_stays_on_the_path(special):
    elements = bead(WAVE, WAVE[0], special, velocity=(2.0, 0, 0))
    if special == "body on path":
        curve = spline(np.array(WAVE), False)
        start = axes_along(curve, np.array([0.0]))[0].T
        from impeto.core.geometry.rotation import roll_pitch_yaw

        angles = tuple(map(float, roll_pitch_yaw(start)))
        elements[2] = body("b", 2.0, (0.02, 0.03, 0.04), position=WAVE[0], orientation=angles,
                           velocity=(2.0, 0, 0))  # fmt: skip
    r = run(elements, 1.2)
    assert energy_error(r) < 1e-8
    curve = spline(np.array(WAVE), False)
    s = r["rail.slide_x.position"]
    place = np.stack([r[f"b.position.{k}"] for k in "xyz"], axis=1)
    assert np.abs(place - curve(s)).max() < 1e-9
    force = np.stack([r[f"rail.force.{k}"] for k in "xyz"], axis=1)
    pull = np.stack([r[f"b.acceleration.{k}"] for k in "xyz"], axis=1) * 2.0
    pull[:, 2] += 2.0 * G
    # The channel takes the axes of the curve itself, the rows a spline of them.
    np.testing.assert_allclose(force, pull, atol=1e-4 * np.abs(pull).max())
    if special == "body on path":
        axes = np.stack([[r[f"b.rotation.{i}{j}"] for j in "xyz"] for i in "xyz"])
        along = axes_along(curve, s)
        np.testing.assert_allclose(np.moveaxis(axes, -1, 0)[:, :, 0], along[:, 0], atol=1e-5)
        np.testing.assert_allclose(np.moveaxis(axes, -1, 0)[:, :, 2], along[:, 2], atol=1e-5)


def test_a_drive_carries_a_body_along_its_path_at_the_asked_speed():
    drive = impeto.Drive(name="d", joint="rail", freedom="slide x", value="1.5 m/s")
    r = run([*bead(WAVE, WAVE[0]), drive], 1.0)
    np.testing.assert_allclose(r["rail.slide_x.position"], 1.5 * r.time, atol=1e-9)
    rising = r["b.velocity.z"] * 2.0 * G + np.gradient(r["system.energy.kinetic"], r.time)
    np.testing.assert_allclose(r["d.power"][2:-2], rising[2:-2], atol=5e-2)
    assert energy_error(r) < 1e-9


def test_friction_and_stops_work_along_a_path():
    line = [(x, 0.0, 0.0) for x in (0.0, 1.0, 2.0, 5.0)]
    acting = (
        impeto.Friction(freedom="slide x", kinetic=0.0, constant=4.0),
        impeto.Stops(freedom="slide x", upper=1.0, stiffness=1e8, restitution=0.5),
    )
    elements = bead(line, (0, 0, 0), velocity=(3.0, 0, 0))
    elements[-1] = joint("rail", "g", "f", special="point on path", path="track", behaviours=acting)
    r = run(elements, 2.0)
    at_stop = np.sqrt(9.0 - 2 * 2.0 * 1.0)
    back = 0.5 * at_stop
    assert r["b.position.x"][-1] == pytest.approx(1.0 - back**2 / 4.0, rel=1e-3)
    assert abs(r["b.velocity.x"][-1]) < 1e-12


def test_a_path_of_too_few_points_or_none_is_refused_with_a_sentence():
    with pytest.raises(ModelError, match="three points at least"):
        run(bead(WAVE[:2], WAVE[0]), 0.1)
    nowhere = bead(WAVE, WAVE[0])
    nowhere[-1] = joint("rail", "g", "f", special="point on path")
    with pytest.raises(ModelError, match="it has no path"):
        run(nowhere, 0.1)


def test_a_joint_that_is_led_no_more_keeps_its_path_and_does_not_follow_it():
    led = impeto.Joint(name="rail", frame_a="g", frame_b="f", special="point on path", path="track")
    assert led.followed == "track"
    other = impeto.Joint(
        name="rail", frame_a="g", frame_b="f", special="fixed distance", path="track"
    )
    assert other.followed is None
    assert other.unused == ("path",)
