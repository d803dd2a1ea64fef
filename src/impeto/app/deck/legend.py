"""What the legend of a chart says: names, runs, and the values at the cursor."""

from __future__ import annotations

from typing import Protocol

from impeto.app.deck import spectrogram_view
from impeto.app.deck.limit_line import LimitLine
from impeto.app.deck.parts_view import PartsView
from impeto.app.deck.plotting import DASHES, Drawn
from impeto.app.document import Document
from impeto.app.plain_text import escaped
from impeto.app.theme import Theme
from impeto.core.model import units
from impeto.core.model.looking import AGAINST, PARTS, SPECTROGRAM, TIME
from impeto.core.results.figures import largest
from impeto.core.results.poses import value_at
from impeto.core.results.spectrum import Spectrogram

# Of a line; \u2060 keeps lines of text from ending within one, as they may after a dash.
SIGNS = dict(zip(DASHES, ("—", "–\u2060\u00a0–", "···", "–\u2060·–"), strict=True))


class Told(Protocol):
    """What the legend asks of its chart."""

    document: Document
    look: Theme
    look_at: str
    channels: list[str]
    curves: list[Drawn]
    complaint: str
    parts: PartsView
    limit: LimitLine
    windows: Spectrogram | None

    def across(self) -> tuple[str, float]:
        """Unit of the axis below, of a channel over another, and SI units in one of it."""
        ...


def legend_of(chart: Told) -> str:
    """The legend as markup."""
    look, curves = chart.look, chart.curves
    names = escaped(", ".join(chart.channels))
    if not chart.channels:
        return _soft(look, "Drop a channel here, or double-click one below.")
    if not curves and chart.complaint:
        return f'<b>{names}</b> <span style="color:{look.bad}">{escaped(chart.complaint)}</span>'
    if not curves and chart.look_at == AGAINST and chart.document.shown:
        return f"<b>{names}</b> {_soft(look, 'Add what is to be drawn over it.')}"
    if not curves:
        shown = ", ".join(run.name for run in chart.document.shown)
        why = f"{shown}: not there" if shown else "after a run"
        return f"<b>{names}</b> {_soft(look, why)}"
    if chart.look_at == PARTS:
        first, moment = curves[0], chart.document.instant
        return chart.parts.told(first.name, moment, first.unit, first.factor, look)
    if chart.look_at == SPECTROGRAM and chart.windows is not None:
        said = spectrogram_view.told(chart.windows, chart.document.instant, look)
        return f"{_link(look, curves[0].name)} &nbsp; {said}"
    said = " &nbsp; ".join(_curves(chart))
    if chart.look_at == AGAINST:
        unit = _soft(look, units.spoken(chart.across()[0]))
        said += f" &nbsp; {_soft(look, 'over')} {_link(look, chart.channels[0])} {unit}"
    if chart.limit.text and chart.look_at in (TIME, AGAINST):
        said += f" &nbsp; {chart.limit.said}"
    if chart.complaint:
        said += f' <span style="color:{look.bad}">{escaped(chart.complaint)}</span>'
    return said


def _soft(look: Theme, text: str) -> str:
    return f'<span style="color:{look.soft}">{escaped(text)}</span>'


def _link(look: Theme, name: str) -> str:
    """A name that a click takes off the chart."""
    said = escaped(name)
    return f'<a href="{said}" style="color:{look.ink};text-decoration:none">{said}</a>'


def _curves(chart: Told) -> list[str]:
    """Each curve with its line, its run where there are several, and its value."""
    several = len({curve.run.name for curve in chart.curves}) > 1
    told: set[str] = set()
    parts = []
    for curve in chart.curves:
        run = f"{_soft(chart.look, curve.run.name)} " if several else ""
        title = "" if curve.name in told else f"{_link(chart.look, curve.name)} "
        told.add(curve.name)
        value = curve.told or _value(curve, chart.document.instant)
        parts.append(
            f'{title}<span style="color:{curve.colour.name()}">{SIGNS[curve.dash]}</span>'
            f"\u2060&nbsp;{run}<b>{value}</b>&nbsp;{_soft(chart.look, units.spoken(curve.unit))}"
            f"{_difference(chart, curve)}"
        )
    return parts


def _value(curve: Drawn, moment: float) -> str:
    """Of a channel at an instant, in the unit of its axis."""
    recording = curve.run.recording
    values = recording[curve.name]
    value = float(value_at(recording, values, moment))
    return units.digits(units.against(value, largest(values)) / curve.factor)


def _difference(chart: Told, curve: Drawn) -> str:
    """From A to B, or to the cursor where only A is set."""
    a, b = chart.document.span
    if a is None or chart.look_at != TIME:
        return ""
    recording = curve.run.recording
    values = recording[curve.name]
    end = chart.document.instant if b is None else b
    change = float(value_at(recording, values, end)) - float(value_at(recording, values, a))
    change = units.against(change, largest(values)) / curve.factor
    return _soft(chart.look, f" Δ\u00a0{units.digits(change)}")
