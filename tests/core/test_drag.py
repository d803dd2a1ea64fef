"""Resistance of the air, against closed forms."""

import numpy as np
import pytest

import impeto
from impeto.core.results.loads import loads_on
from impeto.core.results.system import energy_error
from tests.core.building import DOWN, G, body, frame, run

AREA, FACTOR = 0.5, 0.8  # m², coefficient
K = 0.5 * 1.2 * FACTOR * AREA  # N s²/m²


def drag(**rest):
    return impeto.Drag(name="air", frame="middle", area=AREA, coefficient=FACTOR, **rest)


@pytest.mark.parametrize("solver", ["smooth", "stiff"])
def test_a_falling_body_comes_to_its_terminal_speed(solver):
    """v = w tanh(g t / w) and s = w²/g ln cosh(g t / w) with w = √(m g / k)."""
    r = run([DOWN, body("bale", 3.0), frame("middle", "bale"), drag()], 4.0, integrator=solver)
    final = np.sqrt(3.0 * G / K)
    np.testing.assert_allclose(
        r["bale.velocity.z"], -final * np.tanh(G * r.time / final), atol=1e-6
    )
    fallen = final**2 / G * np.log(np.cosh(G * r.time / final))
    np.testing.assert_allclose(r["bale.position.z"], -fallen, atol=1e-6)
    np.testing.assert_allclose(r["air.force.z"], K * r["air.speed"] ** 2, rtol=1e-12)
    assert energy_error(r) < 1e-8


def test_wind_carries_a_body_along_and_is_booked_apart_from_what_the_air_takes():
    """u = u₀ / (1 + k u₀ t / m) of the speed through the air; the wind puts in w·m·Δv."""
    wind, mass = 12.0, 2.0
    blows = impeto.Parameter(name="blows", value="12 m/s")
    r = run([body("chip", mass, velocity=(5.0, 0, 0)), frame("middle", "chip"), blows,
             drag(wind=("blows", 0, 0))], 3.0)  # fmt: skip
    through = (wind - 5.0) / (1.0 + K * (wind - 5.0) * r.time / mass)
    np.testing.assert_allclose(r["chip.velocity.x"], wind - through, atol=1e-7)
    lost = 0.5 * mass * ((wind - 5.0) ** 2 - through**2)
    np.testing.assert_allclose(r["air.dissipated"], lost, atol=1e-6)
    np.testing.assert_allclose(r["air.work"], wind * mass * (r["chip.velocity.x"] - 5.0), atol=1e-5)
    np.testing.assert_allclose(r["system.energy.loads"], r["air.work"])


def test_drag_beside_the_middle_turns_and_is_among_what_acts_on_the_body():
    parts = [body("vane", 2.0, (0.1, 0.2, 0.3),
                  angular_velocity=(0, 0, 20.0)), frame("middle", "vane", 0.6),
             drag(wind=(3.0, 1.0, 0.0))]  # fmt: skip
    r = run(parts, 1.0)
    assert energy_error(r) < 1e-8
    for at in (0, 40, -1):
        acting = {a.element: a for a in loads_on(r, "vane", float(r.time[at]))}
        force = [r[f"air.force.{k}"][at] for k in "xyz"]
        np.testing.assert_allclose(acting["air"].force, force, atol=1e-9)
        pushed = [2.0 * r[f"vane.acceleration.{k}"][at] for k in "xyz"]
        np.testing.assert_allclose(force, pushed, atol=1e-7)


@pytest.mark.parametrize("step", [1e-3, 5e-4])
def test_quick_mode_slows_what_is_light_without_blowing_up(step):
    """A gram at 100 m/s with half a square metre: the speed halves within 0.04 of a step."""
    r = run([body("flake", 0.001, (1e-6,) * 3, velocity=(100.0, 30.0, 0.0)),
             frame("middle", "flake"), drag(wind=(4.0, 0, 0))], 0.5,
            integrator="quick", step=step)  # fmt: skip
    speed = r["air.speed"]
    assert (np.diff(speed) <= 1e-12).all()
    exact = 1.0 / (1.0 / speed[0] + K * r.time / 0.001)
    late = r.time > 0.2
    np.testing.assert_allclose(speed[late], exact[late], rtol=0.1)
    assert energy_error(r) < 1e-9


def test_a_negative_area_is_refused():
    with pytest.raises(impeto.ModelError, match="cannot be negative"):
        run([body("b"), frame("middle", "b"),
             impeto.Drag(name="air", frame="middle", area=-1.0)], 0.1)  # fmt: skip
