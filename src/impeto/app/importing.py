"""Geometry that is brought in: asked for, read off the main thread, taken into the model."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QObject, Qt, QTimer, pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QMessageBox, QWidget

from impeto.app.document import Document
from impeto.app.jobs import Job
from impeto.app.wait_bar import WaitBar
from impeto.core.elements import Body, Piece
from impeto.core.errors import ImpetoError
from impeto.core.model.element import GROUND
from impeto.services import geometry_in, meshes
from impeto.services.geometry_in import Imported
from impeto.services.step import reader

SHOWN_AFTER = 400  # ms: what is read sooner needs no bar
LISTED = 40  # sentences on what could not be kept
Progress = Callable[[float, float], bool]


class Importing(QObject):
    """One file at a time."""

    told = pyqtSignal(str)

    def __init__(self, document: Document, window: QWidget) -> None:
        super().__init__(window)
        self.document, self.window = document, window
        self.job: Job | None = None
        self._stopped = False
        self.bar = WaitBar(window)
        self.bar.stop_asked.connect(self.stop)
        self._patience = QTimer(self)
        self._patience.setSingleShot(True)
        self._patience.timeout.connect(self.bar.begin)

    def ask(self) -> None:
        """For a file, then bring it in."""
        kinds = " ".join(f"*{suffix}" for suffix in geometry_in.SUFFIXES)
        found, _ = QFileDialog.getOpenFileName(
            self.window, "Bring geometry in", "", f"Assemblies, meshes, mechanisms ({kinds})"
        )
        if found:
            self.bring_in(Path(found))

    def bring_in(self, path: Path) -> None:
        """What a file holds, beside what is there or in place of an older state of it."""
        if self.job is not None:
            self.document.complained.emit("One file at a time: another is being read.")
            return
        if path.suffix.lower() in reader.SUFFIXES and not reader.is_installed():
            self._offer_reader(path)
            return
        model, folder = self.document.model, self.document.folder

        def read(progress: Progress) -> Imported:
            found = geometry_in.import_geometry(path, progress=progress)
            return geometry_in.known_before(model, folder, found)

        number = self.document.number
        self._start(f"Reading {path.name}", read, lambda found: self._take(number, path, found))

    def stop(self) -> None:
        if self.job is not None:
            self._stopped = True
            self.job.cancel()

    def _start(
        self, text: str, task: Callable[[Progress], Any], done: Callable[[Any], None]
    ) -> None:
        job = self.job = Job(task, self)
        self._stopped = False
        self.bar.name(text)
        self._patience.start(SHOWN_AFTER)

        def ended(answer: Callable[[Any], None], result: Any) -> None:
            self.job = None
            self._patience.stop()
            self.bar.hide()
            if self._stopped:
                self.told.emit(f"{text} was stopped: nothing has changed.")
            else:
                answer(result)

        job.progressed.connect(self.bar.show_progress)
        job.finished.connect(lambda result: ended(done, result))
        job.failed.connect(lambda words: ended(self.document.complained.emit, words))
        job.start()

    def _take(self, number: int, path: Path, read: Imported) -> None:
        """Into the model as it now is: it may have been edited, or another one opened."""
        if number != self.document.number:
            return
        seen = {
            file: meshes.seen_from(self.document.folder, Path(file))
            for file in {name.partition("\n")[0] for name in read.model.geometry}
        }
        file = seen.get(read.file, read.file)
        known = replace(read, model=meshes.renamed(read.model, seen), file=file)
        try:
            model, names, notes = geometry_in.taken_over(
                self.document.model, known, self.document.case
            )
        except ImpetoError as error:
            self.document.complained.emit(f"{path.name}: {error}")
            return
        self.document.edit(f"geometry of {path.name}", model)
        shown = [n for n in names if isinstance(model[n], (Body, Piece)) and n != GROUND]
        several = read.drawing is not None and not read.before
        self.document.choose([] if several else shown or names[:1])
        self._tell(path, notes, len(shown), bool(read.before))

    def _tell(self, path: Path, notes: tuple[str, ...], count: int, anew: bool) -> None:
        text = " ".join(notes[:2]) or f"Read {count} bodies from {path.name}."
        if len(notes) <= 2 and not anew:
            self.told.emit(text)
            return
        box = QMessageBox(self.window)
        box.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        box.setWindowTitle(path.name)
        box.setTextFormat(Qt.TextFormat.PlainText)
        box.setText(notes[0])
        more = len(notes) - 1 - LISTED
        listed = [*notes[1 : LISTED + 1], *([f"and {more} more"] if more > 0 else [])]
        box.setInformativeText("\n".join(listed))
        box.open()

    def _offer_reader(self, path: Path) -> None:
        box = QMessageBox(self.window)
        box.setWindowTitle("STEP files")
        box.setTextFormat(Qt.TextFormat.PlainText)
        box.setText("STEP files need a reader of solids that is not installed yet.")
        box.setInformativeText("It takes about 400 MB of the disk and is fetched once.")
        take = box.addButton("Install it", QMessageBox.ButtonRole.AcceptRole)
        box.addButton("Not now", QMessageBox.ButtonRole.RejectRole)
        box.setDefaultButton(take)
        box.exec()
        agreed = box.clickedButton() is take
        box.deleteLater()
        if agreed:
            self.install(lambda: self.bring_in(path))

    def install(self, then: Callable[[], None] = lambda: None) -> None:
        """Fetch the reader of STEP files."""
        if reader.is_installed():
            self.told.emit("The STEP reader is installed.")
            return

        def done(_result: None) -> None:
            self.told.emit("The STEP reader is installed.")
            then()

        self._start("Installing the STEP reader", lambda progress: reader.install(progress), done)
