"""Targets as they are typed: 'below 12 kN', 'between 1 Hz and 2 Hz', 'near 5 mm by 0.1 mm', each
with ', weight 2' behind it where not all can be met."""

from __future__ import annotations

import re
from dataclasses import replace

from impeto.core.errors import ModelError
from impeto.core.model.judging import ABOVE, BELOW, BETWEEN, NEAR, Target

FORMS = {
    BELOW: re.compile(r"(?:below|<)\s*(.+)"),
    ABOVE: re.compile(r"(?:above|>)\s*(.+)"),
    BETWEEN: re.compile(r"between\s+(.+?)\s+and\s+(.+)"),
    NEAR: re.compile(r"near\s+(.+?)\s+by\s+(.+)"),
}


def read(text: str, figure: str, name: str) -> Target:
    """A target on a figure. Raises ModelError for what is none."""
    text, _, weight = text.partition(", weight ")
    for limit, form in FORMS.items():
        found = form.fullmatch(text.strip())
        if found:
            made = Target(
                name=name, figure=figure, limit=limit, value=found[1], weight=weight.strip() or "1"
            )
            if limit == BETWEEN:
                return replace(made, upper=found[2])
            return replace(made, within=found[2]) if limit == NEAR else made
    raise ModelError(
        f"'{text[:60]}' is no target",
        remedy="Write below 12 kN, above 3 mm, between 1 Hz and 2 Hz, or near 5 mm by 0.1 mm",
    )
