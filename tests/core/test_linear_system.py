"""The linear system, its order and its factor against dense linear algebra."""

import numpy as np
import pytest

import impeto
from impeto.core.assembly import equations
from impeto.core.assembly.build import build_system
from impeto.core.assembly.resolve import resolve
from impeto.core.assembly.workspace import workspace_of
from impeto.core.dynamics import kkt
from impeto.core.solvers.projection import project_fresh


def chain(links):
    """Links of half a metre hanging in a row, turning about y."""
    elements = [impeto.Gravity(name="gravity"), impeto.Frame(name="a0", position=(0, 0, 0))]
    for k in range(1, links + 1):
        elements += [
            impeto.Body(name=f"b{k}", position=(0.5 * k - 0.25, 0, 0), mass=1.0 + 0.1 * k,
                        inertia=(0.01, 0.02, 0.03)),
            impeto.Frame(name=f"c{k}", body=f"b{k}", position=(-0.25, 0, 0)),
            impeto.Frame(name=f"a{k}", body=f"b{k}", position=(0.25, 0, 0)),
            impeto.Joint(name=f"j{k}", frame_a=f"a{k - 1}", frame_b=f"c{k}", free=("turn y",)),
        ]  # fmt: skip
    return build_system(resolve(impeto.Model("chain", elements)))


def dense(system, S):
    """Mass matrix and Jacobian as full arrays, from the tables and not from the factor."""
    T, n = system.tables, system.moving
    M = np.zeros((6 * n, 6 * n))
    for body in range(n):
        k = 6 * body
        M[k : k + 3, k : k + 3] = T.mass[body + 1] * np.eye(3)
        M[k + 3 : k + 6, k + 3 : k + 6] = T.inertia[body + 1]
    J = np.zeros((len(T.row), 6 * n))
    for r in range(len(T.row)):
        for side in range(2):
            body = T.joint_body[T.row[r, 0], side]
            if body:
                J[r, 6 * body - 6 : 6 * body] += S.jacobian[r, 6 * side : 6 * side + 6]
    return M, J


@pytest.mark.parametrize("links", [1, 2, 7])
def test_accelerations_and_reactions_agree_with_a_dense_solve(links):
    system = chain(links)
    S = workspace_of(system)
    y = system.start.copy()
    rng = np.random.default_rng(links)
    y[7 * links : 13 * links] = 0.3 * rng.normal(size=6 * links)
    dy = np.zeros_like(y)
    equations.derivative(system.tables, S, 0.0, y, dy)
    M, J = dense(system, S)
    force = np.zeros(6 * links)
    for body in range(links):
        w = y[7 * links + 6 * body + 3 : 7 * links + 6 * body + 6]
        I = system.tables.inertia[body + 1]
        force[6 * body : 6 * body + 3] = system.tables.mass[body + 1] * system.tables.gravity
        force[6 * body + 3 : 6 * body + 6] = -np.cross(w, I @ w)
    m = len(J)
    whole = np.block([[M, J.T], [J, np.zeros((m, m))]])
    exact = np.linalg.solve(whole, np.concatenate([force, S.gamma]))
    np.testing.assert_allclose(S.solution[: 6 * links], exact[: 6 * links], rtol=1e-9, atol=1e-9)
    ours = S.solution[system.tables.place]
    np.testing.assert_allclose(ours, exact[6 * links :], rtol=1e-7, atol=1e-7)


def test_jacobian_rows_are_the_rates_of_the_residuals():
    """Central differences of every row's residual along random velocities."""
    system = chain(3)
    S = workspace_of(system)
    rng = np.random.default_rng(5)
    y = system.start.copy()
    step = 0.2 * rng.normal(size=18)
    equations.move(y, step, 3)  # away from the constraints on purpose
    y[21:39] = rng.normal(size=18)
    equations.place(system.tables, S, 0.0, y)
    speed = S.residual_rate.copy()
    h, values = 1e-6, []
    for sign in (1.0, -1.0):
        moved = y.copy()
        shift = np.concatenate([y[21 + 6 * b : 27 + 6 * b] for b in range(3)]) * sign * h
        equations.move(moved, shift, 3)
        equations.place(system.tables, S, 0.0, moved)
        values.append(S.residual.copy())
    np.testing.assert_allclose((values[0] - values[1]) / (2 * h), speed, atol=1e-8)


