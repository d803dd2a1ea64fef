"""Work off the main thread: runs in a thread (the kernels let go of Python), the first compiling
of the kernels in a process of its own."""

from __future__ import annotations

import sys
import time
from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QObject, QProcess, QThread, QTimer, pyqtSignal

from impeto.core.errors import ImpetoError
from impeto.services import warmup

PENDING, RUNNING, CANCELLED, FAILED, DONE = "pending", "running", "cancelled", "failed", "done"
PATIENCE = 150  # ms in which a task may still hand over what it has when it is asked to stop
Progress = Callable[[float, float], bool]  # share done, seconds solved; whether to go on
Task = Callable[[Progress], Any]


class _Worker(QThread):
    """Runs a task and hands back its result or its error; nothing may escape `run`."""

    reported = pyqtSignal(float, float)

    def __init__(self, task: Task) -> None:
        super().__init__()
        self.task = task
        self.stop = False
        self.result: Any = None
        self.error: Exception | None = None
        self._last = 0.0

    def run(self) -> None:
        try:
            self.result = self.task(self._progress)
        except Exception as error:  # would otherwise end the process
            self.error = error

    def _progress(self, share: float, solved: float) -> bool:
        now = time.monotonic()
        if now - self._last > 0.05:
            self._last = now
            self.reported.emit(share, solved)
        return not self.stop


class Job(QObject):
    """One task with progress, cancel and an answer by signals."""

    progressed = pyqtSignal(float, float, float)  # share done, seconds solved, seconds left
    finished = pyqtSignal(object)
    failed = pyqtSignal(str)

    def __init__(self, task: Task, parent: QObject) -> None:
        super().__init__(parent)
        self.state = PENDING
        self._worker = _Worker(task)
        self._worker.reported.connect(self._report)
        self._worker.finished.connect(self._end)
        self._began = 0.0
        self._share = 0.0
        self._left = False

    def start(self) -> None:
        self.state = RUNNING
        self._began = time.monotonic()
        self._worker.start()

    def cancel(self) -> None:
        """Ask the task to stop; what it has done until then is its result."""
        self.state = CANCELLED
        self._worker.stop = True
        if self._share == 0.0:
            QTimer.singleShot(PATIENCE, self._leave)

    def _leave(self) -> None:
        """Answer for a task that has nothing to show yet and does not look up; what it still does
        is thrown away."""
        if self._worker.isRunning() and self._share == 0.0 and not self._left:
            self._left = True
            self.failed.emit("Stopped before anything was solved.")

    def wait(self) -> None:
        """Stop and wait: for closing the window."""
        self.cancel()
        self._worker.wait()

    def _report(self, share: float, solved: float) -> None:
        self._share = max(self._share, share)
        if self._left:
            return
        spent = time.monotonic() - self._began
        self.progressed.emit(share, solved, spent * (1 - share) / share if share > 0 else 0.0)

    def _end(self) -> None:
        self._worker.wait()  # the signal comes a moment before the thread is gone
        error = self._worker.error
        if self._left:
            self.state = CANCELLED
        elif error is None:
            self.state = DONE if self.state == RUNNING else self.state
            self.finished.emit(self._worker.result)
        else:
            self.state = FAILED
            known = isinstance(error, ImpetoError)
            text = str(error) if known else f"Something went wrong inside: {error!r}"
            self.failed.emit(text)
        self._worker.result = None  # a recording must not live as long as the window
        self.deleteLater()


class Preparation(QObject):
    """Compiles the kernels in a process where they are not compiled yet."""

    ready = pyqtSignal()
    failed = pyqtSignal(str)

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self.done = warmup.is_prepared()
        self._process: QProcess | None = None

    def start(self) -> None:
        if self.done:
            self.ready.emit()
            return
        self._process = QProcess(self)
        self._process.finished.connect(self._end)
        self._process.start(sys.executable, ["-m", "impeto", "prepare"])

    def _end(self, status: int) -> None:
        self.done = status == 0
        if self.done:
            self.ready.emit()
        else:
            self.failed.emit("The solver could not be prepared. Run 'impeto prepare' in a shell.")

    def stop(self) -> None:
        if self._process is not None and self._process.state() != QProcess.ProcessState.NotRunning:
            self._process.kill()
            self._process.waitForFinished()
