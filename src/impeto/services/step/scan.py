"""A first look at the bytes of a STEP file, before its reader sees them."""

from __future__ import annotations

import re
from dataclasses import dataclass
from pathlib import Path

from impeto.core.errors import FileError
from impeto.services.reading import content_of

LARGEST = 2_000_000_000  # bytes
FIRST = b"ISO-10303-21"
DEEPEST = 60  # brackets within each other; what the form needs are a few
ENDLESS = re.compile(rb"\d\.?\d*E\+?\d{3,}")
LENGTH = re.compile(rb"LENGTH_UNIT\s*\(")


@dataclass(frozen=True, slots=True)
class Scanned:
    """content : fit for the reader;  has_unit : whether it says in which unit lengths are"""

    content: bytes
    has_unit: bool


def scanned(path: Path) -> Scanned:
    """What is in a STEP file, with letters beyond ASCII as escapes of the form, as the reader takes
    raw ones of an older alphabet for others. Raises FileError."""
    content = content_of(path, LARGEST)
    if not content.lstrip().startswith(FIRST):
        raise FileError(f"'{path.name}' is no STEP file: it does not begin with ISO-10303-21.")
    if b"ENDSEC" not in content or b"END-ISO-10303-21" not in content:
        raise FileError(f"'{path.name}' is cut off: its end is missing. Copy it anew.")
    if ENDLESS.search(content):
        raise FileError(f"'{path.name}' holds numbers that are larger than any machine.")
    if _depth(content) > DEEPEST:
        raise FileError(f"'{path.name}' is damaged: its brackets go deeper than the form allows.")
    return Scanned(_in_ascii(content), bool(LENGTH.search(content)))


def _depth(content: bytes) -> int:
    """How deep brackets lie within each other."""
    depth = deepest = 0
    for found in re.finditer(rb"[()]|'(?:[^']|'')*'", content):
        token = found.group()
        if token == b"(":
            depth += 1
            deepest = max(deepest, depth)
        elif token == b")":
            depth -= 1
    return deepest


def _in_ascii(content: bytes) -> bytes:
    if content.isascii():
        return content
    try:
        text = content.decode("utf-8")
    except UnicodeDecodeError:
        text = content.decode("latin-1")

    def escaped(found: re.Match[str]) -> str:
        return f"\\X2\\{found.group().encode('utf-16-be').hex().upper()}\\X0\\"

    return re.sub(r"[^\x00-\x7f]+", escaped, text).encode("ascii")
