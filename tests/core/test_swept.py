"""Sections along paths: mass and distances by other formulas, contact by statics and by what a pipe
lets through."""

import numpy as np
import pytest

import impeto
from impeto.core.assembly.resolve import shape_mass
from impeto.core.bodies.surfaces import swept_solid
from impeto.core.check import check
from impeto.core.errors import ModelError
from impeto.core.geometry.swept import distances
from impeto.core.model.scope import Scope
from impeto.core.overlaps import watched_shapes
from impeto.core.simulate import simulate
from tests.core.building import DOWN, G

SCOPE = Scope(impeto.Model("sweep"))
SQUARE = "-0.2 m, -0.2 m, 0 m; 0.2 m, -0.2 m, 0 m; 0.2 m, 0.2 m, 0 m; -0.2 m, 0.2 m, 0 m"
RING = impeto.Swept(path=SQUARE, closed=True, bend_radius=0.2, bar_radius=0.03, density=1000.0)
WAY = "0 m, 0 m, 0 m; 1 m, 0 m, 0 m"
FLAT = "-0.02 m, -0.03 m; 0.02 m, -0.03 m; 0.02 m, 0.03 m; -0.02 m, 0.03 m"
ALONG_X = {"orientation": (0, "90 deg", 0), "position": (0.5, 0, 0), "density": 1000.0}


@pytest.mark.parametrize(
    ("swept", "same"),
    [(impeto.Swept(path=WAY, density=1000.0), impeto.Cylinder(radius=0.02, length=1, **ALONG_X)),
     (impeto.Swept(path=WAY, inner_radius=0.015, density=1000.0),
      impeto.Tube(radius=0.02, inner_radius=0.015, length=1, **ALONG_X)),
     (impeto.Swept(path=WAY, section=FLAT, density=1000.0),
      impeto.Box(size=(1, 0.04, 0.06), position=(0.5, 0, 0), density=1000.0)),
     (RING, impeto.Torus(radius=0.2, bar_radius=0.03, density=1000.0))],
)  # fmt: skip
def test_it_weighs_as_the_solid_by_numbers_that_it_is(swept, same):
    found, expected = shape_mass(SCOPE, swept), shape_mass(SCOPE, same)
    assert found.mass == pytest.approx(expected.mass, rel=1e-12)
    np.testing.assert_allclose(found.center, expected.center, atol=1e-12)
    np.testing.assert_allclose(found.inertia, expected.inertia, rtol=1e-11, atol=1e-14)


def test_an_uneven_section_around_a_bend_weighs_as_random_points_say():
    """The mass of a bent angle bar, its centre and inertia by sampling its distances."""
    corner = "0 m, 0 m; 0.05 m, 0 m; 0.05 m, 0.01 m; 0.01 m, 0.01 m; 0.01 m, 0.06 m; 0 m, 0.06 m"
    shape = impeto.Swept(
        path="0 m, 0 m, 0 m; 0.3 m, 0 m, 0 m; 0.4 m, 0.2 m, 0.1 m", section=corner,
        bend_radius=0.1, density=1000.0,
    )  # fmt: skip
    low, high = np.array([-0.02, -0.05, -0.05]), np.array([0.46, 0.3, 0.2])
    points = np.random.default_rng(3).uniform(low, high, (400_000, 3))
    within = points[distances(swept_solid(SCOPE, shape), points) < 0.0]
    found, share = shape_mass(SCOPE, shape), len(within) / 400_000
    error = 4.0 / np.sqrt(len(within))  # four deviations of counting
    assert found.mass == pytest.approx(1000.0 * share * np.prod(high - low), rel=error)
    np.testing.assert_allclose(found.center, within.mean(axis=0), atol=0.2 * error)
    spread = np.cov(within.T)
    expected = found.mass * (np.trace(spread) * np.eye(3) - spread)
    np.testing.assert_allclose(found.inertia, expected, atol=2 * error * np.trace(expected) / 3)


