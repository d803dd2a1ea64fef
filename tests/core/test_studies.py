"""Points of sweeps, slopes, indices of variance, optima and fits, against closed forms."""

from dataclasses import replace

import numpy as np
import pytest

import impeto
from impeto.core.errors import ModelError
from impeto.core.model.scope import Scope
from impeto.core.model.studies import GRID, HYPERCUBE, SOBOL, ParameterSweep, Varied
from impeto.core.studies import fitting, optimum, sensitivity, trading
from impeto.core.studies.point import Answer, Asked, solve_point
from impeto.core.studies.sampling import effort, points_of
from impeto.core.studies.spread import LIST, UNIFORM, Spread, spreads

MODEL = impeto.Model("m", [
    impeto.Parameter(name="rod", value="80 mm"), impeto.Parameter(name="count", value="3"),
    impeto.Parameter(name="twice", value="2*rod"), impeto.Parameter(name="speed", value="300 rpm"),
])  # fmt: skip


def sweep(sampling=GRID, points=64, seed=1, **vary):
    return ParameterSweep(
        name="sweep", sampling=sampling, points=points, seed=seed,
        vary=[Varied(parameter=name, values=values) for name, values in vary.items()],
    )  # fmt: skip


def values(text, name="rod"):
    return spreads(Scope(MODEL), [Varied(parameter=name, values=text)])[0].grid()


@pytest.mark.parametrize(("text", "wanted"), [
    ("60 mm : 90 mm : 4", [0.06, 0.07, 0.08, 0.09]),
    ("10 mm : 1 m : 3 log", [0.01, 0.1, 1.0]),
    ("60 mm, 0.5*rod, max(1 mm, 2 cm)", [0.06, 0.04, 0.02]),
    ("uniform(0 mm, 50 mm)", [0.005, 0.015, 0.025, 0.035, 0.045]),
])  # fmt: skip
def test_values_are_read_as_they_are_typed(text, wanted):
    assert values(text) == pytest.approx(wanted)


@pytest.mark.parametrize(("name", "text", "said"), [
    ("rods", "1 mm, 2 mm", "'rods' is not a parameter"),
    ("twice", "1 mm, 2 mm", "derived from rod"),
    ("rod", "90 mm : 60 mm : 4", "bounds are reversed: 90 mm is not below 60 mm"),
    ("rod", "60 mm : 90 mm : few", "'few' is no number of values"),
    ("rod", "60 : 90 : 4", "'60' has no unit"),
    ("rod", "60 kg, 70 kg", "another kind of quantity than rod"),
    ("rod", "", "says no values"),
    ("rod", "normal(60 mm, 0 mm)", "standard deviation must be greater"),
    ("count", "0 : 10 : 3 log", "must begin above zero"),
    ("rod", "__import__('os')", "rod"),
])  # fmt: skip
def test_what_cannot_vary_is_told_in_a_sentence(name, text, said):
    with pytest.raises(ModelError, match=said.replace("(", r"\(").replace(")", r"\)")):
        values(text, name)


def test_a_grid_has_every_pair_and_a_list_of_names_may_not_repeat_one():
    points = points_of(MODEL, sweep(rod="60 mm, 80 mm", count="1, 2, 3")).values
    assert points.tolist() == [[0.06, 1], [0.06, 2], [0.06, 3], [0.08, 1], [0.08, 2], [0.08, 3]]
    twice = [Varied(parameter="rod", values="60 mm, 80 mm")] * 2
    with pytest.raises(ModelError, match="varies twice"):
        spreads(Scope(MODEL), twice)


def test_a_latin_hypercube_has_one_point_in_each_layer_of_each_parameter():
    swept = sweep(HYPERCUBE, 50, rod="uniform(0 m, 1 m)", count="0 : 50")
    points = points_of(MODEL, swept).values
    assert np.sort(np.floor(50 * points[:, 0])).tolist() == list(range(50))
    assert np.sort(np.floor(points[:, 1])).tolist() == list(range(50))
    assert (points == points_of(MODEL, swept).values).all()
    other = points_of(MODEL, sweep(HYPERCUBE, 50, 2, rod="uniform(0 m, 1 m)", count="0 : 50"))
    assert (points != other.values).any()


