"""A round bar bent into a ring: its mass by integration, its contact by statics and rolling."""

import numpy as np
import pytest

import impeto
from impeto.core.assembly.resolve import shape_mass
from impeto.core.errors import ModelError
from impeto.core.model.scope import Scope
from impeto.core.simulate import simulate
from tests.core.building import DOWN, G

RADIUS, BAR, DENSITY = 0.1, 0.02, 1000.0
MASS = DENSITY * 2.0 * np.pi**2 * RADIUS * BAR**2
FLOOR = impeto.HalfSpace()


def torus(**about):
    return impeto.Torus(radius=RADIUS, bar_radius=BAR, **{"density": DENSITY} | about)


def touching(*elements, until, integrator="automatic", gravity=DOWN, **about):
    values = {"stiffness": "1 kN/mm", "restitution": 0.2} | about
    rule = impeto.ContactRule(name="touch", **values)
    settings = impeto.RunSettings(outputs=100, integrator=integrator)
    return simulate(
        impeto.Model("ring", [gravity, *elements, rule], settings=settings), until=until
    )


def test_mass_and_inertia_are_those_of_an_integral_over_its_sections():
    lift, out = np.meshgrid(
        (np.arange(400) + 0.5) * np.pi / 200, (np.arange(400) + 0.5) * BAR / 400
    )
    far, height = RADIUS + out * np.cos(lift), out * np.sin(lift)
    piece = DENSITY * 2.0 * np.pi * far * out * (np.pi / 200) * (BAR / 400)
    about, across = (piece * far**2).sum(), (piece * (0.5 * far**2 + height**2)).sum()
    found = shape_mass(Scope(impeto.Model("ring")), torus())
    assert found.mass == pytest.approx(piece.sum(), rel=1e-5)
    assert np.diag(found.inertia) == pytest.approx([across, across, about], rel=1e-5)


def test_a_ring_without_a_hole_is_refused():
    body = impeto.Body(name="ring", shapes=(impeto.Torus(radius="20 mm", bar_radius="20 mm"),))
    with pytest.raises(ModelError, match="no hole"):
        simulate(impeto.Model("ring", [body]), until=0.1)


@pytest.mark.parametrize("mode", ["automatic", "quick"])
def test_it_lies_flat_and_presses_with_its_weight(mode):
    ground = impeto.Body(name="ground", shapes=(FLOOR,))
    ring = impeto.Body(name="ring", shapes=(torus(),), position=(0, 0, BAR + 5e-4))
    run = touching(ground, ring, until=1.0, integrator=mode)
    assert run["touch.normal"][-1] == pytest.approx(MASS * G, rel=1e-4)
    assert run["ring.position.z"][-1] == pytest.approx(BAR, abs=1e-5)


@pytest.mark.parametrize("mode", ["automatic", "quick"])
def test_it_rolls_down_a_slope_as_a_hoop_does(mode):
    slope = np.deg2rad(10.0)
    leaning = impeto.Gravity(name="g", size=G, direction=(np.sin(slope), 0, -np.cos(slope)))
    ground = impeto.Body(name="ground", shapes=(FLOOR,))
    upright = impeto.Body(
        name="ring", shapes=(torus(),), position=(0, 0, RADIUS + BAR), orientation=("90 deg", 0, 0)
    )
    run = touching(
        ground, upright, until=1.0, integrator=mode, gravity=leaning, static_friction=0.6,
        kinetic_friction=0.5,
    )  # fmt: skip
    inertia = MASS * (RADIUS**2 + 0.75 * BAR**2)
    expected = 0.5 * G * np.sin(slope) / (1.0 + inertia / (MASS * (RADIUS + BAR) ** 2))
    assert run["ring.position.x"][-1] == pytest.approx(expected, rel=3e-3)


def test_a_ring_hangs_in_another_as_links_of_a_chain_do():
    held = impeto.Body(name="ground", shapes=(torus(),))
    link = impeto.Body(
        name="link", shapes=(torus(),), position=(RADIUS, 0, 2 * BAR - RADIUS),
        orientation=("90 deg", 0, 0),
    )  # fmt: skip
    run = touching(held, link, until=2.0)
    assert run["touch.normal"][-1] == pytest.approx(MASS * G, rel=1e-3)
    assert run["link.position.z"][-1] == pytest.approx(2 * BAR - RADIUS, abs=2e-5)


def test_a_small_ball_falls_through_and_a_large_one_lies_in_it():
    held = impeto.Body(name="ground", shapes=(torus(),))
    small, large = (
        impeto.Body(
            name="ball", shapes=(impeto.Sphere(radius=r, density=100),), position=(0, 0, 0.2)
        )
        for r in (0.07, 0.1)
    )
    assert touching(held, small, until=0.5)["ball.position.z"][-1] == pytest.approx(
        0.2 - 0.5 * G * 0.25, abs=1e-6
    )
    lying = touching(held, large, until=1.0)["ball.position.z"][-1]
    assert lying == pytest.approx(np.sqrt((0.1 + BAR) ** 2 - RADIUS**2), abs=1e-4)
