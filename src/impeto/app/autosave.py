"""Work that is not saved is kept every half minute and after each run, and offered at the next
start when this one did not end as it should."""

from __future__ import annotations

import contextlib
import json
import math
import os
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from PyQt6.QtCore import QObject, QStandardPaths, Qt, QTimer
from PyQt6.QtWidgets import QMessageBox

from impeto.app.document import Document
from impeto.app.main_window import MainWindow
from impeto.core.errors import ImpetoError
from impeto.core.model.model import Model
from impeto.services import meshes, model_file

EVERY = 30_000  # ms
MARK = ".kept.json"  # beside a kept model: whose it is


@dataclass(frozen=True, slots=True)
class Kept:
    """A model that a process left behind; path : of its file, None where it had none"""

    model_path: Path
    mark: Path
    path: Path | None
    case: str
    view: tuple[float, ...]  # of the Stage, see camera.stance; empty where nobody chose one
    name: str
    when: float  # s since 1970

    def forget(self) -> None:
        """Remove it."""
        for file in (self.model_path, self.mark):
            with contextlib.suppress(OSError):
                file.unlink(missing_ok=True)


class Autosave(QObject):
    """Keeps the model of a window; folder : where, by default among the application's data."""

    def __init__(self, document: Document, window: MainWindow, folder: Path | None = None) -> None:
        super().__init__(window)
        self.document, self.window = document, window
        place = QStandardPaths.writableLocation(QStandardPaths.StandardLocation.AppDataLocation)
        self.folder = folder or Path(place) / "unsaved"
        self.stem = f"{os.getpid()}-{id(window):x}"
        self.box: QMessageBox | None = None
        self._written: Model | None = None
        self.timer = QTimer(self)
        self.timer.setInterval(EVERY)
        self.timer.timeout.connect(self.keep)
        self.timer.start()
        document.runs_changed.connect(self.keep)

    def keep(self) -> None:
        """Write the model if it has changed since; take the copy away once all is saved."""
        if not self.document.dirty:
            self.end()
        elif self.document.model is not self._written:
            model, target = self.document.model, self.folder / f"{self.stem}{model_file.SUFFIX}"
            about = {
                "process": os.getpid(), "case": self.document.case, "name": model.name,
                "view": self.window.stage.stance(),
                "path": str(self.document.path.resolve()) if self.document.path else "",
                "when": time.time(),
            }  # fmt: skip
            try:
                self.folder.mkdir(parents=True, exist_ok=True)
                model_file.save(
                    meshes.moved_meshes(model, self.document.folder, self.folder), target
                )
                (self.folder / f"{self.stem}{MARK}").write_text(json.dumps(about), "utf-8")
            except (ImpetoError, OSError) as error:
                self.document.complained.emit(f"Unsaved work could not be kept: {error}")
                self.timer.stop()
                return
            self._written = model

    def end(self) -> None:
        """Nothing is unsaved any more, or the window is closed on purpose."""
        if self._written is not None:
            for ending in (model_file.SUFFIX, MARK):
                with contextlib.suppress(OSError):
                    (self.folder / f"{self.stem}{ending}").unlink(missing_ok=True)
            self._written = None

    def left_behind(self) -> list[Kept]:
        """What processes that are gone have kept, the newest first."""
        found = []
        for mark in self.folder.glob(f"*{MARK}") if self.folder.is_dir() else ():
            kept = _read(mark)
            if kept is not None:
                found.append(kept)
        return sorted(found, key=lambda kept: -kept.when)

    def offer(self, opened: Callable[[], None]) -> None:
        """Ask about the newest of what was left behind; older ones stay for the next start."""
        for kept in self.left_behind()[:1]:
            when = time.strftime("%H:%M on %d %B", time.localtime(kept.when))
            self.box = box = QMessageBox(self.window)
            box.setWindowTitle("Unsaved work")
            box.setTextFormat(Qt.TextFormat.PlainText)
            box.setText(
                f"'{kept.name[:60]}' was not saved when the program ended. It was kept at {when}."
            )
            take = box.addButton("Open it", QMessageBox.ButtonRole.AcceptRole)
            drop = box.addButton("Throw it away", QMessageBox.ButtonRole.DestructiveRole)
            box.addButton("Ask again later", QMessageBox.ButtonRole.RejectRole)
            assert take is not None
            assert drop is not None
            take.clicked.connect(lambda _=False, k=kept: self._take(k, opened))
            drop.clicked.connect(lambda _=False, k=kept: k.forget())
            box.finished.connect(box.deleteLater)
            box.setModal(False)
            box.show()

    def _take(self, kept: Kept, opened: Callable[[], None]) -> None:
        """Open it as unsaved work on its file."""
        try:
            model = model_file.load(kept.model_path)
            saved = Model(kept.name)
            if kept.path is not None and kept.path.is_file():
                saved = model_file.load(kept.path)
        except ImpetoError as error:
            self.document.complained.emit(str(error))
            return
        self.document.open(saved, kept.path)
        self.document.edit("recovery of unsaved work", model)
        if kept.case in model.cases:
            self.document.set_case(kept.case)
        opened()
        if kept.view:
            self.window.stage.take_stance(kept.view)
        self.keep()
        kept.forget()


def _read(mark: Path) -> Kept | None:
    """What a mark tells, None where its process still runs or it tells nothing."""
    model_path = mark.with_name(mark.name.removesuffix(MARK) + model_file.SUFFIX)
    try:
        about = json.loads(mark.read_text("utf-8"))
        process, path = int(about["process"]), str(about["path"])
        view = tuple(float(number) for number in about.get("view", ()))
        if len(view) not in (0, 9) or not all(map(math.isfinite, view)):
            return None
        kept = Kept(model_path, mark, Path(path) if path else None, str(about["case"]), view,
                    str(about["name"]), float(about["when"]))  # fmt: skip
    except (OSError, ValueError, KeyError, TypeError):
        return None
    return kept if model_path.is_file() and not _runs(process) else None


def _runs(process: int) -> bool:
    if process == os.getpid():
        return True
    try:
        os.kill(process, 0)
    except ProcessLookupError:
        return False
    except OSError:
        return True
    return True
