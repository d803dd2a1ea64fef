"""Distance fields, features and the list of near shapes, each against a plainer formulation."""

import numpy as np
import pytest

import impeto
from impeto.core.assembly.build import build_system
from impeto.core.assembly.resolve import resolve
from impeto.core.assembly.workspace import workspace_of
from impeto.core.contact import fields as kinds
from impeto.core.contact.columns import KIND, LAST_POINT, SHAPE_WIDTH, SIZE, VALUE_WIDTH
from impeto.core.contact.features import BARREL, CLOSE, LINE, deepest, probe
from impeto.core.contact.fields import field
from impeto.core.contact.nearby import find_near
from impeto.core.dynamics.pack import Pack
from impeto.core.solvers.contacting import renewed

CONE = np.array([(-0.3, -0.5), (0.3, -0.5), (0.1, 0.5), (-0.1, 0.5)])
ROAD = np.array([(-1.0, 0.0), (0.0, 0.0), (0.5, 0.3), (0.9, 0.3), (1.0, -0.1)])
SHAPES = {
    "ball": (kinds.BALL, (0.3,), np.zeros((0, 2))),
    "block": (kinds.BLOCK, (0.5, 0.3, 0.2), np.zeros((0, 2))),
    "bar": (kinds.ROUND, (0.3, 0.5), np.zeros((0, 2))),
    "pipe": (kinds.PIPE, (0.4, 0.25, 0.5), np.zeros((0, 2))),
    "capsule": (kinds.CAPSULE, (0.3, 0.4), np.zeros((0, 2))),
    "cone": (kinds.CONE, (0.3, 0.1, 0.5), CONE),
    "road": (kinds.PROFILE, (2.0,), ROAD),
    "floor": (kinds.HALF_SPACE, (0.0,), np.zeros((0, 2))),
}


def tables(kind, size, profile):
    """With one shape, and a bar as its feature 0 that each test makes its own."""
    blank = build_system(
        resolve(impeto.Model("blank", [])),
    ).tables
    values = np.zeros((1, VALUE_WIDTH))
    values[0, SIZE : SIZE + len(size)] = size
    shape = np.zeros((1, SHAPE_WIDTH), dtype=np.int64)
    shape[0, KIND], shape[0, LAST_POINT] = kind, len(profile)
    return blank.replaced(
        shape=shape, shape_value=values, profile=profile, feature=np.zeros(1, dtype=np.int64),
        feature_value=np.array([[0, 0, -0.3, 0, 0, 0.3, 0.1, 0.1, 0.01, 1.0]]),
    )  # fmt: skip


TABLES = {name: tables(*described) for name, described in SHAPES.items()}


def at(name, point):
    return np.array(field(TABLES[name], 0, *point))


@pytest.mark.parametrize("name", SHAPES)
def test_the_gradient_of_a_field_is_its_slope_and_has_length_one(name):
    rng = np.random.default_rng(3)
    checked = 0
    for point in rng.uniform(-1, 1, (200, 3)):
        here = at(name, point)
        step = 1e-6
        slope = np.array([
            (at(name, point + step * axis)[0] - at(name, point - step * axis)[0]) / (2 * step)
            for axis in np.eye(3)
        ])  # fmt: skip
        if abs(np.linalg.norm(slope) - 1.0) > 1e-4:
            continue  # at a ridge inside, where two faces are equally near
        assert np.linalg.norm(here[1:]) == pytest.approx(1.0, abs=1e-9)
        np.testing.assert_allclose(here[1:], slope, atol=1e-4)
        checked += 1
    assert checked > 150


@pytest.mark.parametrize("name", ["block", "bar", "pipe", "cone", "road"])
def test_the_distance_outside_is_that_of_the_nearest_point_inside(name):
    rng = np.random.default_rng(5)
    inside = np.array([p for p in rng.uniform(-1.2, 1.2, (40000, 3)) if at(name, p)[0] <= 0.0])
    for point in rng.uniform(-0.9, 0.9, (30, 3)):
        distance = at(name, point)[0]
        if distance > 0.05:
            nearest = np.linalg.norm(inside - point, axis=1).min()
            assert distance <= nearest + 1e-12
            assert nearest - distance < 0.12  # what the scatter leaves between its points


