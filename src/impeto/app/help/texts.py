"""What the help says, read from the text beside this module."""

from __future__ import annotations

from functools import cache
from pathlib import Path

PAGE, KIND = "# ", "## "


@cache
def texts() -> tuple[dict[str, str], dict[str, str]]:
    """Pages of desks and parts of the window by title, and what is said of kinds of elements by
    their tag in files."""
    pages: dict[str, str] = {}
    kinds: dict[str, str] = {}
    place, key = pages, ""
    path = Path(__file__).parent / "texts.txt"
    for line in path.read_text(encoding="utf-8").splitlines():
        if line.startswith((PAGE, KIND)):
            place = pages if line.startswith(PAGE) else kinds
            key = line.lstrip("# ").strip()
            place[key] = ""
        elif key:
            place[key] += f"{line}\n"
    return pages, kinds
