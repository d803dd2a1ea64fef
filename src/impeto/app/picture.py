"""A picture of the window without a person: for the headless demo and the documentation."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QSettings
from PyQt6.QtWidgets import QApplication

from impeto.app.document import Document
from impeto.app.main_window import MainWindow
from impeto.app.start import application
from impeto.core.errors import FileError
from impeto.core.model.model import Model
from impeto.core.results.recording import Recording


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
