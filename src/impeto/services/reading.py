"""Reading files that may be anything."""

from __future__ import annotations

from pathlib import Path

from impeto.core.errors import FileError
from impeto.services.atomic import reason


def content_of(path: Path, largest: int) -> bytes:
    """What is in a file of at most so many bytes. Raises FileError."""
    try:
        if path.stat().st_size > largest:
            raise FileError(f"'{path}' is too large: at most {largest // 1_000_000} MB.")
        return path.read_bytes()
    except OSError as error:
        raise FileError(f"'{path}' cannot be read: {reason(error)}.") from error
