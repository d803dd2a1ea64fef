"""Writing files so that a crash or a full disk never costs the old one."""

from __future__ import annotations

import contextlib
import os
import tempfile
from collections.abc import Iterator
from pathlib import Path

from impeto.core.errors import FileError


@contextlib.contextmanager
def replacing(path: Path) -> Iterator[Path]:
    """A temporary path beside `path`; it takes its place only if the block ends well."""
    try:
        handle, name = tempfile.mkstemp(dir=path.parent, prefix=f".{path.name}.")
        os.close(handle)
    except OSError as error:
        raise FileError(f"'{path}' cannot be written: {reason(error)}.") from error
    temporary = Path(name)
    try:
        yield temporary
        os.chmod(temporary, 0o644)
        os.replace(temporary, path)
    except OSError as error:
        raise FileError(
            f"'{path}' cannot be written: {reason(error)}. The file that was there is unchanged."
        ) from error
    finally:
        temporary.unlink(missing_ok=True)


def reason(error: OSError) -> str:
    """What the system says, in lower case: 'no space left on device'."""
    return (error.strerror or str(error)).lower()
