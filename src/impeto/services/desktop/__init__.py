"""The program in the menus of the desktop: an entry, its icon, and the type of model files."""

from __future__ import annotations

import os
import shlex
import shutil
import subprocess
import sys
from importlib import resources
from pathlib import Path

from impeto.core.errors import FileError

ENTRY = """[Desktop Entry]
Type=Application
Name=Impeto
GenericName=Multibody dynamics
Comment=Model machines, simulate them, read the loads
Exec={command} open %f
Icon=impeto
Terminal=false
Categories=Science;Engineering;
MimeType=application/x-impeto-model+json;
"""
# What tells the desktop of new entries and types, with the folder each works on.
REFRESH = (("update-mime-database", "mime"), ("update-desktop-database", "applications"))


def data_home() -> Path:
    """Where the desktop looks for what a user has put there (XDG base directories)."""
    return Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share")


def command() -> str:
    """The `impeto` that is running, as a desktop entry writes it."""
    beside = Path(sys.executable).with_name("impeto")
    found = beside if beside.exists() else Path(shutil.which("impeto") or sys.argv[0])
    return shlex.quote(str(found.absolute()))


def install(folder: Path | None = None) -> list[Path]:
    """Put entry, icon and file type where the desktop finds them; returns the files.

    folder : in place of data_home();  raises FileError
    """
    home = data_home() if folder is None else folder
    own = resources.files(__name__)
    contents = {
        home / "applications" / "impeto.desktop": ENTRY.format(command=command()),
        home / "icons/hicolor/scalable/apps/impeto.svg": own.joinpath("impeto.svg").read_text(),
        home / "mime" / "packages" / "impeto.xml": own.joinpath("impeto.xml").read_text(),
    }
    try:
        for path, text in contents.items():
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_text(text, encoding="utf-8")
    except OSError as error:
        raise FileError(f"{home} cannot be written: {error.strerror}.") from None
    for tool, part in REFRESH:
        if shutil.which(tool):
            subprocess.run([tool, str(home / part)], check=False, capture_output=True)
    return list(contents)
