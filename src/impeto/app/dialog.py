"""Windows beside the work: made once, following the theme, with jobs that end when they close."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeVar

from PyQt6.QtGui import QHideEvent
from PyQt6.QtWidgets import QDialog, QWidget

from impeto.app.jobs import Job, Task
from impeto.app.theme import Theme


class Dialog(QDialog):
    """Base of all dialogs. `renew` is called whenever it is opened; hiding it stops its job."""

    def __init__(self, title: str, look: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(title)
        self.look = look
        self.job: Job | None = None

    def renew(self) -> None:
        """Show what is so now."""

    def set_look(self, look: Theme) -> None:
        """Other colours; the style sheet of the application does the rest."""
        self.look = look

    def complain(self, text: str) -> None:
        """What a job says that could not be done."""

    def start(self, task: Task, done: Callable[[Any], None]) -> bool:
        """Do a task off the main thread, then show its result; False while another is going on."""
        if self.job is not None:
            return False

        def ended(answer: Callable[[Any], None], value: Any) -> None:
            self.job = None
            if self.isVisible():
                answer(value)

        self.job = Job(task, self)
        self.job.finished.connect(lambda result: ended(done, result))
        self.job.failed.connect(lambda text: ended(self.complain, text))
        self.job.start()
        return True

    def hideEvent(self, event: QHideEvent | None) -> None:
        if self.job is not None:
            self.job.cancel()
        super().hideEvent(event)


D = TypeVar("D", bound=Dialog)


class Dialogs:
    """The dialogs of a window, each made when it is first asked for."""

    def __init__(self) -> None:
        self._made: dict[type[Dialog], Dialog] = {}

    def ready(self, kind: type[D], make: Callable[[], D]) -> D:
        """The dialog of a kind, renewed."""
        dialog = self._made.get(kind)
        if not isinstance(dialog, kind):
            dialog = self._made[kind] = make()
        dialog.renew()
        return dialog

    def open(self, kind: type[D], make: Callable[[], D]) -> D:
        """Show the dialog of a kind beside the work."""
        dialog = self.ready(kind, make)
        dialog.show()
        dialog.raise_()
        dialog.activateWindow()
        return dialog

    def set_look(self, look: Theme) -> None:
        for dialog in self._made.values():
            dialog.set_look(look)

    def close(self) -> None:
        """For closing the window."""
        for dialog in self._made.values():
            dialog.close()
            if dialog.job is not None:
                dialog.job.wait()
