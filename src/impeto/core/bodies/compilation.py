"""What the families need to know of bodies, frames and joints to come to numbers."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, TypeVar

import numpy as np
import numpy.typing as npt

from impeto.core.bodies.body_set import BodySet
from impeto.core.dynamics.mechanism import FrameData, JointData
from impeto.core.model.element import Element
from impeto.core.model.scope import Scope

Floats = npt.NDArray[np.float64]
Numbers = dict[type, tuple[Any, ...]]
D = TypeVar("D")


@dataclass(frozen=True, slots=True)
class Compilation:
    """A model in a case on its way to a mechanism.

    written : the joints as written, in the order of their numbers
    points, rotations : origins (3,) and rotations (3, 3) of the frames in the world, as drawn
    """

    scope: Scope
    body_set: BodySet
    frames: tuple[FrameData, ...]
    joints: tuple[JointData, ...]
    written: Sequence[Any]
    points: list[Floats]
    rotations: list[Floats]
    frame_row: Mapping[str, int]
    joint_row: Mapping[str, int]

    def taking(self, kind: Any) -> list[Any]:
        """Elements of a kind that are on, or will be by an event."""
        return taking(self.scope, kind)

    def each(self, kind: type[Element], data: Callable[..., D], *known: Any) -> tuple[D, ...]:
        """Numbers of every element of a kind that takes part."""
        return tuple(data(self.scope, element, *known) for element in self.taking(kind))


def taking(scope: Scope, kind: Any) -> list[Any]:
    """Elements of a kind that are on, or will be by an event."""
    elements = scope.model.elements.values()
    return [e for e in elements if isinstance(e, kind) and scope.takes_part(e)]
