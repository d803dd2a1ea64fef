"""Solids of any form: mass, outlines, teeth, distances and samples, against closed forms."""

import numpy as np
import pytest
import trimesh

import impeto
from impeto.core.contact import fields as kinds
from impeto.core.contact.columns import GRID, GRID_VALUES, GRID_WIDTH, KIND, ROUNDING, SIZE
from impeto.core.contact.fields import field
from impeto.core.errors import ModelError
from impeto.core.geometry import outlines
from impeto.core.geometry.outline_distance import outline_distances, with_ends
from impeto.core.geometry.samples import CORNER, CREASE, SMOOTH
from impeto.core.geometry.solids import solid_of_outline, solid_of_triangles
from impeto.core.geometry.triangles import Triangles, mesh_mass
from impeto.core.overlaps import watched_shapes
from tests.core.test_contact_fields import tables


def triangles(made):
    return Triangles(np.asarray(made.vertices), np.asarray(made.faces, dtype=np.int64))


def edges(points, rounds=None, arcs=None):
    count = len(points)
    nothing = np.zeros(count)
    return outlines.edges_of(
        np.array(points, dtype=float),
        nothing if rounds is None else np.array(rounds, dtype=float),
        nothing if arcs is None else np.array(arcs, dtype=float),
    )


SQUARE = [(0, 0), (1, 0), (1, 1), (0, 1)]
TORUS = (0.05, 0.012)  # of the middle line, of the wire


@pytest.fixture(scope="module")
def torus():
    return triangles(trimesh.creation.torus(*TORUS, major_sections=192, minor_sections=64))


def test_mass_of_a_mesh_is_that_of_the_block_it_describes():
    block = triangles(trimesh.creation.box((0.2, 0.3, 0.4)))
    moved = Triangles(block.vertices + np.array([1.0, 2.0, 3.0]), block.faces)
    found = mesh_mass(moved, 1000.0)
    assert found.mass == pytest.approx(24.0)
    assert found.center == pytest.approx([1.0, 2.0, 3.0])
    a, b, c = 0.2**2, 0.3**2, 0.4**2
    assert found.inertia == pytest.approx(2.0 * np.diag([b + c, a + c, a + b]), abs=1e-12)


def test_a_surface_tells_what_is_wrong_with_it():
    block = triangles(trimesh.creation.box((1, 1, 1)))
    assert (block.open_edges, block.turned_over) == (0, 0)
    assert Triangles(block.vertices, block.faces[1:]).open_edges == 3
    wrong = block.faces.copy()
    wrong[0] = wrong[0, ::-1]
    assert Triangles(block.vertices, wrong).turned_over == 3
    assert Triangles(block.vertices, block.faces[:, ::-1]).volume == pytest.approx(-1.0)


def test_area_of_an_outline_counts_its_roundings_and_arcs():
    made = edges(SQUARE, rounds=[0.1, 0, 0, 0], arcs=[0, 0, 0.5, 0])
    area = 1.0 - (1.0 - np.pi / 4.0) * 0.01 + np.pi / 8.0
    assert outlines.prism_mass(made, 2.0, 3.0).mass == pytest.approx(6.0 * area, rel=1e-4)
    turned = edges(SQUARE[::-1], rounds=[0, 0, 0, 0.1], arcs=[0, 0.5, 0, 0])
    assert outlines.prism_mass(turned, 2.0, 3.0).mass == pytest.approx(6.0 * area, rel=1e-4)
    hollow = edges(SQUARE, arcs=[0, 0, -0.5, 0])
    assert outlines.prism_mass(hollow, 1.0, 1.0).mass == pytest.approx(1 - np.pi / 8, rel=1e-4)


def test_a_prism_weighs_and_turns_like_the_block_it_is():
    made = edges([(-0.1, -0.15), (0.1, -0.15), (0.1, 0.15), (-0.1, 0.15)])
    found = outlines.prism_mass(made, 0.4, 1000.0)
    a, b, c = 0.2**2, 0.3**2, 0.4**2
    assert found.inertia == pytest.approx(2.0 * np.diag([b + c, a + c, a + b]), abs=1e-12)


@pytest.mark.parametrize(
    ("points", "rounds", "arcs", "words"),
    [
        (SQUARE, [0.6, 0, 0, 0], None, "rounding of corner 1 is too large"),
        (SQUARE, None, [0.4, 0, 0, 0], "arc from point 1 is too small"),
        (SQUARE, [0.1, 0, 0, 0], [0.6, 0, 0, 0], "between an arc and another edge"),
        ([(0, 0), (1, 0), (2, 0)], None, None, "encloses no area"),
    ],
)
def test_outlines_that_cannot_be_drawn_are_refused_in_a_sentence(points, rounds, arcs, words):
    with pytest.raises(ModelError, match=words):
        edges(points, rounds, arcs)


