"""Opening, saving and exporting, with the questions that belong to them."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QObject, QSettings, pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QMessageBox, QWidget

from impeto.app.document import Document
from impeto.app.importing import Importing
from impeto.app.jobs import Job
from impeto.app.new_elements import free_stem
from impeto.app.plain_text import as_tip
from impeto.core.elements import Dataset
from impeto.core.errors import ImpetoError
from impeto.core.geometry.triangles import Triangles
from impeto.core.model.names import free_name
from impeto.core.results.recording import Recording
from impeto.services import geometry_in, meshes, model_file, tables

FILTER = f"Impeto models (*{model_file.SUFFIX})"
RECORDING, TABLES = ".h5", (".csv", ".txt")
OPENED = f"Models and recordings (*{model_file.SUFFIX} *{RECORDING})"
MOST_RECENT = 8


class FileActions(QObject):
    """Works on the document; says how it went by `told` (good) and the document's complaints."""

    told = pyqtSignal(str)
    opened = pyqtSignal()
    watched = pyqtSignal()  # a run was opened

    def __init__(self, document: Document, window: QWidget, settings: QSettings) -> None:
        super().__init__(window)
        self.document, self.window, self.settings = document, window, settings
        self.importing = Importing(document, window)
        self.importing.told.connect(self.told)
        self.job: Job | None = None
        self.reading: Job | None = None
        self.tried: set[str] = set()  # surfaces that were looked for
        document.model_changed.connect(self.read_meshes)

    def may_leave(self) -> bool:
        """Ask what to do with unsaved changes; False means stay."""
        if not self.document.dirty:
            return True
        buttons = QMessageBox.StandardButton
        answer = QMessageBox.question(
            self.window,
            "Unsaved changes",
            as_tip(f"'{self.document.model.name}' has changes that are not saved."),
            buttons.Save | buttons.Discard | buttons.Cancel,
        )
        if answer == buttons.Save:
            return self.save()
        return bool(answer == buttons.Discard)

    def new(self) -> None:
        if self.may_leave():
            self.document.open(model_file.new_model(), None)
            self.opened.emit()

    def open(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self.window, "Open a model", "", OPENED)
        if path:
            self.open_path(Path(path))

    def take(self, path: Path) -> None:
        """A file that was dropped on the window: by its kind."""
        suffix = path.suffix.lower()
        if suffix in geometry_in.SUFFIXES:
            self.importing.bring_in(path)
        elif suffix in TABLES:
            self.import_csv(path)
        elif path.name.endswith(model_file.SUFFIX) or suffix == RECORDING:
            self.open_path(path)
        else:
            self.document.complained.emit(
                f"{path.name} is nothing that can be dropped here: models, recordings, geometry "
                f"({', '.join(geometry_in.SUFFIXES)}) and tables (.csv) are."
            )

    def open_path(self, path: Path) -> bool:
        """Open a model file, or a recording with its model; on failure say why and keep what is
        open."""
        if path.suffix.lower() == RECORDING:
            self.open_recording(path)
            return True
        if not self.may_leave():
            return False
        try:
            model = model_file.load(path)
        except ImpetoError as error:
            self.document.complained.emit(str(error))
            return False
        self.document.open(model, path)
        self._remember(path)
        self.opened.emit()
        return True

    def open_recording(self, path: Path) -> None:
        """Read a recording off the main thread; it is shown beside the runs of its own model, else
        with that in place of what is open."""
        from impeto.services import recording_file

        number = self.document.number
        self.job = Job(lambda _progress: recording_file.open_recording(path), self)
        self.job.finished.connect(lambda recording: self._take_recording(number, path, recording))
        self.job.failed.connect(self.document.complained)
        self.job.start()

    def _take_recording(self, number: int, path: Path, recording: Recording) -> None:
        if number != self.document.number:
            return
        if list(recording.model.elements.values()) != list(self.document.model.elements.values()):
            if not self.may_leave():
                return
            self.document.open(recording.model, None)
            self.opened.emit()
        self._remember(path)
        self.document.set_case(recording.case)
        self.document.add_run(recording)
        self.watched.emit()
        self.told.emit(f"Opened {path.name}, a run of case {recording.case}.")

    def open_demo(self, name: str) -> None:
        if self.may_leave():
            self.document.open(model_file.load_demo(name), None)
            self.opened.emit()

    def recent(self) -> list[str]:
        """Paths of the models opened or saved last that still exist."""
        listed = self.settings.value("recent", []) or []
        listed = [listed] if isinstance(listed, str) else listed
        return [path for path in listed if Path(path).is_file()]

    def _remember(self, path: Path) -> None:
        whole = str(path.resolve())
        others = [other for other in self.recent() if other != whole]
        self.settings.setValue("recent", [whole, *others][:MOST_RECENT])

    def save(self) -> bool:
        if self.document.path is None:
            return self.save_as()
        return self.save_path(self.document.path)

    def save_as(self) -> bool:
        proposal = self.document.model.name.lower().replace(" ", "_") + model_file.SUFFIX
        path, _ = QFileDialog.getSaveFileName(self.window, "Save the model", proposal, FILTER)
        return bool(path) and self.save_path(Path(path))

    def save_path(self, path: Path) -> bool:
        if not path.name.endswith(model_file.SUFFIX):
            path = path.with_name(path.name + model_file.SUFFIX)
        if not self.document.save(path):
            return False
        self._remember(path)
        self.told.emit(f"Saved as {path.name}.")
        return True

    def export_csv(self, channels: list[str], path: Path | None = None) -> None:
        """Write channels of the shown run, off the main thread."""
        run = self.document.run
        if run is None or not channels:
            self.document.complained.emit(
                "There is nothing to export yet: run a case and put channels on a chart first."
            )
            return
        kinds = "CSV (*.csv);;HDF5 (*.h5);;Parquet (*.parquet)"
        target = path or self._ask("Export the charts' channels", "channels.csv", kinds)
        if target is not None:
            self._write(target, lambda: tables.export(run.recording, channels, target))

    def import_csv(self, path: Path | None = None) -> None:
        """Read a table of time histories; columns named like loads or drives become theirs."""
        if path is None:
            found, _ = QFileDialog.getOpenFileName(
                self.window, "Read time histories", "", "Tables (*.csv *.txt)"
            )
            if not found:
                return
            path = Path(found)
        name = free_name(self.document.model, free_stem(path.name))
        number = self.document.number
        self.job = Job(lambda _progress: tables.import_csv(path, name), self)
        self.job.finished.connect(lambda table: self._take_table(number, table))
        self.job.failed.connect(self.document.complained)
        self.job.start()

    def _take_table(self, number: int, table: Dataset) -> None:
        """Into the model as it now is: it may have been edited, or another one opened."""
        if number != self.document.number:
            return
        name, changed = table.name, tables.mapped(self.document.model, table)
        self.document.edit(f"data set {name}", changed)
        self.document.select(name)
        users = changed.users_of(name)
        what = f"It drives {', '.join(users)}." if users else "Choose it in a signal of kind table."
        self.told.emit(f"Read as {name}. {what}")

    def read_meshes(self) -> None:
        """Read the mesh files that the model names and that have not been read, off the main
        thread; each that cannot be read is tried once."""
        model, folder = self.document.model, self.document.folder
        missing = meshes.named_surfaces(model) - set(model.geometry) - self.tried
        if not missing or self.reading is not None:
            return
        self.tried |= missing
        number = self.document.number
        self.reading = Job(lambda _progress: meshes.read_all(missing, folder), self)
        self.reading.finished.connect(lambda read: self._have_read(number, read))
        self.reading.failed.connect(self._could_not_read)
        self.reading.start()

    def _have_read(self, number: int, read: dict[str, Triangles]) -> None:
        self.reading = None
        if number == self.document.number:
            self.document.add_geometry(read)
        else:
            self.read_meshes()

    def _could_not_read(self, text: str) -> None:
        self.reading = None
        self.document.complained.emit(text)

    def save_recording(self, path: Path | None = None) -> None:
        run = self.document.run
        if run is None:
            self.document.complained.emit("There is no run to save yet: run a case first.")
            return
        target = path or self._ask("Save the recording", f"{run.name}.h5", "HDF5 (*.h5)")
        if target is not None:
            from impeto.services import recording_file

            self._write(target, lambda: recording_file.save_recording(run.recording, target))

    def _ask(self, title: str, proposal: str, kinds: str) -> Path | None:
        path, _ = QFileDialog.getSaveFileName(self.window, title, proposal, kinds)
        return Path(path) if path else None

    def _write(self, target: Path, write: Callable[[], None]) -> None:
        self.job = Job(lambda _progress: write(), self)
        self.job.finished.connect(lambda _: self.told.emit(f"Written to {target.name}."))
        self.job.failed.connect(self.document.complained)
        self.job.start()
