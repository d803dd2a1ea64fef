"""The six freedoms of a joint and the trade's names for their combinations."""

from __future__ import annotations

FREEDOMS = ("slide x", "slide y", "slide z", "turn x", "turn y", "turn z")
SLIDES, TURNS = FREEDOMS[:3], FREEDOMS[3:]

# Presets as sets of free motions, about or along z where the kind has an axis.
PRESETS: dict[str, tuple[str, ...]] = {
    "fixed": (),
    "revolute": ("turn z",),
    "prismatic": ("slide z",),
    "cylindrical": ("slide z", "turn z"),
    "universal": ("turn x", "turn y"),
    "spherical": ("turn x", "turn y", "turn z"),
    "planar": ("slide x", "slide y", "turn z"),
    "point on line": ("slide z", "turn x", "turn y", "turn z"),
    "point on plane": ("slide x", "slide y", "turn x", "turn y", "turn z"),
    "parallel axes": ("slide x", "slide y", "slide z", "turn z"),
}


def kind_title(free: tuple[str, ...], special: str = "none") -> str:
    """Trade name of a combination of free motions: 'revolute', or 'free: slide x, turn z'.

    A special joint has the name of what it locks beside the freedoms.
    """
    if special != "none":
        return special
    slides = [f[-1] for f in free if f in SLIDES]
    turns = [f[-1] for f in free if f in TURNS]
    counts = (len(slides), len(turns))
    named = {
        (0, 0): "fixed",
        (0, 1): "revolute",
        (1, 0): "prismatic",
        (0, 2): "universal",
        (0, 3): "spherical",
        (1, 3): "point on line",
        (2, 3): "point on plane",
        (3, 3): "all free",
        (3, 1): "parallel axes",
    }
    if counts in named:
        return named[counts]
    if counts == (1, 1) and slides == turns:
        return "cylindrical"
    if counts == (2, 1) and turns[0] not in slides:
        return "planar"
    return "free: " + ", ".join(free)