def test_normal_scatter_has_its_mean_and_deviation():
    points = points_of(MODEL, sweep(SOBOL, 4096, rod="normal(80 mm, 2 mm)")).values
    assert points.mean() == pytest.approx(0.08, rel=1e-4)
    assert points.std() == pytest.approx(0.002, rel=1e-2)


def test_ten_million_points_are_told_before_and_more_are_refused():
    assert effort(10_000_000, 0.1, 2) == "10,000,000 runs: about 6 days, 3000.0 MB"
    with pytest.raises(ModelError, match="100,000,000 runs are asked for"):
        points_of(MODEL, sweep(rod="1 mm : 2 mm : 10000", count="1 : 2 : 10000"))


# Figures of functions: no runs are needed to know whether the mathematics is right.


def of(function):
    return lambda points: [Answer(function(*point), {}) for point in points]


def unit(name, low, high, how=UNIFORM):
    return Spread(name, how, (low, high), 5, "", "number")


def test_slopes_are_those_of_closed_forms_with_an_honest_error():
    """Period of a pendulum 2π √(l/g), deflection of a spring m g/k."""

    def figures(l, k):
        return {"period": 2 * np.pi * np.sqrt(l / 9.81), "sag": 12 * 9.81 / k}

    varied = (Spread("l", LIST, (0.7,), 1, "m", "length"), unit("k", 1000, 3000))
    found = {(s.figure, s.parameter): s for s in
             sensitivity.slopes(varied, np.array([0.7, 2000.0]), of(figures))}  # fmt: skip
    exact = {("period", "l"): np.pi / np.sqrt(0.7 * 9.81), ("sag", "k"): -12 * 9.81 / 2000**2,
             ("period", "k"): 0.0, ("sag", "l"): 0.0}  # fmt: skip
    for key, slope in exact.items():
        assert abs(found[key].slope - slope) <= 10 * found[key].error + 1e-15
        assert found[key].slope == pytest.approx(slope, rel=1e-7, abs=1e-12)
    assert found["period", "l"].elasticity == pytest.approx(0.5, rel=1e-7)
    assert found["sag", "k"].elasticity == pytest.approx(-1.0, rel=1e-7)


def test_a_step_that_meets_noise_is_told_by_its_error():
    rng = np.random.default_rng(0)
    found = sensitivity.slopes(
        (unit("x", 0, 2),), np.array([1.0]), of(lambda x: {"y": x**3 + 1e-4 * rng.normal()})
    )[0]
    assert abs(found.slope - 3.0) < 5 * found.error
    assert 1e-5 < found.error < 0.1


def test_indices_of_variance_are_those_of_ishigami():
    """Ishigami and Homma 1990: y = sin a + 7 sin² b + 0.1 c⁴ sin a, between −π and π."""

    def figures(a, b, c):
        return {"y": np.sin(a) + 7 * np.sin(b) ** 2 + 0.1 * c**4 * np.sin(a)}

    varied = tuple(unit(name, -np.pi, np.pi) for name in "abc")
    found = sensitivity.indices(varied, 4096, 1, of(figures))[0]
    assert found.first == pytest.approx([0.3139, 0.4424, 0.0], abs=0.02)
    assert found.total == pytest.approx([0.5576, 0.4424, 0.2437], abs=0.02)
    assert ((found.low[1] < [0.5576, 0.4424, 0.2437]) & (found.high[1] > [0.5576, 0.4424, 0.2437])
            ).all()  # fmt: skip
    with pytest.raises(ModelError, match="no power of two"):
        sensitivity.indices(varied, 100, 1, of(figures))


def search(function, margins, runs, width=2, told=None):
    def evaluate(points):
        return [Answer({"cost": function(*p)}, margins(*p)) for p in points]

    varied = tuple(unit("xyz"[k], -2.0, 2.0) for k in range(width))
    return optimum.Search(varied, "cost", evaluate, runs, told)


