"""All that the window knows of kinds of elements: a record for each, a module for each family.

Roster, Sheet, Map, signs and commands read them from here.
"""

from __future__ import annotations

from impeto.app.kinds.bodies import BODIES
from impeto.app.kinds.contact import CONTACT
from impeto.app.kinds.couplers import COUPLERS
from impeto.app.kinds.drives import DRIVES
from impeto.app.kinds.events import EVENTS
from impeto.app.kinds.forces import FORCES
from impeto.app.kinds.gauges import GAUGES
from impeto.app.kinds.joints import JOINTS
from impeto.app.kinds.judging import JUDGING
from impeto.app.kinds.kind import Kind
from impeto.app.kinds.looking import LOOKING
from impeto.app.kinds.repeats import REPEATS
from impeto.app.kinds.values import VALUES
from impeto.core.model.element import Element

KINDS: dict[type[Element], Kind] = {
    kind.cls: kind
    for kind in (
        *VALUES[:1], *BODIES, *REPEATS, *JOINTS, *FORCES, *DRIVES, *COUPLERS, *CONTACT, *EVENTS,
        *GAUGES, *JUDGING, *VALUES[1:], *LOOKING,
    )
}  # fmt: skip