def test_distances_are_those_of_a_torus_and_of_a_box():
    points = np.random.default_rng(1).uniform(-0.4, 0.4, (2000, 3))
    off = np.hypot(np.hypot(points[:, 0], points[:, 1]) - 0.2, points[:, 2]) - 0.03
    np.testing.assert_allclose(distances(swept_solid(SCOPE, RING), points), off, atol=1e-12)
    bar = swept_solid(SCOPE, impeto.Swept(path=WAY, section=FLAT))
    points[:, 0] += 0.5
    beyond = np.abs(points - (0.5, 0, 0)) - (0.5, 0.02, 0.03)
    outside = np.linalg.norm(np.maximum(beyond, 0.0), axis=1)
    off = outside + np.minimum(beyond.max(axis=1), 0.0)
    np.testing.assert_allclose(distances(bar, points), off, atol=1e-12)


@pytest.mark.parametrize(
    ("about", "message"),
    [({"bend_radius": 0.01}, "tighter than the section is wide"),
     ({"bend_radius": 0.25}, "bends at both ends of leg 2"),
     ({"path": f"{WAY}; 0.5 m, 0 m, 0 m"}, "turns back at point 2"),
     ({"path": f"{WAY}; 1 m, 0 m, 0 m"}, "points 2 and 3 of the path are one"),
     ({"inner_radius": 0.02}, "less than that of the bar"),
     ({"path": f"{WAY}; 1 m, 1 m, 0 m; 0 m, 0 m, 0 m", "closed": True},
      "points 4 and 1 of the path are one"),
     ({"path": f"{WAY}; 0.5 m, 0.1 m, 0 m", "closed": True}, "both ends of leg [123] of the path"),
     ({"path": "0 m, 0 m, 0 m; 1 m, 0 m, 0 m round -5 mm; 1 m, 1 m, 0 m"}, "less than nothing"),
     ({"path": "0 m, 0 m, 0 m; 1 m, 0 m, 0 m; 1 m, 1 m, 0 m; 0.2 m, 0.9 m, 1 m", "closed": True,
       "section": FLAT}, "comes back turned"),
     ({"path": "0 m, 0 m, 0 m; 1 m, 0 m, 0 m; 1 m, 1 m, 0 m; 0.2 m, 0.9 m, 1 m", "closed": True,
       "section": "0 m, 0 m arc 0.02 m; 0.04 m, 0 m arc 0.02 m"}, "comes back turned")],
)  # fmt: skip
def test_what_cannot_be_swept_is_refused_in_a_sentence(about, message):
    with pytest.raises(ModelError, match=message):
        shape_mass(SCOPE, impeto.Swept(**about))


def touching(*elements, until, integrator="automatic"):
    rule = impeto.ContactRule(name="touch", stiffness="1 kN/mm", restitution=0.2)
    settings = impeto.RunSettings(outputs=200, integrator=integrator)
    model = impeto.Model("sweep", [DOWN, *elements, rule], settings=settings)
    return simulate(model, until=until)


@pytest.mark.parametrize("mode", ["automatic", "quick"])
def test_a_bent_bar_lies_on_the_floor_and_presses_with_its_weight(mode):
    floor = impeto.Body(name="ground", shapes=(impeto.HalfSpace(),))
    bar = impeto.Body(name="bar", shapes=(impeto.Swept(density=7850.0),), position=(0, 0, 0.0202))
    run = touching(floor, bar, until=1.0, integrator=mode)
    weight = shape_mass(SCOPE, bar.shapes[0]).mass * G
    assert run["touch.normal"][-1] == pytest.approx(weight, rel=1e-3)
    assert run["bar.position.z"][-1] == pytest.approx(0.02, abs=5e-4)
    assert np.abs(run["bar.angular_velocity.x"][-1]) < 1e-3