def test_the_least_of_a_figure_under_a_target_is_found():
    """Nearest point of the half plane x + y ≥ 1 to the origin: (½, ½)."""
    one = search(lambda x, y: x * x + y * y, lambda x, y: {"far": x + y - 1.0}, 100)
    history = optimum.optimise(one, np.array([1.5, -1.0]), False)
    assert history.values[history.best] == pytest.approx([0.5, 0.5], abs=1e-3)
    assert history.shorts[history.best] <= optimum.MET
    assert len(history.values) <= 100


@pytest.mark.parametrize(("start", "everywhere"), [((1.5, -1.0), False), ((-1.9, 1.9), True)])
def test_targets_that_cannot_all_be_met_are_missed_by_weight(start, everywhere):
    """x ≤ 0 and x ≥ 1 with weights 1 and 3: least of x² + 3 (1 − x)² at ¾."""

    def evaluate(points):
        return [
            Answer({"cost": y * y}, {"low": -x, "high": x - 1.0, "flat": 0.1 - abs(y)},
                   weights={"high": 3.0})
            for x, y in points
        ]  # fmt: skip

    varied = (unit("x", -2.0, 2.0), unit("y", -2.0, 2.0))
    one = optimum.Search(varied, "cost", evaluate, 300)
    history = optimum.optimise(one, np.array(start), everywhere)
    assert not history.meets
    best = history.values[history.best]
    assert best[0] == pytest.approx(0.75, abs=2e-3)
    assert abs(best[1]) < 0.101
    assert history.shorts[history.best] == pytest.approx(np.sqrt(0.75), rel=1e-3)


def test_a_global_search_leaves_the_wrong_valley():
    def hilly(x, y):
        return (x * x - 1) ** 2 + 0.3 * x + y * y

    start = np.array([1.0, 0.0])
    local = optimum.optimise(search(hilly, lambda x, y: {}, 60), start, False)
    everywhere = optimum.optimise(search(hilly, lambda x, y: {}, 400), start, True)
    assert local.values[local.best][0] > 0.5
    assert everywhere.values[everywhere.best] == pytest.approx([-1.0353, 0.0], abs=2e-3)


def test_a_search_that_is_stopped_or_fails_keeps_what_it_has():
    stopped = search(lambda x, y: x * x + y * y, lambda x, y: {}, 100,
                     told=lambda history: len(history.values) < 5)  # fmt: skip
    assert len(optimum.optimise(stopped, np.array([1.5, -1.0]), False).values) == 5
    failing = optimum.Search((unit("x", 0, 1),), "cost", lambda p: [Answer({}, {}, "it broke")], 10)
    with pytest.raises(ModelError, match="The run that the search begins from fails: it broke"):
        optimum.optimise(failing, np.array([0.5]), False)
    with pytest.raises(ModelError, match="No run of the search succeeded: it broke"):
        optimum.optimise(failing, np.array([0.5]), True)


def test_what_two_figures_cost_each_other_lies_on_the_front():
    """x² + y² against (x − 1)² + y²: the front is y = 0, √f + √g = 1."""

    def evaluate(points):
        return [Answer({"f": x * x + y * y, "g": (x - 1) ** 2 + y * y}, {}) for x, y in points]

    varied = (unit("x", -2, 2), unit("y", -2, 2))
    search = optimum.Search(varied, "f", evaluate, 400)
    history = trading.together(search, "g", np.array([-1.0, 1.0]))
    costs = np.array([[a.figures["f"], a.figures["g"]] for a in history.answers])
    kept = costs[trading.front(costs)]
    assert (np.diff(kept[:, 1]) < 0).all()
    near = np.abs(np.sqrt(kept[:, 0]) + np.sqrt(kept[:, 1]) - 1.0) < 5e-3
    assert near.sum() >= 20
    assert np.ptp(kept[near, 0]) > 0.8
    stopped = optimum.Search(varied, "f", evaluate, 400, lambda h: len(h.values) < 30)
    assert len(trading.together(stopped, "g", np.zeros(2)).values) < 60


