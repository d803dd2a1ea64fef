"""Two blocks in quick mode, against hulls of differences of corners, and as stacks that stand."""

from itertools import product

import numpy as np
import pytest
from scipy.spatial import ConvexHull
from scipy.spatial.transform import Rotation

import impeto
from impeto.core.assembly.build import build_system
from impeto.core.assembly.equations import derivative
from impeto.core.assembly.resolve import resolve
from impeto.core.assembly.workspace import workspace_of
from impeto.core.contact.blocks import FACES_FIRST
from impeto.core.contact.columns import DEPTH, NORMAL, PLACE
from impeto.core.solvers.contacting import renewed
from tests.core.building import DOWN, G, run
from tests.core.test_contact import FLOOR, rule

SIGNS = np.array(list(product((-1.0, 1.0), repeat=3)))


def corners(size, place, turn):
    return place + (SIGNS * size / 2) @ turn.T


def depth_of(a, b):
    """How far two sets of corners overlap: the origin in the hull of their differences, to its
    nearest face (negative where it is outside, by less than the true distance)."""
    hull = ConvexHull((a[:, None] - b[None]).reshape(-1, 3))
    return float((-hull.equations[:, 3]).min())


def touched(size_a, place_a, turn_a, size_b):
    """Workspace of quick mode with block A over block B, which stands in the origin."""
    angles = Rotation.from_matrix(turn_a).as_euler("xyz")
    model = impeto.Model("m", [
        impeto.Body(name="b", shapes=(impeto.Box(size=tuple(size_b)),)),
        impeto.Body(name="a", position=tuple(place_a), orientation=tuple(angles),
                    shapes=(impeto.Box(size=tuple(size_a)),)),
        rule(),
    ])  # fmt: skip
    system = build_system(resolve(model))
    S = workspace_of(system)
    S.quick[:] = 1.0, 0.005
    T, S, y = renewed(system.tables, S, 0.0, system.start.copy())
    derivative(T, S, 0.0, y, np.zeros_like(y))
    return S


@pytest.mark.parametrize("seed", range(60))
def test_the_depth_of_two_blocks_is_that_of_the_hull_of_their_differences(seed):
    rng = np.random.default_rng(seed)
    size_a, size_b = rng.uniform(0.05, 0.3, 3), rng.uniform(0.05, 0.3, 3)
    turn = Rotation.random(random_state=seed).as_matrix()
    place = rng.uniform(-0.12, 0.12, 3)
    exact = depth_of(corners(size_a, place, turn), corners(size_b, np.zeros(3), np.eye(3)))
    S = touched(size_a, place, turn, size_b)
    if S.near_count[0] == 0:
        assert exact < 0.0
        return
    assert S.near_count[0] == 1
    found = -S.near_gap[0]
    slack = FACES_FIRST * min(size_a.min(), size_b.min()) / 2
    assert exact - 1e-9 <= found <= exact + slack + 1e-9 or (exact < 0 and found <= slack)
    if exact > slack:  # the deepest corner may lie beyond the face, where it is clipped off
        assert 0.5 * found < S.patch[:, DEPTH].max() <= found + 1e-9


@pytest.mark.parametrize("seed", range(20))
def test_points_of_a_lying_block_are_the_corners_of_what_both_faces_share(seed):
    """A turned about the vertical and a little tilted, pressed into B: its polygon, area and
    depths are those of an independent clipping by half planes."""
    rng = np.random.default_rng(seed)
    size_a, size_b = rng.uniform(0.1, 0.2, 3), rng.uniform(0.1, 0.2, 3)
    yaw = rng.uniform(0, np.pi)
    turn = Rotation.from_euler("z", yaw).as_matrix()
    place = np.array([*rng.uniform(-0.05, 0.05, 2), (size_a[2] + size_b[2]) / 2 - 1e-3])
    S = touched(size_a, place, turn, size_b)
    live = S.patch[:, DEPTH] > 0
    points = S.patch[live, PLACE : PLACE + 3]
    assert S.patch[live, DEPTH] == pytest.approx(1e-3, abs=1e-12)
    assert np.abs(S.patch[live, NORMAL : NORMAL + 2]).max() < 1e-12
    assert points[:, 2] == pytest.approx(size_b[2] / 2 - 0.5e-3, abs=1e-12)  # between both
    # area that both cover, by counting
    grid = rng.uniform(-0.5, 0.5, (200_000, 2)) * size_b[:2]
    own = (grid - place[:2]) @ turn[:2, :2]
    both = (np.abs(own) < size_a[:2] / 2).all(axis=1).mean() * size_b[0] * size_b[1]
    area = ConvexHull(points[:, :2]).volume
    assert area == pytest.approx(both, rel=0.02)
    assert len(ConvexHull(points[:, :2]).vertices) == len(points) <= 8


