"""The compiled interpreter against NumPy, and figures and poses."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

import impeto
from impeto.core.dynamics.programs import ProgramBuilder, run_program
from impeto.core.model import formula
from impeto.core.model.formula import Apply, Name, Number, Value
from impeto.core.model.functions import FUNCTIONS
from impeto.core.model.units import NUMBER
from impeto.core.results.figures import figures
from impeto.core.results.poses import poses, value_at

# Those that need no whole run.
AT_ONCE = [name for name, function in FUNCTIONS.items() if not function.over_time]


def interpreted(node, t, sensed=()):
    """Value of the program once every switch agrees with its guard."""
    switches = []

    def switch(count, known):
        switches.extend([0] * count)
        return len(switches) - count

    builder = ProgramBuilder(lambda path: int(path[1:]), switch, lambda curve, order: (0, 0, 0))
    first, last = builder.spans[builder.add(node)]
    state = np.array(switches, dtype=np.int64)
    guard = np.zeros(len(switches))
    arguments = (
        first, last, np.array(builder.instructions, dtype=np.int64).reshape(-1, 2),
        np.array(builder.constants, dtype=float), np.array(sensed, dtype=float), t, np.zeros(128),
        state, guard, np.zeros(len(switches)), np.zeros((0, 3), dtype=np.int64), np.zeros((0, 5)),
    )  # fmt: skip
    for _ in range(len(switches) + 1):
        value = run_program(*arguments)
        wrong = np.flatnonzero(guard < 0.0)
        if not len(wrong):
            break
        state[wrong[0]] = 1 - state[wrong[0]]
    return value


numbers = st.floats(-4.0, 4.0).map(lambda v: Number(v, NUMBER))
leaves = numbers | st.sampled_from([Name("t"), Name("s0"), Name("s1")])


def applied(inner):
    def apply(name):
        return st.tuples(*[inner] * FUNCTIONS[name].arity).map(lambda a: Apply(name, a))

    return st.sampled_from(sorted(AT_ONCE)).flatmap(apply)


trees = st.recursive(leaves, applied, max_leaves=12)


@given(trees, st.floats(-3.0, 3.0))
def test_programs_compute_what_numpy_computes(node, t):
    sensed = (0.7, -1.3)

    def plain(n):
        if isinstance(n, Number):
            return np.float64(n.value)
        if isinstance(n, Name):
            return np.float64({"t": t, "s0": sensed[0], "s1": sensed[1]}[n.path])
        arguments = [plain(a) for a in n.arguments]
        if n.function in ("rise", "ramp") and arguments[1] == arguments[2]:
            return np.float64(np.nan)
        if n.function == "/" and arguments[1] == 0:
            return np.float64(np.nan)
        with np.errstate(all="ignore"):
            return np.float64(FUNCTIONS[n.function].compute(*arguments))

    expected, got = plain(node), interpreted(node, t, sensed)
    if np.isfinite(expected):
        assert got == pytest.approx(expected, rel=1e-9, abs=1e-9)


def test_every_function_has_a_code_of_its_own():
    codes = [FUNCTIONS[name].code for name in AT_ONCE]
    assert len(set(codes)) == len(codes)
    assert not {0, 1, 27} & set(codes)  # constants, time and sensors


@pytest.mark.parametrize(
    ("signal", "expected"),
    [
        (impeto.Constant(value="3"), lambda t: 3 + 0 * t),
        (impeto.Ramp(start="1", end="5", begin="1 s", finish="3 s"),
         lambda t: np.interp(t, [1, 3], [1, 5])),
        (impeto.Harmonic(amplitude="2", frequency="0.5 Hz", phase="30 deg", mean="1"),
         lambda t: 1 + 2 * np.sin(np.pi * t + np.pi / 6)),
        (impeto.Harmonic(amplitude="2", frequency="30 rpm"), lambda t: 2 * np.sin(np.pi * t)),
        (impeto.Formula(formula="2*t/1 s + 1"), lambda t: 2 * t + 1),
    ],
)  # fmt: skip
def test_signals_follow_their_formulas(signal, expected):
    from impeto.core.model.scope import Scope

    node = signal.node(Scope(impeto.Model()))
    times = np.linspace(0.0, 4.0, 23)
    values = formula.evaluate(node, lambda _: Value(times, (0, 0, 1, 0, 0))).si
    np.testing.assert_allclose(np.broadcast_to(values, times.shape), expected(times), atol=1e-12)


def test_figures_weigh_uneven_instants_by_their_spans():
    time = np.array([0.0, 1.0, 1.5, 4.0])
    f = figures(time, 2 * time - 5)
    assert (f.minimum, f.maximum) == (-5.0, 3.0)
    assert f.mean == pytest.approx(-1.0)
    assert (f.peak, f.peak_time) == (-5.0, 0.0)
    assert figures(np.array([0.0]), np.array([4.0])).rms == 4.0


def test_figures_of_a_sine_are_those_of_the_textbook():
    time = np.linspace(0, 2, 20_001)
    f = figures(time, 3 * np.sin(2 * np.pi * time))
    assert f.mean == pytest.approx(0.0, abs=1e-9)
    assert f.rms == pytest.approx(3 / np.sqrt(2), rel=1e-6)


def test_poses_between_stored_instants_lie_on_the_motion(gang_saw):
    r = impeto.simulate(gang_saw, until="0.1 s")
    moment = 0.5 * (r.time[10] + r.time[11])
    origins, rotations = poses(r, moment)
    row = r.bodies["crank"]
    angle = moment * 280 / 60 * 2 * np.pi
    turned = np.array([[np.cos(angle), 0, np.sin(angle)], [0, 1, 0],
                       [-np.sin(angle), 0, np.cos(angle)]])  # fmt: skip
    # Straight between instants errs by (ω h)²/8 of a turn's radius.
    bound = (280 / 60 * 2 * np.pi * r.time[1]) ** 2 / 8
    np.testing.assert_allclose(rotations[row], turned, atol=bound)
    np.testing.assert_allclose(origins[row], [0, 0, 0.9], atol=0.1 * bound)
    np.testing.assert_allclose(origins[0], 0)
    assert value_at(r, r.time, moment) == pytest.approx(moment)
    assert value_at(r, r.time, 99.0) == r.time[-1]