def test_what_misses_targets_is_not_on_the_front():
    """The same under x ≥ ½: just that half of the front is left."""

    def evaluate(points):
        return [Answer({"f": x * x + y * y, "g": (x - 1) ** 2 + y * y}, {"right": x - 0.5})
                for x, y in points]  # fmt: skip

    varied = (unit("x", -2, 2), unit("y", -2, 2))
    history = trading.together(optimum.Search(varied, "f", evaluate, 400), "g", np.zeros(2))
    found = trading.front_of(history, ("f", "g"))
    values = np.array(history.values)[found]
    assert len(found) >= 10
    assert (values[:, 0] >= 0.5 - 1e-6).all()
    assert values[:, 0].min() < 0.6
    assert np.abs(values[:, 1]).max() < 0.15
    failing = optimum.Search(varied, "f", lambda p: [Answer({}, {}, "it broke")] * len(p), 40)
    with pytest.raises(ModelError, match="No run of the search succeeded: it broke"):
        trading.together(failing, "g", np.zeros(2))


def test_a_fit_finds_the_values_of_a_curve_and_how_sure_they_are():
    times = np.linspace(0, 4, 400)

    def curve(rate, turn):
        return np.exp(-rate * times) * np.cos(turn * times)

    def evaluate(points):
        return [Answer({}, {}, curve=curve(*p)) for p in points]

    varied = (unit("rate", 0.1, 3.0), unit("turn", 2.0, 6.0))
    off = []
    for seed in range(12):
        noise = 0.01 * np.random.default_rng(seed).normal(size=400)
        found = fitting.fit(varied, np.array([1.5, 3.5]), curve(0.8, 4.0) + noise, evaluate)
        off.append((found.values - [0.8, 4.0]) / found.deviations)
        assert found.left == pytest.approx(0.01, rel=0.2)
    assert (np.abs(off) < 1.0).mean() > 0.8  # 95 % are meant
    assert np.abs(off).max() > 0.3  # and they are not merely wide


def test_a_fit_names_what_makes_no_difference_and_what_stops_at_a_bound():
    times = np.linspace(0, 1, 50)

    def fitted(low, high, idle):
        def evaluate(points):
            return [Answer({}, {}, curve=p[0] * times) for p in points]

        varied = (unit("slope", low, high), *((unit("idle", 0, 1),) if idle else ()))
        start = np.full(len(varied), 0.5)
        return fitting.fit(varied, start, 2.0 * times, evaluate)

    with pytest.raises(ModelError, match="idle: it makes no difference"):
        fitted(0, 4, True)
    assert fitted(0, 1, False).at_bounds == ("slope",)


# Machines.


def asked(model, vary, until):

    return Asked(
        model,
        "Base",
        spreads(Scope(model), [Varied(parameter=p, values=v) for p, v in vary.items()]),
        until,
    )


def test_the_best_counterweight_of_a_slider_crank_balances_half_of_the_slider():
    """RMS of what shakes the ground over a turn is least where m_c r_c = m r/2: the slider's
    acceleration has r ω² cos as its first harmonic with any rod, and the others are even."""
    crank, rod, mass, radius = 0.2, 0.7, 30.0, 0.25
    g = impeto.Frame
    model = impeto.Model("crank", [
        impeto.Parameter(name="weight", value="5 kg"),
        impeto.Body(name="wheel", mass=1.0, inertia=(1, 1, 1),
                    point_masses=(impeto.PointMass(mass="weight", position=(-radius, 0, 0)),)),
        impeto.Body(name="rod", mass=1e-3, inertia=(1e-4, 1e-4, 1e-4),
                    position=(crank + rod / 2, 0, 0)),
        impeto.Body(name="frame", mass=mass, inertia=(1, 1, 1), position=(crank + rod, 0, 0)),
        g(name="base"), g(name="hub", body="wheel"),
        g(name="pin", body="wheel", position=(crank, 0, 0)),
        g(name="big", body="rod", position=(-rod / 2, 0, 0)),
        g(name="small", body="rod", position=(rod / 2, 0, 0)), g(name="eye", body="frame"),
        g(name="guide", position=(crank + rod, 0, 0)),
        impeto.Joint(name="bearing", frame_a="base", frame_b="hub", free=["turn z"]),
        impeto.Joint(name="crank_pin", frame_a="pin", frame_b="big", free=["turn z"]),
        impeto.Joint(name="wrist", frame_a="small", frame_b="eye",
                     free=["turn x", "turn y", "turn z"]),
        impeto.Joint(name="slide", frame_a="guide", frame_b="eye", free=["slide x"]),
        impeto.Drive(name="motor", joint="bearing", freedom="turn z", prescribes="speed",
                     value="600 rpm"),
        impeto.FigureOf(name="shaking", figure="RMS",
                        channel="sqrt((bearing.force.x + slide.force.x)^2"
                        " + (bearing.force.y + slide.force.y)^2)"),
    ])  # fmt: skip
    within = asked(model, {"weight": "1 kg : 40 kg"}, "0.1 s")
    one = optimum.Search(within.varied, "shaking",
                         lambda points: [solve_point(within, p) for p in points], 40)  # fmt: skip
    history = optimum.optimise(one, np.array([5.0]), False)
    assert history.values[history.best][0] == pytest.approx(0.5 * mass * crank / radius, rel=5e-3)


