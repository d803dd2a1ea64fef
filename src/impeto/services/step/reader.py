"""STEP assemblies, read in a process of their own with limits, progress and cancel."""

from __future__ import annotations

import importlib.util
import json
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Callable
from pathlib import Path
from queue import Empty, Queue
from typing import Any

from impeto.core.errors import FileError
from impeto.services.step.scan import scanned

SUFFIXES = (".step", ".stp")
PACKAGES = Path(__file__).with_name("reader.lock")  # versions with hashes: no other is installed
CHILD = "impeto.services.step.child"  # the module of the process
LONGEST = 900.0  # s
SILENT = 300.0  # s: longest time on one solid
Progress = Callable[[float, float], bool]
MISSING = (
    "STEP files need a reader of solids (about 400 MB) that is not installed yet: Menu ▸ File ▸ "
    "Install the STEP reader, or 'impeto install step' in a shell."
)


def is_installed() -> bool:
    """Whether STEP files can be read here."""
    return importlib.util.find_spec("OCP") is not None


def install(progress: Progress | None = None) -> None:
    """Fetch the reader into this environment. Raises FileError where that fails or is stopped."""
    command = [
        sys.executable, "-m", "pip", "install", "--quiet", "--disable-pip-version-check",
        "--require-hashes", "-r", str(PACKAGES),
    ]  # fmt: skip
    try:
        with subprocess.Popen(
            command, stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE,
            text=True,
        ) as process:  # fmt: skip
            while process.poll() is None:
                if progress is not None and not progress(0.0, 0.0):
                    process.kill()
                    raise FileError("The STEP reader was not installed: stopped.")
                time.sleep(0.1)
            assert process.stderr is not None
            said = [line.strip() for line in process.stderr.read().splitlines() if line.strip()]
    except OSError as error:
        raise FileError(f"The STEP reader could not be installed: {error}.") from error
    importlib.invalidate_caches()
    if process.returncode != 0 or not is_installed():
        why = next((line for line in reversed(said) if "ERROR" in line), "no answer")
        raise FileError(f"The STEP reader could not be installed: {why[:200]}")


def converted(
    path: Path, out: Path, progress: Progress | None = None, patience: float = LONGEST
) -> tuple[str, ...]:
    """Write what a STEP file holds as a drawing (GLB); sentences on what is to be known.

    patience : s after which it is given up
    Raises FileError, also where progress answers False.
    """
    if not is_installed():
        raise FileError(MISSING)
    read = scanned(path)
    notes = [] if read.has_unit else [f"{path.name} says no unit of length: read as millimetres."]
    with tempfile.TemporaryDirectory(prefix="impeto-step-") as folder:
        copy = Path(folder) / "file.step"
        try:
            copy.write_bytes(read.content)
        except OSError as error:
            raise FileError(
                f"'{path.name}' cannot be read: no room in the temporary folder."
            ) from error
        command = [sys.executable, "-m", CHILD, str(copy), path.name, str(out)]
        with subprocess.Popen(
            command, stdin=subprocess.DEVNULL, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL,
            text=True, cwd=folder,
        ) as process:  # fmt: skip
            try:
                notes += _followed(process, path.name, progress, patience)
            finally:
                process.kill()
    return tuple(notes)


def _followed(
    process: subprocess.Popen[str], name: str, progress: Progress | None, patience: float
) -> list[str]:
    """Listen to the process until it ends; its notes. Raises FileError."""
    lines: Queue[dict[str, Any]] = Queue()
    listener = threading.Thread(target=_listen, args=(process, lines), daemon=True)
    listener.start()
    notes, share, began, heard = list[str](), 0.0, time.monotonic(), time.monotonic()
    doing = "reading the file"
    done = False
    while not done:
        try:
            said = lines.get(timeout=0.1)
        except Empty:
            said = {}
        now = time.monotonic()
        heard = now if said else heard
        share, doing = said.get("share", share), said.get("doing", doing)
        notes += [said["note"]] if "note" in said else []
        done = "done" in said
        if "failed" in said:
            raise FileError(str(said["failed"]))
        if progress is not None and not progress(share, 0.0):
            raise FileError(f"'{name}' was not read: stopped.")
        if now - began > patience or now - heard > min(SILENT, patience):
            raise FileError(
                f"'{name}' was given up after {now - began:.0f} s ({doing}): it is damaged, or "
                "needs a simpler export."
            )
        if not said and not listener.is_alive() and lines.empty() and not done:
            raise FileError(
                f"'{name}' is damaged: the reader of solids broke down ({doing}). Export it anew."
            )
    return notes


def _listen(process: subprocess.Popen[str], lines: Queue[dict[str, Any]]) -> None:
    assert process.stdout is not None
    for line in process.stdout:
        try:
            found = json.loads(line)
        except ValueError:
            continue  # the reader's own talk
        if isinstance(found, dict):
            lines.put(found)
