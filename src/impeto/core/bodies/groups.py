"""Which bodies a list of names means."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from fnmatch import fnmatchcase

from impeto.core.bodies.model import Group
from impeto.core.model.scope import Scope


def members(
    scope: Scope, names: Sequence[str], rows: Mapping[str, int], masters: Mapping[str, str]
) -> set[int]:
    """Rows of the bodies that these names of bodies and groups, with * in them, mean; empty: all.

    Bodies that are switched off are left out.
    masters : copy -> the body it is a copy of, whose name means all its copies
    """
    if not names:
        return set(rows.values())
    found: set[int] = set()
    for name in names:
        element = scope.model.elements.get(name)
        if isinstance(element, Group):
            if element.members:
                found |= members(scope, element.members, rows, masters)
            continue
        for body, row in rows.items():
            known = (body, masters.get(body, body))
            if name in known or ("*" in name and any(fnmatchcase(k, name) for k in known)):
                found.add(row)
    return found