@pytest.mark.slow
def test_a_tuned_damper_is_found_where_den_hartog_has_it():
    """Den Hartog 1934: with a tenth of the machine's mass both peaks are alike and least at a ratio
    of 1/(1 + μ), damping near √(3 μ/8/(1 + μ)³), and √(1 + 2/μ) times the static way. The force
    goes through both slowly; the optimum is flat in the damping."""
    mass, own, share = 100.0, 4 * np.pi, 0.1
    stiffness, light = mass * own**2, share * mass
    damper = light * own
    guide = impeto.Behaviour(freedom="slide x", stiffness=stiffness, free_position=0.0)
    hung = impeto.Behaviour(freedom="slide x", stiffness="k", damping="c", free_position=0.0)
    swept = impeto.Sweep(amplitude=f"{stiffness * 1e-3} N", first="1.4 Hz", last="2.6 Hz",
                         finish="120 s")  # fmt: skip
    model = impeto.Model("absorber", [
        impeto.Parameter(name="k", value=f"{0.8 * damper * own} N/m"),
        impeto.Parameter(name="c", value=f"{0.2 * damper} N*s/m"),
        impeto.Body(name="machine", mass=mass, inertia=(1, 1, 1)),
        impeto.Body(name="absorber", mass=light, inertia=(1, 1, 1)), impeto.Frame(name="rail"),
        impeto.Frame(name="eye", body="machine"), impeto.Frame(name="own", body="absorber"),
        impeto.Joint(name="guide", frame_a="rail", frame_b="eye", free=["slide x"],
                     behaviours=[guide]),
        impeto.Joint(name="hung", frame_a="eye", frame_b="own", free=["slide x"],
                     behaviours=[hung]),
        impeto.Load(name="shakes", frame="eye", direction=(1, 0, 0), value=swept),
        impeto.FigureOf(name="swing", channel="machine.position.x", figure="peak"),
    ])  # fmt: skip
    bounds = {"k": f"{0.5 * damper * own} N/m : {1.2 * damper * own} N/m",
              "c": f"{0.04 * damper} N*s/m : {damper} N*s/m"}  # fmt: skip
    within = replace(asked(model, bounds, "120 s"), tol="draft")
    one = optimum.Search(within.varied, "swing",
                         lambda points: [solve_point(within, p) for p in points], 60)  # fmt: skip
    history = optimum.optimise(one, np.array([0.8 * damper * own, 0.2 * damper]), False)
    k, c = history.values[history.best]
    assert np.sqrt(k / light) / own == pytest.approx(1.0 / (1.0 + share), rel=1e-2)
    assert c / (2 * damper) == pytest.approx(np.sqrt(0.375 * share / (1 + share) ** 3), rel=0.1)
    assert history.costs[history.best] == pytest.approx(1e-3 * np.sqrt(1 + 2 / share), rel=2e-2)
