"""Pictures and films without a person: for the headless demo and the shell."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from PyQt6.QtCore import QSettings
from PyQt6.QtWidgets import QApplication

from impeto.app.document import Document
from impeto.app.film import PORTRAIT, Camera, Shot, as_bytes, as_png
from impeto.app.main_window import MainWindow
from impeto.app.stage.camera import VIEWS
from impeto.app.start import application
from impeto.core.elements import Chart
from impeto.core.errors import FileError
from impeto.core.model.model import Model
from impeto.core.results.recording import Recording
from impeto.services import film_file


def save(model: Model, recording: Recording, path: Path) -> None:
    """Show the Watch desk on a recording and write it as PNG."""
    app = application()
    window = MainWindow(Document(model), QSettings(str(path.with_suffix(".ini")), INI))
    window.document.add_run(recording)
    window.watch.start_charts()
    window.show_desk("Watch")
    window.document.set_instant(0.4 * float(recording.time[-1]))
    window.show()
    settle(app, window)
    if not window.grab().save(str(path)):
        raise FileError(f"'{path}' cannot be written.")
    window.close()


INI = QSettings.Format.IniFormat


def settle(app: QApplication, window: MainWindow) -> None:
    """Let layouts and the sharp picture of the Stage come to rest."""
    for _ in range(4):
        app.processEvents()
    window.stage.refresh()
    app.processEvents()


def film(
    recording: Recording, shot: Shot, path: Path, view: str, charts: Sequence[Chart] = ()
) -> None:
    """A film of a recording, now. view : one of camera.VIEWS;  charts : that stand below. Raises
    FileError."""
    if view not in VIEWS:
        raise FileError(f"'{view[:40]}' is no view: there are {', '.join(VIEWS)}.")
    shot.check()
    app = application()  # kept: widgets need it
    camera = Camera(recording, shot.size, charts=charts, span=(shot.begin, shot.end))
    camera.stage.set_view(view)
    try:
        with film_file.film(path, shot.size, shot.rate) as take:
            for moment in shot.instants():
                take(as_bytes(camera.picture(moment, shot.clock)))
    finally:
        camera.close()
        app.processEvents()


def portrait(recording: Recording) -> bytes:
    """The model of a recording as it begins, PNG."""
    app = application()  # kept: widgets need it
    camera = Camera(recording, PORTRAIT)
    try:
        return as_png(camera.picture(0.0, clock=False))
    finally:
        camera.close()
        app.processEvents()
