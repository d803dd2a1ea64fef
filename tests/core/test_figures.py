"""Figures, spectra and load cycles against closed forms and the standard's own example."""

from collections import Counter

import numpy as np
import pytest

import impeto as im
from impeto.core.model.scope import Scope
from impeto.core.results.figures import FIGURES, figure_of, steady_span
from impeto.core.results.limits import beyond, read_limit
from impeto.core.results.rainflow import equivalent_load, rainflow
from impeto.core.results.spectrum import amplitudes, density, peaks, spectrogram


def step_response(damping, natural=2 * np.pi, until=12.0, rate=2000):
    """Of a second-order system to a unit step (Ogata, Modern Control Engineering)."""
    t = np.linspace(0.0, until, int(until * rate) + 1)
    wd = natural * np.sqrt(1 - damping**2)
    decay = np.exp(-damping * natural * t)
    return t, 1 - decay * (np.cos(wd * t) + damping / np.sqrt(1 - damping**2) * np.sin(wd * t))


@pytest.mark.parametrize("damping", [0.1, 0.3, 0.6])
def test_a_second_order_step_has_its_overshoot_damping_and_settling(damping):
    t, x = step_response(damping, until=40.0)
    expected = np.exp(-np.pi * damping / np.sqrt(1 - damping**2))
    assert figure_of("overshoot", t, x) == pytest.approx(expected, rel=1e-5)
    if damping < 0.5:
        assert figure_of("damping ratio", t, x) == pytest.approx(damping, rel=2e-3)
    # the last time at the border of the band: between the envelope and half a period before it
    envelope = -np.log(0.02 * np.sqrt(1 - damping**2)) / (damping * 2 * np.pi)
    half = 0.5 / np.sqrt(1 - damping**2)
    assert envelope - half <= figure_of("settling time", t, x) <= envelope
    fine, y = step_response(damping, until=40.0, rate=10000)
    assert figure_of("rise time", t, x) == pytest.approx(figure_of("rise time", fine, y), rel=1e-5)


def test_a_first_order_step_rises_and_settles_by_its_time_constant():
    t = np.linspace(0.0, 20.0, 20001)
    x = 1.0 - np.exp(-t)
    assert figure_of("rise time", t, x) == pytest.approx(np.log(9.0), rel=1e-6)
    assert figure_of("settling time", t, x) == pytest.approx(np.log(50.0), rel=1e-6)
    assert figure_of("overshoot", t, x) == 0.0
    assert np.isnan(figure_of("damping ratio", t, x))


def test_the_mean_period_and_extremes_of_a_sine_about_a_value():
    t = np.linspace(0.0, 12 / 1.7, 3001)
    x = 5.0 + 2.0 * np.sin(2 * np.pi * 1.7 * t)
    assert figure_of("period", t, x) == pytest.approx(1 / 1.7, rel=1e-6)
    assert figure_of("frequency", t, x) == pytest.approx(1.7, rel=1e-6)
    assert figure_of("peak to peak", t, x) == pytest.approx(4.0, rel=1e-4)
    assert figure_of("crossings of the mean", t, x) in (11.0, 12.0)
    assert figure_of("mean", t, x, (0.0, 10 / 1.7)) == pytest.approx(5.0, abs=1e-3)
    top = (2 + 0.25) / 1.7
    assert figure_of("time of max", t, x, (1.0, 1.5)) == pytest.approx(top, abs=3e-3)
    assert np.isnan(figure_of("period", t, t))


def test_what_only_differs_by_rounding_has_no_period_and_no_step():
    t = np.linspace(0.0, 2.0, 400)
    x = 7.0 + 1e-14 * np.sin(40 * t)
    for title in ("period", "settling time", "overshoot", "rise time", "damping ratio"):
        assert np.isnan(figure_of(title, t, x)), title


def test_small_swings_on_top_are_no_periods():
    t = np.linspace(0.0, 4.0, 8001)
    x = np.sin(2 * np.pi * t) + 0.01 * np.sin(2 * np.pi * 60 * t)
    assert figure_of("period", t, x) == pytest.approx(1.0, rel=2e-3)


def test_cycles_of_the_example_of_the_standard():
    """ASTM E1049-85, figure 6: −2, 1, −3, 5, −1, 3, −4, 4, −2."""
    found = rainflow(np.array([-2.0, 1, -3, 5, -1, 3, -4, 4, -2]))
    counts = Counter()
    for size, count in zip(found.ranges, found.counts, strict=True):
        counts[size] += count
    assert counts == {3.0: 0.5, 4.0: 1.5, 6.0: 0.5, 8.0: 1.0, 9.0: 0.5}
    assert found.total == 4.0


def test_a_sine_does_the_damage_of_its_own_range():
    t = np.linspace(0.0, 10.0, 10001)
    x = 3.0 * np.sin(2 * np.pi * 2.0 * t - np.pi / 2)  # twenty whole cycles
    assert equivalent_load(x, 20.0, 5.0) == pytest.approx(6.0, rel=1e-5)
    assert equivalent_load(x, 10.0, 5.0) == pytest.approx(6.0 * 2 ** (1 / 5), rel=1e-5)
    assert figure_of("load cycles", t, x) == 20.0


