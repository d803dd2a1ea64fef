"""What contact knows of how deep a ball is in another shape, against the distance from the
triangles of that shape, which contact does not use."""

import igl
import numpy as np
import pytest
import trimesh

import impeto
from impeto.core.simulate import simulate

RADIUS = 0.03
OUTLINE = [(-0.2, -0.03), (0.2, -0.03), (0.2, 0.03), (0.0, 0.1), (-0.2, 0.03)]


def prism(points, half):
    """Triangles of a convex outline drawn out along z."""
    n = len(points)
    corners = [(x, y, z) for z in (-half, half) for x, y in points]
    sides = [f for i in range(n) for j in [(i + 1) % n] for f in ((i, j, n + j), (i, n + j, n + i))]
    caps = [f for i in range(1, n - 1) for f in ((0, i + 1, i), (n, n + i, n + i + 1))]
    return trimesh.Trimesh(corners, sides + caps)


def egg():
    made = trimesh.creation.icosphere(3, 0.1)
    made.vertices *= [2.0, 0.5, 0.8]
    return made


def plate():
    made = trimesh.creation.box((0.4, 0.3, 0.02))
    made.apply_translation((0, 0, -0.01))
    return made


BLOCK = trimesh.creation.box((0.4, 0.1, 0.06)).subdivide().subdivide()
SHAPES = {
    "box": (impeto.Box(size=(0.4, 0.1, 0.06)), BLOCK),
    "cylinder": (impeto.Cylinder(radius=0.05, length=0.4),
                 trimesh.creation.cylinder(0.05, 0.4, sections=512)),
    "tube": (impeto.Tube(radius=0.1, inner_radius=0.08, length=0.3),
             trimesh.creation.annulus(0.08, 0.1, 0.3, sections=512)),
    "plate": (impeto.Plate(length=0.4, width=0.3, thickness=0.02), plate()),
    "outline": (impeto.Extrusion(outline="; ".join(f"{x} m, {y} m" for x, y in OUTLINE),
                                 length=0.1), prism(OUTLINE, 0.05)),
    "mesh of an egg": (impeto.Mesh(file="mesh", unit="m"), egg()),
    "mesh of a box": (impeto.Mesh(file="mesh", unit="m"), BLOCK),
}  # fmt: skip


def flight(kind, seed, mode):
    """A ball flies at a shape that tumbles; depths by the triangles and by the contact, (N,), and
    the largest force [N]."""
    shape, drawn = SHAPES[kind]
    rng = np.random.default_rng(seed)
    spin, turned = rng.normal(0, 12, 3), rng.uniform(-3, 3, 3)
    aside = rng.uniform(-0.12, 0.12, 2)
    ball = impeto.Body(name="ball", position=(-0.5, *map(float, aside)), velocity=(4.0, 0, 0),
                       mass=0.5, inertia=(1e-3, 1e-3, 1e-3),
                       shapes=(impeto.Sphere(radius=RADIUS),))  # fmt: skip
    body = impeto.Body(name="body", angular_velocity=tuple(map(float, spin)), mass=3.0,
                       orientation=tuple(map(float, turned)), inertia=(0.03, 0.03, 0.03),
                       shapes=(shape,))  # fmt: skip
    rule = impeto.ContactRule(name="touch", stiffness="10 kN/mm", restitution=0.5,
                              static_friction=0.2, kinetic_friction=0.2)  # fmt: skip
    surface = impeto.Triangles(np.asarray(drawn.vertices), np.asarray(drawn.faces, dtype=np.int64))
    model = impeto.Model(
        "flight", [ball, body, rule], geometry={"mesh": surface},
        settings=impeto.RunSettings(integrator=mode, step="0.5 ms", outputs="2 kHz"),
    )  # fmt: skip
    r = simulate(model, until=0.2)
    assert not r.stopped
    turn = np.array([[r[f"body.rotation.{i}{j}"] for j in "xyz"] for i in "xyz"])
    way = np.array([r[f"ball.position.{i}"] - r[f"body.position.{i}"] for i in "xyz"])
    own = np.ascontiguousarray(np.einsum("jit,jt->ti", turn, way))
    away = igl.signed_distance(own, surface.vertices, surface.faces)[0]
    depths = np.maximum(RADIUS - away, 0.0), np.maximum(r["touch.depth"], 0.0)
    return *depths, float(r["touch.normal"].max())


@pytest.mark.parametrize("mode", ["automatic", "quick"])
@pytest.mark.parametrize("kind", SHAPES)
def test_a_ball_that_flies_at_a_tumbling_shape_is_seen_wherever_it_hits(kind, mode):
    """Edges are rounded and meshes known to a part of a cell; in quick mode a step goes by 2 mm."""
    met = 0
    for seed in range(8):
        drawn, known, force = flight(kind, seed, mode)
        met += force > 0.0
        assert np.abs(drawn - known).max() < (1.5e-3 if mode == "automatic" else 2.5e-3), seed
    assert met >= 3
