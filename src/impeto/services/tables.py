"""Channels as CSV: one column each, with names and units in the first row."""

from __future__ import annotations

import csv
from collections.abc import Sequence
from pathlib import Path

from impeto.core.model.units import KINDS
from impeto.core.results.recording import Recording
from impeto.services.atomic import replacing


def export_csv(recording: Recording, channels: Sequence[str], path: str | Path) -> None:
    """Write chosen channels over time in SI units. Raises ChannelError or FileError."""
    chosen = [recording.channel(name) for name in channels]
    heads = ["time [s]", *(f"{c.name} [{KINDS[c.kind].si}]" for c in chosen)]
    columns = [recording.time, *(c.values for c in chosen)]
    with replacing(Path(path)) as temporary, open(temporary, "w", newline="") as file:
        writer = csv.writer(file)
        writer.writerow(heads)
        writer.writerows(zip(*(column.tolist() for column in columns), strict=True))
