"""Writing files so that a crash or a full disk never costs the old one."""

from __future__ import annotations

import contextlib
import os
import secrets
from collections.abc import Iterator
from pathlib import Path

from impeto.core.errors import FileError

_BEGINS, _ENDS = ".impeto-", ".part"


@contextlib.contextmanager
def replacing(path: Path) -> Iterator[Path]:
    """A temporary path beside `path`; it takes its place only if the block ends well.

    What is written is on the disk before the old file goes. Permissions stay as they were, a link
    goes on to point at its file, and what killed processes have left behind is removed.
    """
    try:
        target = path.resolve()
        _remove_leftovers(target.parent)
        mode = target.stat().st_mode & 0o7777 if target.exists() else 0o666 & ~_umask()
        name = f"{_BEGINS}{os.getpid()}-{secrets.token_hex(6)}{_ENDS}"
        temporary = target.with_name(name)
        os.close(os.open(temporary, os.O_CREAT | os.O_EXCL | os.O_WRONLY, 0o600))
    except (OSError, ValueError, RuntimeError) as error:
        raise FileError(f"'{path}' cannot be written: {reason(error)}.") from error
    try:
        yield temporary
        os.chmod(temporary, mode)
        _sync(temporary)
        os.replace(temporary, target)
        _sync(target.parent)
    except OSError as error:
        raise FileError(
            f"'{path}' cannot be written: {reason(error)}. The file that was there is unchanged."
        ) from error
    finally:
        temporary.unlink(missing_ok=True)


def made(folder: Path) -> Path:
    """A folder that is there then. Raises FileError."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise FileError(f"The folder '{folder}' cannot be made: {reason(error)}.") from error
    return folder


def _sync(path: Path) -> None:
    """Wait until a file, or the entries of a folder, are on the disk."""
    handle = os.open(path, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)


def _umask() -> int:
    """The process's umask, which can only be read by setting it."""
    mask = os.umask(0o077)
    os.umask(mask)
    return mask


def _remove_leftovers(folder: Path) -> None:
    """Temporary files of processes that are gone."""
    for left in folder.glob(f"{_BEGINS}*{_ENDS}"):
        number = left.name.removeprefix(_BEGINS).partition("-")[0]
        if number.isdigit() and not Path(f"/proc/{number}").exists():
            left.unlink(missing_ok=True)


def reason(error: Exception) -> str:
    """What the system says, in lower case: 'no space left on device'."""
    return str(getattr(error, "strerror", None) or error).lower()
