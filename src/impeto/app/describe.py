"""What Roster and Sheet say of elements: groups, titles of kinds, one line of values."""

from __future__ import annotations

from impeto.app.kinds import KINDS
from impeto.core.elements import Joint
from impeto.core.errors import ModelError
from impeto.core.model import units
from impeto.core.model.element import Element
from impeto.core.model.freedoms import kind_title
from impeto.core.model.scope import Scope

GROUPS = {
    "pieces": "Loose pieces",
    "bodies": "Bodies",
    "repeats": "Repeats",
    "joints": "Joints",
    "couplers": "Couplers",
    "forces": "Springs, dampers, loads",
    "drives": "Drives",
    "contacts": "Contact",
    "events": "Events",
    "gauges": "Gauges",
    "judging": "Figures and targets",
    "parameters": "Parameters",
    "materials": "Materials",
    "poses": "Poses",
    "looking": "Charts and views",
    "frames": "Frames",
}
# Groups that are listed only when they have members.
OFTEN_EMPTY = (
    "pieces",
    "repeats",
    "couplers",
    "contacts",
    "events",
    "gauges",
    "judging",
    "materials",
    "poses",
    "looking",
)


def kind_of(element: Element) -> str:
    """What an element is, in the words of the trade."""
    if isinstance(element, Joint):
        title = kind_title(element.free, element.special)
        bare = ("free", "all", "point", "parallel", "fixed d", "body", "constant")
        return title if title.startswith(bare) else f"{title} joint"
    return KINDS[type(element)].title


def values_line(element: Element, scope: Scope) -> str:
    """Short text of an element's values; what cannot be evaluated says so."""
    try:
        return units.printed(KINDS[type(element)].line(element, scope))
    except ModelError as error:
        return f"⚠ {error.problem}"
