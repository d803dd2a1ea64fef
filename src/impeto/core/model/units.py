"""Units at the edge: text to SI and SI to text. Nothing inside the core carries a unit."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from impeto.core.errors import FormulaError
from impeto.core.model.unit_names import NUMBER as NUMBER
from impeto.core.model.unit_names import Dimension as Dimension
from impeto.core.model.unit_names import is_unit as is_unit
from impeto.core.model.unit_names import unit as unit

_ANGLE = 4


@dataclass(frozen=True, slots=True)
class Kind:
    """A physical quantity: its title, its SI unit, and the units that people read it in.

    shown : (unit, smallest SI size from which it is used), largest last
    """

    title: str
    si: str
    shown: tuple[tuple[str, float], ...]


def _kind(title: str, si: str, *shown: tuple[str, float]) -> Kind:
    return Kind(title, si, shown or ((si, 0.0),))


KINDS: dict[str, Kind] = {
    "number": _kind("number", "1"),
    "length": _kind("length", "m", ("mm", 0), ("m", 0.5)),
    "area": _kind("area", "m^2"),
    "mass": _kind("mass", "kg", ("g", 0), ("kg", 0.1), ("t", 1e4)),
    "time": _kind("time", "s", ("ms", 0), ("s", 0.05)),
    "angle": _kind("angle", "rad", ("deg", 0)),
    "frequency": _kind("frequency", "Hz"),
    "count rate": _kind("count per time", "1/s", ("1/min", 0)),
    "mass flow": _kind("mass flow", "kg/s"),
    "speed": _kind("speed", "m/s", ("mm/s", 0), ("m/s", 0.05)),
    "angular speed": _kind("angular speed", "rad/s"),
    "acceleration": _kind("acceleration", "m/s^2"),
    "angular acceleration": _kind("angular acceleration", "rad/s^2"),
    "jerk": _kind("jerk", "m/s^3"),
    "force": _kind("force", "N", ("N", 0), ("kN", 2e3), ("MN", 2e6)),
    "torque": _kind("torque", "N*m", ("N*m", 0), ("kN*m", 2e3)),
    "stiffness": _kind("stiffness", "N/m", ("N/m", 0), ("N/mm", 1e3)),
    "damping": _kind("damping", "N*s/m"),
    "torsional stiffness": _kind("torsional stiffness", "N*m/rad"),
    "torsional damping": _kind("torsional damping", "N*m*s/rad"),
    "stiffness rate": _kind("stiffness per second", "N/m/s"),
    "torsional stiffness rate": _kind("torsional stiffness per second", "N*m/rad/s"),
    "voltage": _kind("voltage", "V"),
    "current": _kind("current", "A"),
    "resistance": _kind("resistance", "Ω"),
    "inductance": _kind("inductance", "H"),
    "torque constant": _kind("torque per current", "N*m/A"),
    "speed constant": _kind("voltage per speed of rotation", "V*s/rad"),
    "force rate": _kind("force per second", "N/s"),
    "torque rate": _kind("torque per second", "N*m/s"),
    "inertia gain": _kind("torque per angular acceleration", "kg*m^2"),
    "rotor torque": _kind("torque", "N*m"),
    "inertia": _kind("inertia", "kg*m^2"),
    "density": _kind("density", "kg/m^3"),
    "stress": _kind("stress", "Pa", ("Pa", 0), ("kPa", 2e3), ("MPa", 2e5), ("GPa", 2e9)),
    "energy": _kind("energy", "J", ("J", 0), ("kJ", 2e3), ("MJ", 2e6)),
    "power": _kind("power", "W", ("W", 0), ("kW", 2e3), ("MW", 2e6)),
    "momentum": _kind("momentum", "N*s"),
    "angular momentum": _kind("angular momentum", "N*m*s"),
}


def same_dimension(first: Dimension, second: Dimension) -> bool:
    """Equal but for angles, which count as plain numbers in formulas (arc = radius * angle)."""
    return first[:_ANGLE] == second[:_ANGLE]


def to_kind(value: float, dimension: Dimension, kind: str) -> float:
    """An SI value as the number to use for a field of this kind; FormulaError when it cannot be.

    A speed of rotation given for a frequency is divided by 2π, so that 330 rpm are 5.5 Hz.
    """
    expected = unit(KINDS[kind].si)[1]
    if not same_dimension(dimension, expected):
        raise FormulaError(
            f"{describe(dimension)} stands where {article(KINDS[kind].title)} is needed",
            remedy=f"Give it in {spoken(KINDS[kind].si)}, for example",
        )
    if kind == "frequency" and dimension[_ANGLE] == 1:
        return value / math.tau
    return value


def _kind_with(dimension: Dimension) -> Kind | None:
    return next((kind for kind in KINDS.values() if unit(kind.si)[1] == dimension), None)


def kind_of(dimension: Dimension, liked: Iterable[str] = ()) -> str:
    """Key of KINDS for a dimension: the first of those that are liked, else the first that has it,
    with angles taken as plain numbers where none has it as it is, else a new one of its unit."""
    keys = (*liked, *KINDS)
    found = [key for key in keys if unit(KINDS[key].si)[1] == dimension]
    found += [key for key in keys if same_dimension(unit(KINDS[key].si)[1], dimension)]
    if found:
        return found[0]
    symbols = zip(("m", "kg", "s", "A", "rad"), dimension, strict=True)
    written = "*".join(f"{symbol}^{power}" for symbol, power in symbols if power)
    KINDS[written] = _kind(written, written)
    return written


def si_of(dimension: Dimension) -> str:
    """SI unit of a dimension that fields take, '' for a plain number and for what none takes."""
    kind = _kind_with(dimension)
    return "" if kind is None or kind.si == "1" else kind.si


def describe(dimension: Dimension) -> str:
    """Words for a dimension: 'a length', 'a plain number', or its SI unit."""
    if same_dimension(dimension, NUMBER):
        return "an angle" if dimension[_ANGLE] else "a plain number"
    kind = _kind_with(dimension)
    if kind is not None:
        return article(kind.title)
    symbols = ("m", "kg", "s", "A", "rad")
    parts = [f"{s}^{n}" for s, n in zip(symbols, dimension, strict=True) if n]
    return "a quantity in " + "·".join(parts)


def article(title: str) -> str:
    return ("an " if title[0] in "aeiou" else "a ") + title


_preferred: dict[str, str] = {}  # by kind, of the whole program, as its user reads values


def prefer(chosen: Mapping[str, str]) -> None:
    """Show values of these kinds in these units from now on, whatever their size; of all others in
    one that suits it. Raises FormulaError for a unit that does not fit its kind."""
    for kind, name in chosen.items():
        if kind not in KINDS or unit(name)[1] != unit(KINDS[kind].si)[1]:
            raise FormulaError(
                f"'{name}' is no unit of {kind}", remedy="Write, for example, length mm, force kN"
            )
    _preferred.clear()
    _preferred.update(chosen)


def shown_unit(kind: str, size: float) -> tuple[str, float]:
    """Unit to show a value of this size in, and its factor to SI."""
    if kind in _preferred:
        return _preferred[kind], unit(_preferred[kind])[0]
    best = KINDS[kind].shown[0][0]
    for name, least in KINDS[kind].shown:
        if abs(size) >= least:
            best = name
    if size == 0.0:
        best = KINDS[kind].shown[-1][0] if kind == "length" else KINDS[kind].shown[0][0]
    return best, unit(best)[0]


def spoken(name: str) -> str:
    """A unit as it is printed: N·m, m/s², °, and nothing for a plain number."""
    return {"1": "", "deg": "°"}.get(name, printed(name))


def printed(text: str) -> str:
    """Values and units with the signs of print: powers raised, products with a dot."""
    return text.replace("**", "^").replace("^2", "²").replace("^3", "³").replace("*", "·")


def digits(value: float, significant: int = 4) -> str:
    """A number to the digits that matter, with a real minus sign."""
    if not math.isfinite(value):
        return "–"
    if value == 0.0:
        return "0"
    if not 1e-4 <= abs(value) < 1e7:
        text = f"{value:.{significant - 1}e}"
        mantissa, exponent = text.split("e")
        return f"{mantissa}e{int(exponent)}".replace("-", "−")
    places = max(0, significant - 1 - math.floor(math.log10(abs(value))))
    text = f"{value:.{places}f}"
    if "." in text:
        text = text.rstrip("0").rstrip(".")
    return text.replace("-", "−")


def against(value: float, peak: float) -> float:
    """The value, or 0 where it is rounding noise beside the peak of its channel."""
    return 0.0 if abs(value) < 1e-12 * abs(peak) else value


def shown(value: float, kind: str, significant: int = 4) -> str:
    """SI value as text in the unit that suits its size: '15.2 kN'."""
    name, factor = shown_unit(kind, value)
    gap = "" if name == "deg" else "\u2009"
    return f"{digits(value / factor, significant)}{gap}{spoken(name)}".strip()
