"""The bodies that take part in a run."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from impeto.core.bodies.model import Body


@dataclass(frozen=True, slots=True)
class BodySet:
    """Bodies that take part, the ground first, copies last.

    masters : copy -> the body it is a copy of;  copies : feeder -> its copies
    """

    bodies: tuple[Body, ...]
    masters: Mapping[str, str]
    copies: Mapping[str, tuple[str, ...]]

    @property
    def rows(self) -> dict[str, int]:
        return {body.name: row for row, body in enumerate(self.bodies)}
