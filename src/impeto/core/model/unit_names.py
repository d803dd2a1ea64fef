"""Names of units: what `units.txt` defines, in any product and power, read by pint.

Pint takes a tenth of the time in which a window opens. So `unit_table.txt` has what it says of the
names that most models have, and it is loaded only for others.
"""

from __future__ import annotations

import re
import sys
import tokenize
from functools import cache
from pathlib import Path
from typing import Any

from impeto.core.errors import FormulaError

# Exponents of length, mass, time, current, angle.
Dimension = tuple[int, int, int, int, int]
NUMBER: Dimension = (0, 0, 0, 0, 0)
AXES = ("[length]", "[mass]", "[time]", "[current]", "[angle]")
MOST_POWER = 100
DEFINED, TABLE = (Path(__file__).with_name(f"{name}.txt") for name in ("units", "unit_table"))


@cache
def unit(text: str) -> tuple[float, Dimension]:
    """Factor to SI and dimension of a unit such as 'N/mm' or 'kg*m^2'; FormulaError if unknown."""
    if text in ("1", ""):
        return 1.0, NUMBER
    return known_units().get(text) or read(text)


@cache
def is_unit(word: str) -> bool:
    """Whether one word, without operators, names a unit."""
    if not word.isalpha():
        return False
    return word in known_units() or (may_be_unit(word) and _is_defined(word))


@cache
def known_units() -> dict[str, tuple[float, Dimension]]:
    """The table: of each name the factor to SI and the dimension."""
    rows = [line.split() for line in TABLE.read_text(encoding="utf-8").splitlines()]
    return {
        name: (float(factor), (int(m), int(kg), int(s), int(a), int(angle)))
        for name, factor, m, kg, s, a, angle in rows
    }


def may_be_unit(word: str) -> bool:
    """Whether a word is put together as a unit is: a prefix or none, a name, an s or none."""
    prefixes, names = _defined()
    stems = [word, word.removesuffix("s")]
    return any(
        stem.removeprefix(prefix) in names
        for stem in stems for prefix in ("", *prefixes) if stem.startswith(prefix)
    )  # fmt: skip


@cache
def _defined() -> tuple[frozenset[str], frozenset[str]]:
    """Prefixes, and names of units, with their symbols."""
    prefixes: set[str] = set()
    names: set[str] = set()
    for line in DEFINED.read_text(encoding="utf-8").splitlines():
        if line and not line.startswith("#"):
            name, _meaning, *symbols = (part.strip() for part in line.split("="))
            found = prefixes if name.endswith("-") else names
            found.update(part.removesuffix("-") for part in (name, *symbols))
    return frozenset(prefixes), frozenset(names)


def read(text: str) -> tuple[float, Dimension]:
    """What pint says of a unit."""
    pint = _pint()
    if any(abs(int(power)) > MOST_POWER for power in re.findall(r"\*\*\s*(\d{1,9})", text)):
        raise FormulaError(f"'{text}' has too high a power of a unit")
    unreadable = (ValueError, TypeError, AttributeError, tokenize.TokenError, SyntaxError)
    try:
        base = _registry().Quantity(1.0, _registry().parse_units(text)).to_root_units()
        exponents: dict[str, Any] = dict(base.dimensionality)
    except (pint.errors.PintError, ArithmeticError, *unreadable) as error:
        raise FormulaError(
            f"'{text}' is not a known unit", remedy="Use a unit like mm, kg, s, N, deg or rpm"
        ) from error
    length, mass, time, current, angle = (int(exponents.get(axis, 0)) for axis in AXES)
    factor = float(base.magnitude) * 1e-3**mass  # the registry's mass base is the gram
    return factor, (length, mass, time, current, angle)


def _is_defined(word: str) -> bool:
    try:
        return word in _registry()
    except _pint().errors.PintError:
        return False


@cache
def _registry() -> Any:
    return _pint().UnitRegistry(str(DEFINED))


@cache
def _pint() -> Any:
    """Pint without Dask, which it would import for arrays that are not used here."""
    there = sys.modules.get("dask")
    if there is None:
        sys.modules["dask"] = None  # type: ignore[assignment]  # as if it were not installed
    try:
        import pint
    finally:
        if there is None:
            del sys.modules["dask"]
    return pint
