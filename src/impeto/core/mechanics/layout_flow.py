"""Rows and numbers of feeders, outlets and the bodies that come and go."""

from __future__ import annotations

from typing import Any

import numpy as np

from impeto.core.mechanics.layout import Layout
from impeto.core.mechanics.tables import FEED, OUTLET

MARGIN = 1e-5  # of the least half size of a region: between coming in and going out


def flow_arrays(layout: Layout) -> dict[str, Any]:
    """The arrays of Tables that belong to feeders and outlets; adds their switches."""
    m = layout.mechanism
    coming = set(m.masters)
    for outlet in m.outlets:
        if outlet.removes:
            coming |= {m.bodies[row].name for row in outlet.takes}
    body_on = [layout.element(b.name) if b.name in coming else -1 for b in m.bodies]
    feeders = [
        (layout.new_switch(FEED, row), layout.element(feeder.name))
        for row, feeder in enumerate(m.feeders)
    ]
    outlets, values = [], []
    takes = np.zeros((len(m.outlets), len(m.bodies)), dtype=np.int64)
    for row, outlet in enumerate(m.outlets):
        frame = m.frames[outlet.frame]
        switch = layout.new_switch(OUTLET, row)
        outlets.append((frame.body, switch, layout.element(outlet.name), int(outlet.removes)))
        center = frame.position - m.bodies[frame.body].center
        margin = MARGIN * float(outlet.half.min())
        values.append([*center, *frame.rotation.ravel(), *outlet.half, margin])
        takes[row, list(outlet.takes)] = 1
    return {
        "body_on": np.array(body_on, dtype=np.int64),
        "feeder": np.array(feeders, dtype=np.int64).reshape(-1, 2),
        "outlet": np.array(outlets, dtype=np.int64).reshape(-1, 4),
        "outlet_value": np.array(values, dtype=float).reshape(-1, 16),
        "outlet_takes": takes,
    }
