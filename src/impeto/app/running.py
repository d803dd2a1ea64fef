"""Runs that are asked for in the window: one or all cases, off the main thread, and their end."""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QObject, QTimer, pyqtSignal
from PyQt6.QtWidgets import QWidget

from impeto.app.document import Document
from impeto.app.jobs import Job
from impeto.app.machines import Machines
from impeto.core.errors import ImpetoError
from impeto.core.results.recording import Recording
from impeto.services.scratch import Scratch

if TYPE_CHECKING:  # with what is needed to solve, which takes a moment
    from impeto.services.case_runs import CaseWatch

LOOK_EVERY, PAINTED, SELDOM = 400, 150, 10_000  # ms
MOST_SPENT = 0.06  # of the time: drawing what is solved so far
BETWEEN = 0.2  # s between two looks at how far cases are
MOST_SHOWN, MOST_TOLD = 6, 4  # runs over each other, and sentences on cases that failed


class Running(QObject):
    """One job at a time."""

    began = pyqtSignal()
    progressed = pyqtSignal(float, float, float)
    ended = pyqtSignal()  # however
    solved = pyqtSignal(object)  # a recording
    failed = pyqtSignal(str)
    settled = pyqtSignal(float)  # so far: the share of the forces that is not balanced
    advanced = pyqtSignal(object)  # shares done by case, where several are solved
    grew = pyqtSignal(object)  # a recording of what is solved so far
    _case_ended = pyqtSignal(int, object)  # number of the document, a recording: from the thread

    def __init__(self, document: Document, window: QWidget, machines: Machines) -> None:
        super().__init__(window)
        self.document, self.machines = document, machines
        self._cases: CaseWatch | None = None  # those that are solved together
        self.job: Job | None = None
        self._so_far: Callable[[], Recording | None] | None = None
        self._settling: Callable[[], Any] | None = None
        self._shown = 0  # runs of cases that are solved together
        self._previewed = False  # bodies are shown on their way to the equilibrium
        self._number = 0  # of the document that the run is of
        self._busy = 0.0  # CPU time [s] of this thread at the last look
        self._looks = QTimer(self)
        self._looks.setSingleShot(True)
        self._looks.timeout.connect(self._look)
        self._case_ended.connect(self._take_case)

    def _look(self) -> None:
        """Show what is solved so far, and again after so long that drawing it, during which Python
        is not free for the run, costs that next to nothing."""
        if self._so_far is None:
            return
        self._busy = time.thread_time()
        mine = self._number == self.document.number
        recording = self._so_far() if mine else None
        if recording is not None:
            self._rest()
            self.grew.emit(recording)
        elif mine and self._settling is not None and (now := self._settling()) is not None:
            self.settled.emit(now.unbalanced)
            self._previewed = True
            self.document.previewed.emit(now.places())
        QTimer.singleShot(PAINTED, self._look_again)

    def _rest(self) -> None:
        """Bodies are where they are again."""
        if self._previewed:
            self._previewed = False
            self.document.previewed.emit(None)

    def _look_again(self) -> None:
        if self._so_far is not None:
            spent = 1e3 * (time.thread_time() - self._busy)
            self._looks.start(int(min(max(LOOK_EVERY, spent / MOST_SPENT), SELDOM)))

    def run(self) -> None:
        """Solve the present case in a thread."""
        if self.job is not None:
            return
        from impeto.core.simulate import Live

        model, case, room = self.document.model, self.document.case, Scratch()
        live = Live()

        def solve(progress: Callable[[float, float], bool]) -> Recording:
            from impeto.core.simulate import simulate  # in the thread of the run

            return simulate(model, case, progress=progress, allocate=room.allocate, live=live)

        def finish(recording: Recording) -> None:
            self._tell(recording)
            if room.note:
                self.failed.emit(room.note)

        self._so_far, self._number = live.so_far, self.document.number
        self._settling = lambda: live.settling
        self._start(solve, finish)
        self._looks.start(LOOK_EVERY)

    def run_cases(self, names: Sequence[str]) -> None:
        """Solve cases, in a process each or by the workers of a cluster; each ends by itself."""
        if self.job is not None or not names:
            return
        model, number = self.document.model, self.document.number
        address, folder = self.machines.address or None, self.machines.folder

        def solve(progress: Callable[[float, float], bool]) -> dict[str, ImpetoError]:
            from impeto.services.case_runs import CaseWatch, files_of, simulate_cases

            last = [0.0]

            def told(share: float, solved: float) -> bool:
                if time.monotonic() - last[0] > BETWEEN:
                    last[0] = time.monotonic()
                    self.advanced.emit(watch.shares)
                return progress(share, solved)

            self._cases = watch = CaseWatch(names, told)
            problems = dict[str, ImpetoError]()
            files = files_of(names, Path(folder)) if folder else None
            simulate_cases(
                model, names, None, None, watch, address, files, problems=problems,
                ended=lambda _case, recording: self._case_ended.emit(number, recording),
            )  # fmt: skip
            self.advanced.emit(watch.shares)
            return problems

        self._shown = 0
        self._start(solve, self._all_ended)

    def stop_case(self, name: str) -> None:
        """End one of the cases that are solved together; what is solved of it is kept."""
        if self._cases is not None and name in self._cases.cases:
            self._cases.stop(name)

    def _start(self, solve: Callable[..., Any], done: Callable[[Any], None]) -> None:
        job, number = Job(solve, self), self.document.number
        self.job = job
        job.progressed.connect(self.progressed)
        job.finished.connect(lambda result: self._ended(number, done, result))
        job.failed.connect(self._failed)
        self.began.emit()
        job.start()

    def _ended(self, number: int, done: Callable[[Any], None], result: Any) -> None:
        """Take the result of a run, unless another model has been opened meanwhile."""
        self._end()
        if number == self.document.number:
            done(result)

    def _failed(self, text: str) -> None:
        self._end()
        self.failed.emit(text)

    def _end(self) -> None:
        self.job = self._so_far = self._settling = self._cases = None
        self._rest()
        self._looks.stop()
        self.document.end_growing()
        self.ended.emit()

    def _take_case(self, number: int, recording: Recording) -> None:
        """A case has ended while others go on: it is shown beside those before it."""
        if number == self.document.number:
            before = self.document.shown_runs if self._shown else []
            self._tell(recording)
            self._shown += 1
            for name in before[: MOST_SHOWN - 1]:
                self.document.show_run(name, True)

    def _all_ended(self, problems: dict[str, ImpetoError]) -> None:
        told = [f"{case}: {problem}" for case, problem in problems.items()]
        if len(told) > MOST_TOLD:
            told = [*told[:MOST_TOLD], f"and {len(told) - MOST_TOLD} more cases failed."]
        if told:
            self.failed.emit(" ".join(told))

    def _tell(self, recording: Recording) -> None:
        """A run that has ended, and motors that were too weak in it."""
        from impeto.core.results.sizing import stalls

        self.solved.emit(recording)
        for sentence in stalls(recording):
            self.failed.emit(f"{recording.case}: {sentence}")

    def stop(self) -> None:
        if self.job is not None:
            self.job.cancel()