def test_a_ball_shot_into_a_bent_pipe_comes_out_at_its_other_end():
    """It keeps to the middle of the pipe's wall around the bend, and leaves along the last leg."""
    pipe = impeto.Swept(path="0 m, 0 m, 0 m; 0.5 m, 0 m, 0 m; 0.5 m, 0.5 m, 0 m", bend_radius=0.2,
                        bar_radius=0.06, inner_radius=0.04, density=7850.0)  # fmt: skip
    ground = impeto.Body(name="ground", shapes=(pipe,))
    ball = impeto.Body(name="ball", shapes=(impeto.Sphere(radius="30 mm"),),
                       position=(0.05, 0, -0.01), velocity=(3, 0, 0))  # fmt: skip
    run = touching(ground, ball, until=0.5)
    x, y, z = (run[f"ball.position.{axis}"] for axis in "xyz")
    assert y[-1] > 0.5
    assert run["ball.velocity.y"][-1] > 1.5
    inside = y < 0.46  # short of the end, which counts as near as a wall
    middle = np.column_stack([x, y, z])[inside]
    bare = impeto.Swept(path=pipe.path, bend_radius=0.2, bar_radius=0.04)
    assert distances(swept_solid(SCOPE, bare), middle).max() < -0.028


def test_two_links_of_a_chain_hang_in_each_other():
    link = (
        "-0.06 m, -0.025 m, 0 m; 0.06 m, -0.025 m, 0 m; 0.06 m, 0.025 m, 0 m; -0.06 m, 0.025 m, 0 m"
    )
    shape = impeto.Swept(
        path=link, closed=True, bend_radius=0.025, bar_radius=0.008, density=7850.0
    )
    upright = {"orientation": (0, "90 deg", 0)}
    upper = impeto.Body(
        name="ground",
        shapes=(
            impeto.Swept(path=link, closed=True, bend_radius=0.025, bar_radius=0.008, **upright),
        ),
    )
    lower = impeto.Body(name="lower", shapes=(shape,), position=(0, 0, -0.1035),
                        orientation=(0, "90 deg", "90 deg"))  # fmt: skip
    run = touching(upper, lower, until=0.5)
    assert run["touch.normal"][-1] == pytest.approx(shape_mass(SCOPE, shape).mass * G, rel=1e-2)
    assert run["lower.position.z"][-1] == pytest.approx(-0.104, abs=5e-4)


def test_its_features_are_axes_holes_ends_and_bends():
    pipe = impeto.Body(name="pipe", shapes=(impeto.Swept(inner_radius=0.015),))
    found = impeto.features(impeto.Model("m", [pipe]), "pipe")
    holes = [f for f in found if f.kind == "hole"]
    assert [h.radius for h in holes] == pytest.approx([0.015, 0.015])
    assert [tuple(np.round(np.abs(h.direction), 12)) for h in holes] == [(1, 0, 0), (0, 1, 0)]
    faces = sorted(tuple(np.round(f.point, 12)) for f in found if f.kind == "face")
    assert faces == [(0, 0, 0), (0.3, 0.2, 0)]


def test_contact_begins_on_its_surface_and_a_wall_too_thin_for_the_grid_is_told():
    def piped(inner):
        shape = impeto.Swept(path="0 m, 0 m, 0 m; 2 m, 0 m, 0 m; 2 m, 2 m, 0 m; 2 m, 2 m, 2 m",
                             bend_radius=0.2, bar_radius=0.05, inner_radius=inner)  # fmt: skip
        pipe = impeto.Body(name="pipe", shapes=(shape,), position=(0, 0, 1))
        floor = impeto.Body(name="ground", shapes=(impeto.HalfSpace(),))
        rule = impeto.ContactRule(name="touch", stiffness="1 kN/mm")
        return impeto.Model("pipe", [DOWN, floor, pipe, rule])

    (watched,) = watched_shapes(piped(0.0), None, "touch")
    assert watched.cell > 0.0
    solid = swept_solid(SCOPE, piped(0.0)["pipe"].shapes[0])
    np.testing.assert_allclose(distances(solid, watched.points), 0.0, atol=1e-12)
    told = [[f.message for f in check(piped(r)).findings if "too coarse" in f.message]
            for r in (0.0, 0.047)]  # fmt: skip
    assert not told[0]
    assert "3\u2009mm thick" in told[1][0]
