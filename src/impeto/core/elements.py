"""All kinds of elements that a model is made of.

Each family lists in `__all__` what users write with; files, schema, Sheet and the public face
follow.
"""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType

from impeto.core.bodies import model as bodies
from impeto.core.bodies import shapes
from impeto.core.bodies.model import *
from impeto.core.bodies.shapes import *
from impeto.core.contact import model as contact
from impeto.core.contact.model import *
from impeto.core.couplers import model as couplers
from impeto.core.couplers.model import *
from impeto.core.drives import model as drives
from impeto.core.drives.model import *
from impeto.core.events import model as events
from impeto.core.events.model import *
from impeto.core.flow import model as flow
from impeto.core.flow.model import *
from impeto.core.forces import kinds as forces
from impeto.core.forces.kinds import *
from impeto.core.gauges import model as gauges
from impeto.core.gauges.model import *
from impeto.core.joints import model as joints
from impeto.core.joints.model import *
from impeto.core.model import dataset, element, judging, looking, materials, poses, studies
from impeto.core.model.dataset import *
from impeto.core.model.element import *
from impeto.core.model.element import KINDS, Element
from impeto.core.model.judging import *
from impeto.core.model.looking import *
from impeto.core.model.materials import *
from impeto.core.model.poses import *
from impeto.core.model.studies import *
from impeto.core.repeats import model as repeats
from impeto.core.repeats.model import *

# Kinds of elements by the tag that files have for them.
ELEMENTS: Mapping[str, type[Element]] = MappingProxyType(dict(sorted(KINDS.items())))

__all__: list[str] = []
__all__ += bodies.__all__
__all__ += shapes.__all__
__all__ += contact.__all__
__all__ += couplers.__all__
__all__ += drives.__all__
__all__ += events.__all__
__all__ += flow.__all__
__all__ += forces.__all__
__all__ += gauges.__all__
__all__ += joints.__all__
__all__ += dataset.__all__
__all__ += element.__all__
__all__ += judging.__all__
__all__ += looking.__all__
__all__ += materials.__all__
__all__ += poses.__all__
__all__ += studies.__all__
__all__ += repeats.__all__
