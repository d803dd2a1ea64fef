"""What bodies offer to point at, against the numbers of their shapes and against meshes of them."""

import numpy as np
import pytest
import trimesh

import impeto
from impeto.core.bodies.features import features_of
from impeto.core.bodies.solid_features import (
    AXIS,
    CENTRE,
    CIRCLE,
    CORNER,
    EDGE,
    FRAME,
    HOLE,
    MASS,
    MIDDLE,
    PLANE,
)
from impeto.core.geometry.rotation import from_roll_pitch_yaw
from impeto.core.model.scope import Scope

TURN = (0.3, -0.7, 1.1)
AT = np.array((0.2, -0.1, 0.4))


def found(shape, *more, geometry=None):
    body = impeto.Body(name="part", shapes=(shape,), mass=1)
    model = impeto.Model("m", [body, *more], geometry=geometry or {})
    return features_of(Scope(model), body)


def of(features, kind):
    return [feature for feature in features if feature.kind == kind]


def test_a_block_offers_its_faces_edges_corners_and_centre_where_it_is_placed():
    features = found(impeto.Box(size=(0.2, 0.4, 0.6), position=tuple(AT), orientation=TURN))
    rotation = from_roll_pitch_yaw(np.array(TURN))
    counts = {kind: len(of(features, kind)) for kind in (PLANE, EDGE, MIDDLE, CORNER, CENTRE)}
    assert counts == {PLANE: 6, EDGE: 12, MIDDLE: 12, CORNER: 8, CENTRE: 1}
    for face in of(features, PLANE):
        local = rotation.T @ (face.point - AT)
        axis = int(np.argmax(np.abs(local)))
        assert local[axis] == pytest.approx((0.1, 0.2, 0.3)[axis] * np.sign(local[axis]))
        np.testing.assert_allclose(rotation.T @ face.direction, np.sign(local) * np.eye(3)[axis],
                                   atol=1e-15)  # fmt: skip
        assert face.across @ face.direction == pytest.approx(0.0, abs=1e-15)
    corners = np.array([rotation.T @ (corner.point - AT) for corner in of(features, CORNER)])
    np.testing.assert_allclose(np.abs(corners), [(0.1, 0.2, 0.3)] * 8, atol=1e-15)
    assert {round(edge.half, 12) for edge in of(features, EDGE)} == {0.1, 0.2, 0.3}


def test_a_tube_has_an_axis_and_a_hole_with_their_circles():
    features = found(impeto.Tube(radius=0.05, inner_radius=0.03, length=0.2, position=tuple(AT),
                                 orientation=TURN))  # fmt: skip
    way = from_roll_pitch_yaw(np.array(TURN))[:, 2]
    for kind, radius in ((AXIS, 0.05), (HOLE, 0.03)):
        (line,) = of(features, kind)
        assert (line.radius, line.half) == (radius, pytest.approx(0.1))
        np.testing.assert_allclose(line.direction, way, atol=1e-15)
        np.testing.assert_allclose(line.point, AT, atol=1e-15)
    assert sorted(round(circle.radius, 12) for circle in of(features, CIRCLE)) == [
        0.03, 0.03, 0.05, 0.05,
    ]  # fmt: skip
    ends = np.array([circle.point for circle in of(features, CIRCLE)])
    np.testing.assert_allclose(np.linalg.norm(ends - AT, axis=1), 0.1)


def test_arcs_of_an_outline_are_axes_outside_and_holes_inside():
    outline = "0 mm, 0 mm; 80 mm, 0 mm; 80 mm, 50 mm round 10 mm; 0 mm, 50 mm"
    features = found(impeto.Extrusion(outline=outline, length="30 mm"))
    (rounding,) = of(features, AXIS)
    assert rounding.radius == pytest.approx(0.01)
    np.testing.assert_allclose(rounding.point, (0.07, 0.04, 0.0), atol=1e-15)
    assert len(of(features, PLANE)) == 6
    hollow = (
        "0 mm, 0 mm; 60 mm, 0 mm; 60 mm, 40 mm; 40 mm, 40 mm arc -10 mm; 20 mm, 40 mm; 0 mm, 40 mm"
    )
    (groove,) = of(found(impeto.Extrusion(outline=hollow, length="30 mm")), HOLE)
    np.testing.assert_allclose(groove.point, (0.03, 0.04, 0.0), atol=1e-12)


def test_frames_and_the_centre_of_mass_are_offered_too():
    frame = impeto.Frame(name="eye", body="part", position=(0.1, 0, 0), orientation=TURN)
    features = found(impeto.Sphere(radius=0.1, position=tuple(AT)), frame)
    (eye,) = of(features, FRAME)
    assert eye.name == "eye"
    np.testing.assert_allclose(eye.direction, from_roll_pitch_yaw(np.array(TURN))[:, 2])
    (ball,) = of(features, CENTRE)
    assert ball.radius == 0.1
    np.testing.assert_allclose(ball.point, AT)
    assert len(of(features, MASS)) == 1


def test_a_mesh_offers_the_plane_edges_and_corners_of_its_flat_faces():
    block = trimesh.creation.box((0.2, 0.4, 0.6))
    block.apply_transform(trimesh.transformations.euler_matrix(*TURN))
    surface = impeto.Triangles(np.array(block.vertices), np.array(block.faces))
    features = found(impeto.Mesh(file="block.stl", unit="m"), geometry={"block.stl": surface})
    exact = found(impeto.Box(size=(0.2, 0.4, 0.6), orientation=TURN))
    for kind, count in ((PLANE, 6), (CORNER, 8), (EDGE, 12)):
        have, want = of(features, kind), of(exact, kind)
        assert len(have) == count
        gaps = [min(np.linalg.norm(f.point - g.point) for g in want) for f in have]
        assert max(gaps) < 1e-9 * 0.6
    for face in of(features, PLANE):
        assert max(abs(face.direction @ other.direction) for other in of(exact, PLANE)) > 1 - 1e-12


@pytest.mark.parametrize("sections", [16, 96])
def test_a_mesh_offers_the_axes_of_its_round_walls(sections):
    ring = trimesh.creation.annulus(0.03, 0.05, 0.2, sections=sections)
    moved = trimesh.transformations.euler_matrix(*TURN)
    moved[:3, 3] = AT
    ring.apply_transform(moved)
    surface = impeto.Triangles(np.array(ring.vertices), np.array(ring.faces))
    features = found(impeto.Mesh(file="ring.stl", unit="m"), geometry={"ring.stl": surface})
    for kind, radius in ((AXIS, 0.05), (HOLE, 0.03)):
        (line,) = of(features, kind)
        assert line.radius == pytest.approx(radius, rel=1e-9)
        assert abs(line.direction @ moved[:3, 2]) == pytest.approx(1.0, abs=1e-12)
        away = line.point - AT
        assert np.linalg.norm(away - (away @ moved[:3, 2]) * moved[:3, 2]) < 1e-9 * 0.2
        assert line.half == pytest.approx(0.1, rel=1e-9)
    assert len(of(features, PLANE)) == 2


def test_a_rough_mesh_offers_no_axes_and_a_wrong_shape_nothing():
    lump = trimesh.creation.icosphere(2, 0.1)
    lump.vertices *= 1.0 + 0.1 * np.random.default_rng(1).random((len(lump.vertices), 1))
    surface = impeto.Triangles(np.array(lump.vertices), np.array(lump.faces))
    features = found(impeto.Mesh(file="lump.stl", unit="m"), geometry={"lump.stl": surface})
    assert not of(features, AXIS) + of(features, HOLE)
    wrong = found(impeto.Mesh(file="none.stl"))
    assert wrong == []