def test_distance_to_an_outline_of_arcs_is_that_to_a_circle():
    circle = edges([(1, 0), (-1, 0)], arcs=[1.0, 1.0])
    points = np.random.default_rng(2).uniform(-2, 2, (500, 2))
    found = np.zeros(500)
    outline_distances(with_ends(circle), points, found)
    assert found == pytest.approx(np.linalg.norm(points, axis=1) - 1.0, abs=1e-12)
    bay = edges(SQUARE, arcs=[0, 0, -0.5, 0])  # half a circle cut out at the top
    found = np.zeros(3)
    outline_distances(with_ends(bay), np.array([(0.5, 0.4), (0.5, 0.7), (0.05, 0.2)]), found)
    assert found == pytest.approx([-0.1, 0.2, -0.05], abs=1e-12)


def test_teeth_are_as_thick_on_the_pitch_circle_as_half_of_the_pitch():
    module, teeth, pressure, thinned = 0.01, 20, np.deg2rad(20.0), 2e-4
    made = outlines.drawn(outlines.toothed(module, teeth, pressure, thinned), np.deg2rad(0.05))
    radius, angle = np.hypot(*made.T), np.arctan2(made[:, 1], made[:, 0])
    pitch = 0.5 * module * teeth
    assert radius.max() == pytest.approx(pitch + module)
    assert radius.min() == pytest.approx(pitch - 1.25 * module)
    upper = (angle > 0) & (angle < np.pi / teeth)
    order = np.argsort(radius[upper])
    at_pitch = np.interp(pitch, radius[upper][order], angle[upper][order])
    assert 2 * pitch * at_pitch == pytest.approx(np.pi * module / 2 - thinned, rel=1e-4)
    base = pitch * np.cos(pressure)  # a normal of an involute touches the base circle
    i = int(np.flatnonzero(upper)[np.argmin(abs(radius[upper] - pitch))])
    along = made[i + 1] - made[i - 1]
    along /= np.linalg.norm(along)
    assert abs(made[i] @ along) == pytest.approx(base, rel=1e-3)


def solid_tables(solid, kind):
    blank = tables(kind, (float(solid.half[2]) - solid.rounding,), np.zeros((0, 2)))
    shape, value = blank.shape.copy(), blank.shape_value.copy()
    shape[0, GRID], shape[0, KIND] = 0, kind
    value[0, ROUNDING] = solid.rounding
    value[0, SIZE] = float(solid.half[2]) - solid.rounding
    return blank.replaced(
        shape=shape, shape_value=value,
        grid=np.array([(0, *solid.nodes)], dtype=np.int64).reshape(-1, GRID_WIDTH),
        grid_value=np.array([(*solid.origin, *solid.step)]).reshape(-1, GRID_VALUES),
        coefficient=solid.coefficients, edge=solid.edges, cell=solid.cell, cell_edge=solid.near,
    )  # fmt: skip


def torus_distance(p):
    return np.hypot(np.hypot(p[0], p[1]) - TORUS[0], p[2]) - TORUS[1]


def test_the_field_of_a_mesh_is_that_of_the_ring_it_describes(torus):
    T = solid_tables(solid_of_triangles(torus, "fine"), kinds.SOLID)
    rng = np.random.default_rng(5)
    angle, turn = rng.uniform(0, 2 * np.pi, (2, 200))
    off = TORUS[1] + rng.uniform(-3e-3, 3e-3, 200)
    ring = TORUS[0] + off * np.cos(turn)
    points = np.stack([ring * np.cos(angle), ring * np.sin(angle), off * np.sin(turn)], axis=1)
    facet = TORUS[1] * (1 - np.cos(np.pi / 64)) + sum(TORUS) * (1 - np.cos(np.pi / 192))
    for p, d in zip(points, off - TORUS[1], strict=True):
        found = field(T, 0, *p)
        assert found[0] == pytest.approx(d, abs=1.2 * facet)  # as far as its facets allow
        out = np.array([p[0], p[1], 0.0]) * (1 - TORUS[0] / np.hypot(p[0], p[1])) + (0, 0, p[2])
        assert np.array(found[1:]) @ out / np.linalg.norm(out) > 0.98


def test_beyond_its_grid_a_field_is_never_more_than_the_distance(torus):
    T = solid_tables(solid_of_triangles(torus, "coarse"), kinds.SOLID)
    for p in np.random.default_rng(6).uniform(-0.5, 0.5, (300, 3)):
        found = field(T, 0, *p)
        distance = torus_distance(p)
        assert found[0] <= distance + 3e-4
        assert found[0] >= 0.6 * distance - 3e-4


