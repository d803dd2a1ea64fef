"""A value as written."""

from __future__ import annotations

from dataclasses import dataclass, field

from impeto.core.errors import FormulaError
from impeto.core.model import formula


@dataclass(frozen=True, slots=True)
class Quantity:
    """A value as written: '15 N/mm', '2*k_front'. Syntax is checked at birth.

    bare : given as a number where the kind is not known yet; it is SI where it comes to be used
    """

    text: str
    bare: bool = field(default=False, compare=False, repr=False)

    def __post_init__(self) -> None:
        formula.parse(self.text)

    @property
    def node(self) -> formula.Node:
        return formula.parse(self.text)

    @property
    def si(self) -> float:
        """SI value of a text without names; FormulaError when it refers to parameters."""
        return float(formula.evaluate(self.node, no_names).si)

    def __str__(self) -> str:
        return self.text


def no_names(name: str) -> formula.Value:
    """A scope for texts that stand alone."""
    raise FormulaError(f"'{name}' has a value only within a model")
