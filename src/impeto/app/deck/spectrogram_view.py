"""A spectrogram on a chart: time along, frequency upwards, power density by colour."""

from __future__ import annotations

from typing import Any

import numpy as np
import pyqtgraph
from PyQt6.QtCore import QRectF

from impeto.app.deck.plotting import Drawn
from impeto.app.theme import Theme
from impeto.core.model import units
from impeto.core.results.figures import within
from impeto.core.results.spectrum import Spectrogram, spectrogram

DEPTH = 60.0  # dB below the largest that have a colour
MAP = "viridis"


def drawn(found: Spectrogram, plot: Any) -> Any:
    """The picture as an item of the plot."""
    levels = in_decibels(found)
    image = pyqtgraph.ImageItem(levels.T)
    image.setColorMap(pyqtgraph.colormap.get(MAP))
    image.setLevels((-DEPTH, 0.0))
    wide = _spacing(found.time)
    tall = _spacing(found.frequency)
    image.setRect(QRectF(
        float(found.time[0]) - wide / 2, float(found.frequency[0]) - tall / 2,
        wide * len(found.time), tall * len(found.frequency),
    ))  # fmt: skip
    plot.addItem(image)
    return image


def found_in(curve: Drawn, span: tuple[float, float]) -> Spectrogram:
    """Of a channel in a span [s]. Raises ModelError for too few instants."""
    recording = curve.run.recording
    return spectrogram(*within(recording.time, recording[curve.name], span))


def in_decibels(found: Spectrogram) -> np.ndarray[tuple[int, int], np.dtype[np.float64]]:
    """(F, T) dB against the largest value, −DEPTH at least."""
    largest = float(found.values.max(initial=0.0))
    if largest <= 0.0:
        return np.full(found.values.shape, -DEPTH)
    shares = np.maximum(found.values / largest, 10.0 ** (-DEPTH / 10.0))
    return np.asarray(10.0 * np.log10(shares))


def top_of(found: Spectrogram) -> float:
    """The highest frequency [Hz] with a colour of its own."""
    rows = np.flatnonzero((in_decibels(found) > -DEPTH).any(axis=1))
    return float(found.frequency[rows[-1] if len(rows) else -1])


def told(found: Spectrogram, moment: float, look: Theme) -> str:
    """What is strongest at an instant [s], and what the colours mean, as markup."""
    column = int(np.argmin(np.abs(found.time - moment)))
    at = float(found.frequency[int(np.argmax(found.values[:, column]))])
    shades = pyqtgraph.colormap.get(MAP).getLookupTable(0.0, 1.0, 7)
    blocks = "".join(f'<span style="color:rgb({r},{g},{b})">■</span>' for r, g, b in shades)
    return (
        f'strongest now at <b>{units.digits(at, 3)}</b> <span style="color:{look.soft}">Hz</span>'
        f' &nbsp; <span style="color:{look.soft}">−{DEPTH:.0f}</span> {blocks}'
        f' <span style="color:{look.soft}">0 dB</span>'
    )


def _spacing(values: np.ndarray[tuple[int], np.dtype[np.float64]]) -> float:
    return float(values[1] - values[0]) if len(values) > 1 else 1.0
