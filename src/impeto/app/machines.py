"""Where several cases, and studies, are solved: on this machine or by the workers of a cluster."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QObject, QSettings, pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QFormLayout, QHBoxLayout, QVBoxLayout, QWidget

from impeto.app.dialog import Dialog
from impeto.app.sheet.line import Line
from impeto.app.theme import Theme
from impeto.app.widgets import button, wrapped

HERE = "on this machine"
ABOUT = (
    "Leave the address empty to solve on this machine. Workers of a Dask scheduler need the same "
    "version of Impeto; docs/cluster.md says in a page how to start them. Recordings go through a "
    "folder that all machines have; figures of many values need none."
)


class Machines(QObject):
    """What was chosen, kept for the next time."""

    changed = pyqtSignal()

    def __init__(self, settings: QSettings) -> None:
        super().__init__()
        self._settings = settings

    @property
    def address(self) -> str:
        """Of the scheduler, '' for this machine."""
        return str(self._settings.value("scheduler", ""))

    @property
    def folder(self) -> str:
        """That all machines have, '' for none."""
        return str(self._settings.value("shared folder", "")) if self.address else ""

    @property
    def said(self) -> str:
        return f"by the workers of {self.address}" if self.address else HERE

    def choose(self, address: str, folder: str) -> None:
        self._settings.setValue("scheduler", address.strip())
        self._settings.setValue("shared folder", folder.strip())
        self.changed.emit()


class MachinesDialog(Dialog):
    """The address of a scheduler, and whether it answers."""

    def __init__(self, machines: Machines, look: Theme, parent: QWidget) -> None:
        super().__init__("Where runs are solved", look, parent)
        self.resize(520, 260)
        self.machines = machines
        self.address, self.folder = Line(""), Line("")
        self.address.setAccessibleName("Dask scheduler")
        self.address.setPlaceholderText("this machine, or tcp://10.0.0.5:8786")
        self.folder.setAccessibleName("Shared folder")
        self.folder.setPlaceholderText("for recordings, the same path on all machines")
        self.use, self.look_for = button("Use", "run"), button("Choose …", "link")
        self.told = wrapped("", "soft")
        layout, form = QVBoxLayout(self), QFormLayout()
        layout.addWidget(wrapped(ABOUT, "soft"))
        folder = QHBoxLayout()
        folder.addWidget(self.folder, 1)
        folder.addWidget(self.look_for)
        form.addRow("Scheduler", self.address)
        form.addRow("Folder", folder)
        layout.addLayout(form)
        layout.addWidget(self.told)
        layout.addStretch()
        row = QHBoxLayout()
        row.addStretch()
        row.addWidget(self.use)
        layout.addLayout(row)
        self.use.clicked.connect(self.take)
        self.look_for.clicked.connect(self.choose_folder)

    def renew(self) -> None:
        self.address.setText(self.machines.address)
        self.folder.setText(self.machines.folder)
        self.told.setText(f"Now solved {self.machines.said}.")

    def choose_folder(self) -> None:
        chosen = QFileDialog.getExistingDirectory(self, "A folder that all machines have")
        if chosen:
            self.folder.setText(chosen)

    def take(self) -> None:
        """Use it, if it answers."""
        address, folder = self.address.text().strip(), self.folder.text()
        if not address:
            self.machines.choose("", folder)
            self.told.setText(f"Solved {HERE} from now on.")
            return
        self.told.setText("Looking for workers …")

        def task(_progress: Callable[[float, float], bool]) -> int:
            from impeto.services.workers.cluster import Cluster

            found = Cluster(address)
            try:
                return found.count
            finally:
                found.close()

        def answered(count: int) -> None:
            self.machines.choose(address, folder)
            said = (
                "1 worker answers: it solves"
                if count == 1
                else f"{count} workers answer: they solve"
            )
            self.told.setText(f"{said} from now on.")

        self.start(task, answered)

    def complain(self, text: str) -> None:
        self.told.setText(text)