def test_crossed_edges_touch_at_one_point_between_them():
    """Two bars on edge, square to each other: the crossing is over the middle of both."""
    size = np.array([0.4, 0.1, 0.1])
    upper = Rotation.from_euler("x", 45, degrees=True).as_matrix()
    lower = Rotation.from_euler("xz", [45, 90], degrees=True).as_matrix()
    edge = 0.05 * np.sqrt(2)
    place_in_b = lower.T @ np.array([0.03, 0.02, 2 * edge - 2e-3])
    S = touched(size, place_in_b, lower.T @ upper, size)
    live = np.flatnonzero(S.patch[:, DEPTH] > -1)
    assert list(live) == [0]
    assert S.patch[0, DEPTH] == pytest.approx(2e-3, abs=1e-9)
    place = lower @ S.patch[0, PLACE : PLACE + 3]
    assert place == pytest.approx([0.0, 0.02, edge - 1e-3], abs=1e-9)
    normal = lower @ S.patch[0, NORMAL : NORMAL + 3]
    assert np.abs(normal) == pytest.approx([0, 0, 1], abs=1e-9)


def stack(count, size=0.1):
    boxes = [
        impeto.Body(name=f"box_{k}", position=(0, 0, (k + 0.5) * size),
                    orientation=(0, 0, 0.3 * k), shapes=(impeto.Box(size=(size,) * 3),))
        for k in range(count)
    ]  # fmt: skip
    return [FLOOR, DOWN, *boxes, rule(static_friction=0.5, kinetic_friction=0.5)]


def test_a_tower_of_turned_boxes_stands_and_each_bears_what_is_above():
    r = run(stack(8), 1.0, integrator="quick", step="5 ms")
    weight = 7850 * 0.1**3 * G
    for k in range(8):
        drift = np.hypot(r[f"box_{k}.position.x"], r[f"box_{k}.position.y"])
        assert drift.max() < 1e-3
        below = "ground" if k == 0 else f"box_{k - 1}"
        pair = f"box_{k}.touch.ground" if k == 0 else f"{below}.touch.box_{k}"
        assert r[f"{pair}.normal"][-1] == pytest.approx((8 - k) * weight, rel=0.02)


def test_a_box_tips_over_an_edge_as_its_weight_says():
    """A block on a block: a push at its top tips it when it is more than m g b / h."""

    def tips(share):
        size = 0.1
        weight = 7850 * size**3 * G
        push = impeto.Load(name="push", frame="top", direction=(1, 0, 0),
                           value=f"{share * weight / 2} N")  # fmt: skip
        upper = impeto.Body(name="upper", position=(0, 0, 1.5 * size),
                            orientation=(0, 0, np.pi / 4),
                            shapes=(impeto.Box(size=(size,) * 3),))  # fmt: skip
        base = impeto.Body(name="ground", shapes=(
            impeto.Box(size=(2, 2, size), position=(0, 0, size / 2)),))  # fmt: skip
        top = impeto.Frame(name="top", body="upper", position=(0, 0, size / 2))
        values = rule(static_friction=0.9, kinetic_friction=0.9)
        r = run([base, upper, DOWN, top, push, values], 0.5, integrator="quick", step="2 ms")
        return np.abs(r["upper.pitch"]).max() > 0.1 or np.abs(r["upper.roll"]).max() > 0.1

    # over a corner the lever is √2 times half the side: the whole weight times that over the side
    assert not tips(0.96 * np.sqrt(2))
    assert tips(1.06 * np.sqrt(2))
