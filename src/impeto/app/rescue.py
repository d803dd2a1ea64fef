"""What nobody expected: told in a sentence, with the details to copy, and the work kept."""

from __future__ import annotations

import sys
import time
import traceback
from pathlib import Path
from types import TracebackType

from PyQt6.QtCore import QStandardPaths, Qt
from PyQt6.QtWidgets import QApplication, QMessageBox, QWidget

from impeto.app.document import Document
from impeto.core.errors import ImpetoError
from impeto.services import meshes, model_file


class Rescue:
    """Handles every exception that reaches the event loop; the window goes on.

    folder : where copies of the model are kept, by default among the application's data
    """

    def __init__(self, document: Document, window: QWidget, folder: Path | None = None) -> None:
        self.document, self.window = document, window
        place = QStandardPaths.writableLocation(QStandardPaths.StandardLocation.AppDataLocation)
        self.folder = folder or Path(place) / "recovery"
        self.box: QMessageBox | None = None
        self.details = ""

    def install(self) -> None:
        sys.excepthook = self.handle

    def handle(
        self, kind: type[BaseException], error: BaseException, trace: TracebackType | None
    ) -> None:
        """Say what went wrong, once at a time; further ones are added to the details."""
        if issubclass(kind, KeyboardInterrupt):
            sys.__excepthook__(kind, error, trace)
            return
        text = "".join(traceback.format_exception(kind, error, trace))
        sys.stderr.write(text)
        if self.box is not None:
            self.details += "\n" + text
            return
        self.details = text
        self._show(f"Something went wrong inside: {kind.__name__}. {self._kept()}")

    def _kept(self) -> str:
        """Keep a copy of the model; a sentence that says where."""
        model = self.document.model
        stem = "".join(c if c.isalnum() else "_" for c in model.name)[:40] or "model"
        target = self.folder / f"{stem}-{time.strftime('%Y%m%d-%H%M%S')}{model_file.SUFFIX}"
        try:
            self.folder.mkdir(parents=True, exist_ok=True)
            moved = meshes.moved_meshes(model, self.document.folder, self.folder)
            model_file.save(moved, target)
        except (ImpetoError, OSError) as error:
            return f"A copy of the model could not be kept ({error}): save it under a new name."
        return f"Your model is still open; a copy is kept as {target}."

    def _show(self, text: str) -> None:
        self.box = box = QMessageBox(self.window)
        box.setWindowTitle("Impeto")
        box.setTextFormat(Qt.TextFormat.PlainText)
        box.setText(text)
        copy = box.addButton("Copy the details", QMessageBox.ButtonRole.ActionRole)
        box.addButton("Go on", QMessageBox.ButtonRole.AcceptRole)
        box.setModal(False)
        assert copy is not None
        copy.clicked.connect(self._copy)
        box.finished.connect(self._closed)
        box.show()

    def _copy(self) -> None:
        clipboard = QApplication.clipboard()
        assert clipboard is not None
        clipboard.setText(self.details)

    def _closed(self) -> None:
        if self.box is not None:
            self.box.deleteLater()
        self.box = None