def test_the_field_of_a_drawn_out_outline_is_that_of_its_block():
    half = np.array([0.1, 0.15, 0.2])
    made = edges([(-0.1, -0.15), (0.1, -0.15), (0.1, 0.15), (-0.1, 0.15)])
    solid = solid_of_outline(made, 0.4)
    assert solid.thickness == pytest.approx(0.1, rel=0.02)
    T = solid_tables(solid, kinds.DRAWN)
    for p, wanted in (
        ((0.102, 0.0, 0.0), 0.002), ((0.0, 0.0, 0.25), 0.05), ((0.0, -0.152, 0.1), 0.002),
        ((0.0, 0.0, 0.195), -0.005), ((0.097, 0.0, 0.0), -0.003),
    ):  # fmt: skip
        assert field(T, 0, *p)[0] - solid.rounding == pytest.approx(wanted, abs=1e-12)
    assert solid.half == pytest.approx(half)


def test_samples_are_corners_creases_and_points_spread_over_what_is_smooth(torus):
    block = solid_of_triangles(triangles(trimesh.creation.box((1, 1, 1))), "coarse").samples
    corners = block.point[block.kind == CORNER]
    assert len(corners) == 8
    assert abs(corners) == pytest.approx(np.full((8, 3), 0.5))
    creases = block.point[block.kind == CREASE]
    assert ((abs(creases) == 0.5).sum(axis=1) == 2).all()
    smooth = block.point[block.kind == SMOOTH]
    assert np.isclose(abs(smooth), 0.5).any(axis=1).all()
    ring = solid_of_triangles(torus, "coarse").samples
    assert (ring.kind == SMOOTH).all()
    nearest = np.linalg.norm(ring.point[:, None] - ring.point[ring.near[:, 0]][None], axis=2)
    assert (np.diag(nearest) < ring.reach).all()


def test_a_bore_takes_its_weight_from_a_wheel():
    wheel = impeto.ToothedWheel(module="5 mm", teeth="20", width="30 mm", bore="20 mm")
    full = impeto.ToothedWheel(module="5 mm", teeth="20", width="30 mm")
    masses = []
    for shape in (wheel, full):
        model = impeto.Model("m", [impeto.Body(name="wheel", shapes=[shape])])
        masses.append(impeto.simulate(model, until=0.01).system.mechanism.bodies[1].mass)
    assert masses[1] - masses[0] == pytest.approx(7850 * np.pi * 0.02**2 * 0.03)


def test_what_a_rule_watches_is_told_by_body_with_the_size_of_its_cells():
    """On the surface as drawn; finer where the rule asks for it; outlines are exact."""
    torus = triangles(trimesh.creation.torus(0.05, 0.012, major_sections=192, minor_sections=64))
    wheel = impeto.Body(name="wheel", position=(1, 0, 0), shapes=(impeto.ToothedWheel(),))
    ring = impeto.Body(name="ring", shapes=[impeto.Mesh(file="ring", unit="m",
                                                        position=(0, 0, 0.2))])  # fmt: skip
    other = impeto.Body(name="other", shapes=(impeto.Box(),))

    def watched(resolution):
        rule = impeto.ContactRule(name="touch", first=("ring", "wheel"), resolution=resolution)
        model = impeto.Model("m", [ring, wheel, other, rule], geometry={"ring": torus})
        return {one.body: one for one in watched_shapes(model, None, "touch")}

    coarse, fine = watched("coarse"), watched("fine")
    assert set(coarse) == {"ring", "wheel"}
    assert coarse["wheel"].cell == 0.0
    assert 0.0 < fine["ring"].cell < coarse["ring"].cell
    x, y, z = fine["ring"].points.T
    away = np.hypot(np.hypot(x, y) - 0.05, z - 0.2)  # from the middle line of the torus
    assert away == pytest.approx(0.012, abs=2e-4)


@pytest.mark.parametrize("radius", [0.1, 0.4, 1.0])
def test_curved_walls_are_as_thick_as_they_are(radius):
    """Facets of a sixty-fourth of a turn lie inside the round by R (1 − cos(π/64)) at most."""
    tube = triangles(trimesh.creation.annulus(radius - 0.04, radius, 0.5, sections=64))
    assert 2.0 * solid_of_triangles(tube, "coarse").thickness == pytest.approx(0.04, rel=2e-3)
    half = np.array([(-radius, 0), (radius, 0), (radius - 0.04, 0), (0.04 - radius, 0)])
    bow = edges(half, arcs=[radius, 0, 0.04 - radius, 0])
    assert 2.0 * solid_of_outline(bow, 0.5).thickness == pytest.approx(0.04, rel=2e-2)


def test_a_ball_and_a_ring_are_as_thick_as_their_wire(torus):
    ball = triangles(trimesh.creation.icosphere(4, 0.1))
    assert solid_of_triangles(ball, "coarse").thickness == pytest.approx(0.1, rel=5e-3)
    assert solid_of_triangles(torus, "coarse").thickness == pytest.approx(TORUS[1], rel=0.02)