@pytest.mark.parametrize("feature", [LINE, BARREL])
@pytest.mark.parametrize("name", ["block", "bar", "capsule", "pipe", "road"])
def test_the_deepest_place_of_a_feature_is_not_above_any_other(feature, name):
    rng = np.random.default_rng(7)
    T, out = TABLES[name], np.zeros(7)
    T.feature[0] = feature
    for _ in range(20):
        turn = np.linalg.qr(rng.normal(size=(3, 3)))[0]
        offset = rng.uniform(-0.9, 0.9, 3)
        share = deepest(T, 0, 10.0, CLOSE, 0, turn, offset, out)
        least = out[0]
        shares = np.linspace(0.0, 1.0, 101)
        scanned = []
        for s in shares:
            probe(T, 0, s, CLOSE, 0, turn, offset, out)
            scanned.append(out[0])
        assert 0.0 <= share <= 1.0
        rough = 2e-2 if name in ("pipe", "road") else 1e-6  # hollows have several such places
        assert least <= min(scanned) + rough


def test_the_sweep_finds_the_same_pairs_as_comparing_all():
    rng = np.random.default_rng(11)
    count = 60
    place, values = np.zeros((count, 12)), np.zeros((count, 22))
    place[:, :3], values[:, 17] = rng.uniform(-1, 1, (count, 3)), rng.uniform(0.05, 0.2, count)
    values[0, 17] = 1e6  # a floor
    pairing = np.where(rng.random((count, count)) < 0.8, 0, -1)
    found = np.zeros((count * count, 3), dtype=np.int64)
    shape = np.zeros((count, 8), dtype=np.int64)
    none = np.zeros(count)
    number = find_near(shape, values, place, pairing, 0.05, none, np.arange(count), found)
    expected = {
        (i, j)
        for i in range(count)
        for j in range(i + 1, count)
        if pairing[i, j] >= 0
        and np.linalg.norm(place[i, :3] - place[j, :3]) <= values[i, 17] + values[j, 17] + 0.05
    }
    assert {(int(a), int(b)) for a, b, _ in found[:number]} == expected


def test_the_list_of_near_shapes_keeps_what_a_pair_remembers_and_makes_room():
    balls = [impeto.Body(name=f"ball_{k}", position=(0.09 * k, 0, 0.05), shapes=(impeto.Sphere(),))
             for k in range(5)]  # fmt: skip
    floor = impeto.Body(name="ground", shapes=(impeto.HalfSpace(),))
    model = impeto.Model("row", [floor, *balls, impeto.ContactRule(name="touch")])
    system = build_system(resolve(model))
    T, S, y = renewed(system.tables, workspace_of(system), 0.0, system.start.copy())
    assert S.near_count[0] == 5 + 4  # each on the floor, each beside its neighbour
    first = len(system.start)
    assert len(y) == first + 4 * len(S.patch)
    y[first : first + 3] = 1e-6, 2e-6, 3e-6
    T2, _, y2 = renewed(T, S, 0.0, y)
    assert T2 is T
    np.testing.assert_allclose(y2[first : first + 3], (1e-6, 2e-6, 3e-6))


class Pair(Pack):
    numbers: np.ndarray
    rows: np.ndarray


def test_a_pack_is_an_unchanging_set_of_arrays():
    pair = Pair(numbers=np.arange(3.0), rows=np.arange(4))
    pair.numbers[1] = 7.0
    other = pair.replaced(rows=np.zeros(2, dtype=np.int64))
    assert other.numbers is pair.numbers
    assert len(other.rows) == 2
    with pytest.raises(AttributeError, match="stays"):
        pair.rows = np.zeros(1)
    with pytest.raises(KeyError):
        Pair(numbers=np.zeros(1))


@pytest.mark.parametrize("name", ["block", "bar"])
def test_the_deepest_place_of_a_bar_moves_continuously_past_edges(name):
    """Along a way into a shape, as far as half the bar's radius, the least distance changes by no
    more than the way, and the gradient tells by how much."""
    T, out = TABLES[name], np.zeros(7)
    T.feature[0] = BARREL
    turn = np.linalg.qr(np.random.default_rng(2).normal(size=(3, 3)))[0]
    way, step = np.array([0.3, -0.5, 0.8]) / np.linalg.norm([0.3, -0.5, 0.8]), 1e-4
    found = []
    for share in range(-8000, 8000):
        offset = np.array([0.35, 0.1, 0.02]) + share * step * way
        deepest(T, 0, 10.0, CLOSE, 0, turn, offset, out)
        found.append((out[0], out[1:4] @ way))
    distance, slope = np.array(found).T
    near = (np.minimum(distance[1:], distance[:-1]) > -0.05) & (distance[1:] < 0.05)
    assert near.sum() > 500
    change = np.diff(distance)[near] / step
    assert np.abs(change).max() <= 1.0 + 1e-6
    off = np.abs(change - 0.5 * (slope[1:] + slope[:-1])[near])
    assert np.quantile(off, 0.95) < 1e-2  # all but where the deepest place changes faces
