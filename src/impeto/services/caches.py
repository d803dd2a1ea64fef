"""Where the program keeps what it can make anew."""

from __future__ import annotations

import hashlib
import os
import tempfile
from pathlib import Path


def cache_folder() -> Path:
    """Among the user's caches; it need not exist, nor be writable."""
    return Path(os.environ.get("XDG_CACHE_HOME") or Path.home() / ".cache") / "impeto"


def made_folder(name: str, content: bytes) -> Path:
    """A folder for what is made of some content, the same for the same; among temporary files
    where the caches cannot be written. Raises OSError where neither can."""
    place = Path(name) / hashlib.sha256(content).hexdigest()[:20]
    for top in (cache_folder(), Path(tempfile.gettempdir()) / f"impeto-{os.getuid()}"):
        folder = top / place
        try:
            folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        except OSError:
            continue
        if folder.stat().st_uid == os.getuid() and os.access(folder, os.W_OK):
            return folder
    raise OSError("neither the caches nor the temporary folder can be written")
