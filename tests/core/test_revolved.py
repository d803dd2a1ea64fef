"""Outlines turned about an axis: mass by other formulas, contact by statics and rolling."""

import numpy as np
import pytest

import impeto
from impeto.core.assembly.resolve import shape_mass
from impeto.core.errors import ModelError
from impeto.core.model.scope import Scope
from impeto.core.simulate import simulate
from tests.core.building import DOWN, G

SCOPE = Scope(impeto.Model("wheel"))
RADIUS, HALF, BAR = 0.3, 0.05, 0.05
# A wheel whose rim is a half circle: as a torus outside, a disc inside.
RIM = (f"0 m, {-HALF} m; {RADIUS - BAR} m, {-HALF} m arc {BAR} m; {RADIUS - BAR} m, {HALF} m; "
       f"0 m, {HALF} m")  # fmt: skip
DISC = "0 m, -0.05 m; 0.2 m, -0.05 m; 0.2 m, 0.05 m; 0 m, 0.05 m"
RING = "0.15 m, -0.04 m; 0.2 m, -0.04 m; 0.2 m, 0.04 m; 0.15 m, 0.04 m"


def wheel(outline, **about):
    return impeto.Revolved(outline=outline, density=1000.0, **about)


@pytest.mark.parametrize(
    ("outline", "same"),
    [(DISC, impeto.Cylinder(radius=0.2, length=0.1, density=1000.0)),
     (RING, impeto.Tube(radius=0.2, inner_radius=0.15, length=0.08, density=1000.0)),
     ("0 m, -0.1 m; 0.2 m, -0.1 m; 0.05 m, 0.2 m; 0 m, 0.2 m",
      impeto.Cone(radius=0.2, top_radius=0.05, length=0.3, density=1000.0, position=(0, 0, 0.05)))],
)  # fmt: skip
def test_it_weighs_as_the_solid_by_numbers_that_it_is(outline, same):
    found, expected = shape_mass(SCOPE, wheel(outline)), shape_mass(SCOPE, same)
    assert found.mass == pytest.approx(expected.mass, rel=1e-12)
    np.testing.assert_allclose(found.center, expected.center, atol=1e-12)
    np.testing.assert_allclose(found.inertia, expected.inertia, rtol=1e-11, atol=1e-12)


def test_a_half_circle_turned_is_a_ball_and_a_whole_one_a_torus():
    ball = shape_mass(SCOPE, wheel("0 m, -0.1 m arc 0.1 m; 0 m, 0.1 m"))
    assert ball.mass == pytest.approx(1000 * 4 / 3 * np.pi * 1e-3, rel=1e-12)
    np.testing.assert_allclose(
        ball.inertia, 0.4 * ball.mass * 0.01 * np.eye(3), rtol=1e-11, atol=1e-15
    )
    ring = shape_mass(SCOPE, wheel("0.2 m, -0.02 m arc 0.02 m; 0.2 m, 0.02 m arc 0.02 m"))
    same = shape_mass(SCOPE, impeto.Torus(radius=0.2, bar_radius=0.02, density=1000.0))
    assert ring.mass == pytest.approx(same.mass, rel=1e-12)
    np.testing.assert_allclose(ring.inertia, same.inertia, rtol=1e-11, atol=1e-12)


def test_an_outline_across_the_axis_is_refused():
    with pytest.raises(ModelError, match="reaches across the axis"):
        shape_mass(SCOPE, wheel("-0.1 m, 0 m; 0.1 m, 0 m; 0.1 m, 0.1 m"))


def touching(*elements, until, integrator="automatic", gravity=DOWN):
    rule = impeto.ContactRule(name="touch", stiffness="1 kN/mm", restitution=0.2)
    settings = impeto.RunSettings(outputs=200, integrator=integrator)
    ground = impeto.Body(name="ground", shapes=(impeto.HalfSpace(),))
    model = impeto.Model("wheel", [gravity, ground, *elements, rule], settings=settings)
    return simulate(model, until=until)


@pytest.mark.parametrize("mode", ["automatic", "quick"])
def test_a_dish_lies_on_its_flat_bottom_and_presses_with_its_weight(mode):
    dish = impeto.Body(name="dish", shapes=(wheel(DISC),), position=(0, 0, 0.0502))
    run = touching(dish, until=1.0, integrator=mode)
    weight = 1000 * np.pi * 0.04 * 0.1 * G
    assert run["touch.normal"][-1] == pytest.approx(weight, rel=1e-3)
    cell = 0.4 / 48  # of the grid that knows it
    assert run["dish.position.z"][-1] == pytest.approx(0.05, abs=0.15 * cell)


def test_a_wheel_with_a_rounded_rim_rolls_as_a_disc_of_its_inertia():
    """It rolls upright down a slope: a = g sin β / (1 + I / m r²)."""
    slope = np.deg2rad(5.0)
    down = impeto.Gravity(name="gravity", direction=(np.sin(slope), 0, -np.cos(slope)))
    shape = wheel(RIM)
    mass = shape_mass(SCOPE, shape)
    rolling = impeto.Body(name="wheel", shapes=(shape,), position=(0, 0, RADIUS - 1e-5),
                          orientation=("90 deg", 0, 0))  # fmt: skip
    run = touching(rolling, until=1.0, gravity=down)
    speed = G * np.sin(slope) / (1.0 + mass.inertia[2, 2] / (mass.mass * RADIUS**2))
    assert run["wheel.velocity.x"][-1] == pytest.approx(speed, rel=5e-3)
    assert np.abs(run["wheel.position.z"] - RADIUS).max() < 2e-3
    assert run["wheel.position.y"][-1] == pytest.approx(0.0, abs=1e-3)


def test_a_ball_drops_through_the_hole_of_a_ring_and_not_beside_it():
    ring = impeto.Body(name="ring", shapes=(wheel(RING),), position=(0, 0, 0.04), mass=50.0)
    for x, falls in ((0.0, True), (0.175, False)):
        ball = impeto.Body(name="ball", position=(x, 0, 0.2), velocity=(0, 0, -1),
                           shapes=(impeto.Sphere(radius="30 mm"),))  # fmt: skip
        run = touching(ring, ball, until=0.6)
        assert (run["ball.position.z"][-1] < 0.05) == falls


def test_its_features_are_walls_holes_and_faces():
    model = impeto.Model("m", [impeto.Body(name="ring", shapes=(wheel(RING),))])
    found = impeto.features(model, "ring")
    holes = [f for f in found if f.kind == "hole"]
    assert [h.radius for h in holes] == pytest.approx([0.15])
    assert {round(f.radius, 9) for f in found if f.kind == "circle"} == {0.15, 0.2}
    assert sorted(f.point[2] for f in found if f.kind == "face") == pytest.approx([-0.04, 0.04])