def test_a_spectrum_finds_sines_between_its_lines_with_their_amplitudes():
    t = np.arange(4000) / 500.0
    parts = {3.0: 2.0, 17.33: 0.7, 61.812: 0.25}
    x = 4.0 + sum(a * np.sin(2 * np.pi * f * t + 0.4 * f) for f, a in parts.items())
    for found, (frequency, amplitude) in zip(peaks(t, x), parts.items(), strict=False):
        assert found.frequency == pytest.approx(frequency, abs=2e-3)
        assert found.amplitude == pytest.approx(amplitude, rel=2e-3)
    spectrum = amplitudes(t, x)
    assert spectrum.values[np.argmin(np.abs(spectrum.frequency - 3.0))] == pytest.approx(
        2.0, rel=1e-3
    )


def test_the_power_density_adds_up_to_the_variance():
    noise = np.random.default_rng(3).normal(size=100_000)
    t = np.arange(len(noise)) / 1000.0
    found = density(t, noise)
    assert np.trapezoid(found.values, found.frequency) == pytest.approx(noise.var(), rel=0.02)
    assert found.values[5:-5].mean() == pytest.approx(1.0 / 500.0, rel=0.02)  # white


def test_a_spectrogram_follows_a_sine_that_becomes_faster():
    t = np.arange(0.0, 20.0, 1e-3)
    x = 3.0 * np.sin(2 * np.pi * (5.0 * t + 0.5 * t**2))  # 5 Hz and one more each second
    found = spectrogram(t, x, window=1.0)
    ridge = found.frequency[np.argmax(found.values, axis=0)]
    assert np.abs(ridge - (5.0 + found.time)).max() < 1.5  # lines of a window lie 1 Hz apart
    power = np.trapezoid(found.values, found.frequency, axis=0)
    assert power == pytest.approx(np.full(len(power), 4.5), rel=0.02)  # amplitude² / 2
    assert len(spectrogram(t, x).time) in (60, 61)  # 16 windows that overlap by three quarters


def test_a_limit_is_passed_where_the_curve_lies_above_its_line():
    scope = Scope(im.Model("m", [im.Parameter(name="most", value="4 kN")]), None)
    limit = read_limit("0 rpm, most; 60 rpm, 1 kN", scope, "angular speed", "force")
    assert limit == pytest.approx(np.array([[0.0, 4000.0], [2 * np.pi, 1000.0]]))
    speed = np.array([-1.0, 0.0, np.pi, np.pi, 2 * np.pi, 7.0])
    force = np.array([9e3, 3999.0, 2499.0, 2501.0, 1001.0, 9e3])
    assert list(beyond(limit, speed, force)) == [False, False, False, True, True, False]
    single = read_limit("0 s, 2 kN", scope, "time", "force")
    assert list(beyond(single, speed, force)) == [True, True, True, True, False, True]
    for wrong, why in (("0 rpm", "points x, y"), ("60 rpm, 1 N; 0 rpm, 1 N", "left to right"),
                       ("0 rpm, 2 m", "force"), ("", "points x, y")):  # fmt: skip
        with pytest.raises(im.ModelError, match=why):
            read_limit(wrong, scope, "angular speed", "force")


def test_uneven_instants_are_taken_at_even_ones():
    t = np.sort(np.random.default_rng(1).uniform(0.0, 10.0, 6000))
    (peak,) = peaks(t, np.sin(2 * np.pi * 2.2 * t), least=0.2)
    assert peak.frequency == pytest.approx(2.2, abs=1e-3)
    with pytest.raises(im.ModelError, match="needs 8 instants"):
        amplitudes(t[:5], t[:5])


def test_the_steady_part_begins_when_periods_repeat():
    t = np.linspace(0.0, 20.0, 20001)
    x = (1.0 + np.exp(-t)) * np.sin(2 * np.pi * t)
    begin, end = steady_span(t, x, 0.01)
    assert 3.5 < begin < 6.0
    assert 18.9 < end <= 20.0
    assert figure_of("RMS", t, x, (begin, end)) == pytest.approx(np.sqrt(0.5), rel=2e-3)
    assert steady_span(t, t) is None
    assert steady_span(t, np.exp(-0.3 * t) * np.sin(2 * np.pi * t)) is None


def test_unknown_figures_and_empty_spans_are_told():
    t = np.linspace(0.0, 1.0, 11)
    with pytest.raises(im.ModelError, match="is no figure"):
        figure_of("beauty", t, t)
    with pytest.raises(im.ModelError, match="no samples from 2 to 3 s"):
        figure_of("max", t, t, (2.0, 3.0))
    for title in FIGURES:  # of what does not move: a number or none, without a warning
        value = figure_of(title, t, np.zeros(11))
        assert value == 0.0 or np.isnan(value) or title.startswith("time of")