def test_gamma_is_the_rest_of_the_second_derivative():
    """With accelerations zero, −γ is the rate of the rows' rates."""
    system = chain(2)
    S = workspace_of(system)
    rng = np.random.default_rng(7)
    y = system.start.copy()
    y[14:26] = rng.normal(size=12)
    equations.place(system.tables, S, 0.0, y)
    gamma = S.gamma.copy()
    h, rates = 1e-5, []
    for sign in (1.0, -1.0):
        moved = y.copy()
        for b in range(2):
            # Constant spin in the world: the body's components turn against the motion.
            w = y[14 + 6 * b + 3 : 14 + 6 * b + 6]
            moved[14 + 6 * b + 3 : 14 + 6 * b + 6] = w
        equations.move(moved, np.concatenate([y[14 + 6 * b : 20 + 6 * b] for b in range(2)])
                       * sign * h, 2)  # fmt: skip
        equations.place(system.tables, S, 0.0, moved)
        rates.append(S.residual_rate.copy())
    np.testing.assert_allclose((rates[0] - rates[1]) / (2 * h), -gamma, atol=1e-6)


def test_projection_moves_least_in_the_mass_metric():
    system = chain(2)
    S = workspace_of(system)
    y = system.start.copy()
    y[2] += 1e-5  # lift the first link's centre
    before = y.copy()
    project_fresh(system.tables, S, 0.0, y, 1e-14, 20)
    moved = np.concatenate([y[7 * b : 7 * b + 3] - before[7 * b : 7 * b + 3] for b in range(2)])
    equations.place(system.tables, S, 0.0, before)
    M, J = dense(system, S)
    inverse = np.linalg.inv(M)
    least = -inverse @ J.T @ np.linalg.solve(J @ inverse @ J.T, S.residual)
    expected = np.concatenate([least[6 * b : 6 * b + 3] for b in range(2)])
    np.testing.assert_allclose(moved, expected, atol=1e-9)


def test_fill_of_a_chain_grows_in_proportion_to_its_links():
    sizes = {n: int(chain(n).tables.factor_column[-1]) for n in (10, 20, 40)}
    assert sizes[40] - sizes[20] == pytest.approx(2 * (sizes[20] - sizes[10]), rel=0.1)
    assert sizes[40] / 40 < 150  # non-zeros a link


def test_the_joint_with_fewest_neighbours_goes_first():
    star = [[0], [0, 1], [0, 2], [0, 3]]
    assert set(kkt.elimination_order(star)) == {0, 1, 2, 3}
    row = [[0], [0, 1], [1, 2], [2, 3]]
    assert kkt.elimination_order(row)[0] in (0, 3)


def test_reactions_of_a_fourfold_fixed_block_have_least_norm():
    """Second formulation: the pseudo-inverse of the transposed Jacobian."""
    elements = [impeto.Gravity(name="gravity"), impeto.Body(name="b", shapes=(impeto.Box(),))]
    for k, (x, y) in enumerate(((0.05, 0.05), (-0.05, 0.05), (0.05, -0.05), (-0.02, -0.05))):
        elements += [
            impeto.Frame(name=f"g{k}", position=(x, y, 0)),
            impeto.Frame(name=f"f{k}", body="b", position=(x, y, 0)),
            impeto.Joint(name=f"j{k}", frame_a=f"g{k}", frame_b=f"f{k}", free=()),
        ]
    system = build_system(resolve(impeto.Model("block", elements)))
    S = workspace_of(system)
    dy = np.zeros_like(system.start)
    equations.derivative(system.tables, S, 0.0, system.start.copy(), dy)
    _, J = dense(system, S)
    weight = np.zeros(6)
    weight[:3] = system.tables.mass[1] * system.tables.gravity
    least = np.linalg.pinv(J.T) @ -weight
    ours = -S.solution[system.tables.place]
    assert np.abs(ours - least).max() < 1e-6 * np.abs(least).max()
