"""Rows and numbers of feeders, outlets and the bodies that come and go."""

from __future__ import annotations

from typing import Any

import numpy as np

from impeto.core.dynamics import tables
from impeto.core.dynamics.layout import Layout
from impeto.core.dynamics.tables import FEED, OUTLET
from impeto.core.flow.data import FeederData, OutletData

MARGIN = 1e-5  # of the least half size of a region: between coming in and going out


COUNTS = {"count": tables.SENSE_COUNT, "inside": tables.SENSE_NOW, "waiting": tables.SENSE_NOW}


def offer_counts(layout: Layout) -> None:
    """Counts of feeders and outlets, for formulas."""
    m = layout.mechanism
    counting = [feeder.name for feeder in m.of(FeederData)]
    counting += [outlet.name for outlet in m.of(OutletData)]
    for row, name in enumerate(counting):
        layout.offer(name, row, COUNTS)


def flow_arrays(layout: Layout) -> dict[str, Any]:
    """The arrays of Tables that belong to feeders and outlets; adds their switches."""
    m = layout.mechanism
    coming = set(m.masters)
    for outlet in m.of(OutletData):
        if outlet.removes:
            coming |= {m.bodies[row].name for row in outlet.takes}
    body_on = [layout.element(b.name) if b.name in coming else -1 for b in m.bodies]
    feeders = [
        (layout.new_switch(FEED, row), layout.element(feeder.name))
        for row, feeder in enumerate(m.of(FeederData))
    ]
    outlets, values = [], []
    takes = np.zeros((len(m.of(OutletData)), len(m.bodies)), dtype=np.int64)
    for row, outlet in enumerate(m.of(OutletData)):
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
