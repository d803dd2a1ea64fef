"""Spectra of channels: amplitudes of sines, power density, and the peaks by name."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from impeto.core.errors import ModelError

Floats = npt.NDArray[np.float64]
FEWEST = 8  # samples
EVEN = 1e-6  # of a step: what counts as evenly spaced
SEGMENTS = 8  # of a power density where nothing else is asked
WINDOWS = 16  # in the time of a spectrogram where nothing else is asked
NEAR = 2  # lines of a window's main lobe on either side


@dataclass(frozen=True, slots=True)
class Spectrum:
    """frequency (F,) Hz;  values (F,): amplitudes, or squares per Hz"""

    frequency: Floats
    values: Floats


@dataclass(frozen=True, slots=True)
class Spectrogram:
    """time (T,) s, middles of the windows;  frequency (F,) Hz;  values (F, T): squares per Hz"""

    time: Floats
    frequency: Floats
    values: Floats


@dataclass(frozen=True, slots=True)
class Peak:
    """frequency [Hz] and amplitude of a sine"""

    frequency: float
    amplitude: float


def even(time: Floats, values: Floats) -> tuple[float, Floats]:
    """Step [s] and samples at even steps: as they are where they are even, else between them by
    straight lines at the mean step. Raises ModelError for too few."""
    if len(time) < FEWEST or not time[-1] > time[0]:
        raise ModelError(
            f"a spectrum needs {FEWEST} instants", remedy="Choose a longer span, or more outputs"
        )
    step = float(time[-1] - time[0]) / (len(time) - 1)
    if np.abs(np.diff(time) - step).max() <= EVEN * step:
        return step, values
    return step, np.interp(time[0] + step * np.arange(len(time)), time, values)


def amplitudes(time: Floats, values: Floats) -> Spectrum:
    """Amplitude spectrum about the mean by a Hann window, so that a sine on a line has its
    amplitude there (Harris 1978)."""
    step, samples = even(time, values)
    window = _hann(len(samples))
    lines = np.fft.rfft(window * (samples - samples.mean()))
    sizes = np.asarray(2.0 * np.abs(lines) / window.sum(), dtype=np.float64)
    return Spectrum(np.asarray(np.fft.rfftfreq(len(samples), step), dtype=np.float64), sizes)


def density(time: Floats, values: Floats) -> Spectrum:
    """Power spectral density: the mean over overlapping segments (Welch 1967); its integral is the
    variance."""
    from scipy.signal import welch

    step, samples = even(time, values)
    length = max(FEWEST, 2 * len(samples) // (SEGMENTS + 1))
    frequency, found = welch(samples, 1.0 / step, "hann", min(length, len(samples)))
    return Spectrum(frequency, found)


def spectrogram(time: Floats, values: Floats, window: float | None = None) -> Spectrogram:
    """Power density over time: spectra of windows (Hann) that overlap by three quarters, about the
    mean of each.

    window : s, a sixteenth of the time where nothing else is asked
    """
    from scipy.signal import spectrogram as windows

    step, samples = even(time, values)
    wanted = (len(samples) // WINDOWS) if window is None else round(window / step)
    length = min(max(wanted, FEWEST), len(samples))
    frequency, at, found = windows(
        samples, 1.0 / step, "hann", length, 3 * length // 4, detrend="constant", mode="psd"
    )
    return Spectrogram(np.asarray(time[0] + at), frequency, found)


def peaks(time: Floats, values: Floats, most: int = 5, least: float = 0.02) -> list[Peak]:
    """The largest sines in a channel, between the lines of its spectrum too (Grandke 1983).

    least : of the largest amplitude, below which they are left out
    """
    found = amplitudes(time, values)
    v, spacing = found.values, float(found.frequency[1])
    inner = np.flatnonzero((v[1:-1] > v[:-2]) & (v[1:-1] >= v[2:])) + 1
    inner = inner[v[inner] > least * v.max(initial=0.0)]
    listed: list[Peak] = []
    for k in inner[np.argsort(-v[inner])]:
        side = 1 if v[k + 1] >= v[k - 1] else -1
        ratio = v[k + side] / v[k]
        off = (2.0 * ratio - 1.0) / (ratio + 1.0)
        scale = 1.0 if abs(off) < 1e-9 else np.pi * off * (1.0 - off**2) / np.sin(np.pi * off)
        peak = Peak(spacing * (k + side * off), float(v[k] * scale))
        if all(abs(peak.frequency - p.frequency) > NEAR * spacing for p in listed):
            listed.append(peak)
    return listed[:most]


def _hann(count: int) -> Floats:
    return np.asarray(0.5 - 0.5 * np.cos(2.0 * np.pi * np.arange(count) / count))
