"""What a chart can show of its channels: values over time, spectra, and where they come from."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from impeto.core.model import units
from impeto.core.model.looking import AGAINST, AMPLITUDES, DENSITY, PARTS, SPECTROGRAM, TIME
from impeto.core.results.recording import Recording

Floats = npt.NDArray[np.float64]
Span = tuple[float, float]
TIPS = {
    TIME: "Values over time",
    AGAINST: "All other channels over the first one, with a dot at the present instant",
    AMPLITUDES: "Amplitudes of the sines in it, over the time that is shown",
    DENSITY: "Power density over frequency, of the time that is shown",
    SPECTROGRAM: "How the power density of the first channel changes over time",
    PARTS: "What weight, springs, loads, drives, contacts and the motion contribute",
}
MOST_DRAWN = 20_000  # points of a channel over another, which cannot be thinned as it is zoomed
MOST_PARTS = 6  # that have a colour of their own; the others are one


@dataclass(frozen=True)
class Line:
    """x, y : (N,) in what the axis shows;  told : of it, for the legend"""

    x: Floats
    y: Floats
    told: str


def against(recording: Recording, first: str, across: float, name: str, factor: float) -> Line:
    """A channel over another, in units of so many SI units each. Raises ChannelError where the run
    has not got that."""
    x, y = recording[first] / across, recording[name] / factor
    step = max(1, len(x) // MOST_DRAWN)
    return Line(x[::step], y[::step], "")


def spectrum_of(recording: Recording, name: str, look: str, span: Span, factor: float) -> Line:
    """A channel over frequency, in a unit of so many SI units, with its largest sine. Raises
    ModelError for too few instants."""
    from impeto.core.results.figures import within
    from impeto.core.results.spectrum import amplitudes, density, peaks

    time, values = within(recording.time, recording[name], span)
    found = amplitudes(time, values) if look == AMPLITUDES else density(time, values)
    power = factor if look == AMPLITUDES else factor**2
    sines = peaks(time, values, most=1)
    told = "nothing swings"
    if sines and sines[0].amplitude > 1e-9 * float(np.abs(values).max()):
        size = units.digits(sines[0].amplitude / factor, 3)
        told = f"largest at {units.digits(sines[0].frequency, 4)} Hz: {size}"
    return Line(found.frequency, found.values / power, told)


@dataclass(frozen=True)
class Layer:
    """A part of a channel between two lines over time. low, high, values : (N,) SI"""

    name: str
    low: Floats
    high: Floats
    values: Floats


@dataclass(frozen=True)
class Layers:
    """total : (N,) SI over time (N,) [s];  layers : largest part first"""

    time: Floats
    total: Floats
    layers: tuple[Layer, ...]

    def at(self, moment: float) -> int:
        """The row that is nearest to an instant [s]."""
        return int(np.argmin(np.abs(self.time - moment)))


def layers_of(
    recording: Recording, name: str, span: Span, progress: Callable[[float, float], bool]
) -> Layers:
    """Parts of a channel in a span [s], stacked: positive ones upwards from zero, negative ones
    downwards. Raises ChannelError where it has none, Cancelled where it was stopped."""
    from impeto.core.results.parts import parts_of

    found = parts_of(recording, name, *span, progress=progress)
    parts = list(found.parts.items())
    if len(parts) > MOST_PARTS:
        rest = np.sum([values for _, values in parts[MOST_PARTS - 1 :]], axis=0)
        parts = [*parts[: MOST_PARTS - 1], (f"{len(parts) - MOST_PARTS + 1} more", rest)]
    up, down = np.zeros(len(found.time)), np.zeros(len(found.time))
    layers = []
    for source, values in parts:
        base = np.where(values >= 0.0, up, down)
        layers.append(Layer(source, base, base + values, values))
        up = up + np.maximum(values, 0.0)
        down = down + np.minimum(values, 0.0)
    return Layers(found.time, found.total, tuple(layers))
