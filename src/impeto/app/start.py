"""Starting the application."""

from __future__ import annotations

import gc
import sys
from pathlib import Path

from PyQt6.QtCore import QSettings, QTimer
from PyQt6.QtWidgets import QApplication

from impeto.app import theme
from impeto.app.autosave import Autosave
from impeto.app.document import Document
from impeto.app.garbage import Garbage
from impeto.app.main_window import MainWindow
from impeto.app.rescue import Rescue
from impeto.core.model.model import Model


def application() -> QApplication:
    """The one application object, with its font."""
    existing = QApplication.instance()
    if isinstance(existing, QApplication):
        return existing
    made = QApplication(sys.argv[:1])
    made.setApplicationName("Impeto")
    made.setOrganizationName("Impeto")
    theme.load_fonts()
    return made


def show(model: Model, path: Path | None) -> int:
    """Open the window on a model and stay until it is closed."""
    app = application()
    window = MainWindow(Document(model, path), QSettings("Impeto", "Impeto"))
    Rescue(window.document, window).install()
    autosave = Autosave(window.document, window)
    window.show()
    gc.freeze()
    Garbage(window)
    QTimer.singleShot(0, lambda: autosave.offer(window.show_opened))
    ended = app.exec()
    autosave.end()
    return ended
