"""Feeders and outlets, in numbers."""

from __future__ import annotations

from dataclasses import dataclass

from impeto.core.dynamics.mechanism import Floats


@dataclass(frozen=True, slots=True, kw_only=True)
class FeederData:
    """copies : rows of the bodies it brings in, in order;  first, interval : s, infinite where
    events ask for copies;  frame : that copies start at, or −1 where they are drawn
    velocity [m/s], spin [rad/s] : at the start, in the axes of the frame or of the world"""

    name: str
    copies: tuple[int, ...]
    first: float
    interval: float
    frame: int
    velocity: Floats
    spin: Floats


@dataclass(frozen=True, slots=True, kw_only=True)
class OutletData:
    """frame : of the middle of the region;  half : (3,) m, half sizes;  takes : rows of bodies
    window : s, over which the throughput is taken"""

    name: str
    frame: int
    half: Floats
    takes: tuple[int, ...]
    removes: bool
    window: float
