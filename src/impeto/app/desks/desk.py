"""The desks: one record each, from which the strip, the commands and the window take theirs."""

from __future__ import annotations

from dataclasses import dataclass

ROSTER, STAGE, SIDE, CASES, CHARTS, DECK = "roster", "stage", "side", "cases", "charts", "deck"
SPLIT = (ROSTER, STAGE, SIDE, CASES, CHARTS)  # from left to right


@dataclass(frozen=True, slots=True)
class Desk:
    """widths : px of what stands side by side, at 1280;  below : what stands under it
    builds : whether the model is worked on, else a run is watched
    """

    name: str
    keys: str
    widths: dict[str, int]
    below: tuple[str, ...] = ()
    builds: bool = False

    def shows(self, part: str) -> bool:
        """Whether a part of the window is there."""
        return part in self.widths or part in self.below

    @property
    def sizes(self) -> list[int]:
        """Of all that may stand side by side."""
        return [self.widths.get(part, 0) for part in SPLIT]


BUILD = Desk("Build", "Ctrl+1", {ROSTER: 276, STAGE: 668, SIDE: 336}, builds=True)
WATCH = Desk("Watch", "Ctrl+2", {STAGE: 620, CHARTS: 660}, below=(DECK,))
COMPARE = Desk("Compare", "Ctrl+3", {CASES: 780, CHARTS: 500}, below=(DECK,))
DESKS = {desk.name: desk for desk in (BUILD, WATCH, COMPARE)}
