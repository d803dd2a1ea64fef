"""What is opened beside the window."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QWidget

from impeto.app.deck.flag_list import FlagList
from impeto.app.deck.flags import Flags
from impeto.app.desks.watch import WatchPanel
from impeto.app.dialog import Dialogs
from impeto.app.document import Document
from impeto.app.jobs import Job
from impeto.app.machines import Machines, MachinesDialog
from impeto.app.stage.view import StageView
from impeto.app.theme import Theme
from impeto.core.elements import Chart

REPORTS = "Page (*.html);;Pages to print (*.pdf)"


class Beside:
    """Dialogs that stay open while one works in the window."""

    def __init__(
        self, window: QWidget, document: Document, stage: StageView, watch: WatchPanel,
        show_desk: Callable[[str], None], tell: Callable[[str], None],
        run_cases: Callable[[list[str]], None], machines: Machines,
    ) -> None:  # fmt: skip
        self.tell, self.run_cases, self.machines = tell, run_cases, machines
        self.window, self.document, self.stage = window, document, stage
        self.watch, self.show_desk = watch, show_desk
        self.dialogs = Dialogs()

    @property
    def look(self) -> Theme:
        return self.stage.look

    def linear_view(self) -> None:
        """Modes and frequency response."""
        from impeto.app.linear_dialog import LinearDialog

        def make() -> LinearDialog:
            return LinearDialog(self.document, self.stage, self.look, self.window)

        self.dialogs.open(LinearDialog, make).find_modes()

    def clearance(self) -> None:
        """How near two bodies come, on a chart of its own."""
        from impeto.app.clearance_dialog import ClearanceDialog

        def make() -> ClearanceDialog:
            dialog = ClearanceDialog(self.document, self.look, self.window)
            dialog.found.connect(self._chart)
            return dialog

        self.dialogs.open(ClearanceDialog, make)

    def studies(self) -> None:
        """Sweeps, sensitivities and best values."""
        from impeto.app.studies.dialog import StudyDialog

        def make() -> StudyDialog:
            dialog = StudyDialog(self.document, self.machines, self.look, self.window)
            dialog.run_asked.connect(self.run_cases)
            dialog.machines_asked.connect(self.choose_machines)
            return dialog

        self.dialogs.open(StudyDialog, make)

    def choose_machines(self) -> None:
        """This one, or the workers of a cluster."""
        self.dialogs.open(
            MachinesDialog, lambda: MachinesDialog(self.machines, self.look, self.window)
        )

    def masses(self) -> None:
        """What every body weighs, and those that are selected together."""
        from impeto.app.mass_dialog import MassDialog

        def make() -> MassDialog:
            return MassDialog(self.document, self.stage, self.look, self.window)

        self.dialogs.open(MassDialog, make)

    def list_flags(self, flags: Flags) -> None:
        """What happened in the run, by kind."""
        self.show_desk("Watch")
        self.dialogs.open(FlagList, lambda: FlagList(self.document, flags, self.look, self.window))

    def energy_flow(self) -> None:
        """What gave and what took energy, from A to B or over the whole run."""
        from impeto.app.energy_dialog import EnergyDialog

        self.show_desk("Watch")
        self.dialogs.open(EnergyDialog, lambda: EnergyDialog(self.document, self.look, self.window))

    def film(self) -> None:
        """A film of the run that is shown."""
        from impeto.app.film_dialog import FilmDialog

        def make() -> FilmDialog:
            def charted() -> tuple[Chart, ...]:
                return self.watch.as_kept(self.document.model)

            dialog = FilmDialog(self.document, self.stage, charted, self.look, self.window)
            dialog.told.connect(self.tell)
            return dialog

        self.dialogs.open(FilmDialog, make)

    def report(self, path: Path | None = None) -> None:
        """On the model and the runs that are shown, with the channels on the charts."""
        runs = {r.name: r.recording for r in self.document.runs}
        shown = {name: runs[name] for name in self.document.shown_runs}
        if path is None:
            found, _ = QFileDialog.getSaveFileName(
                self.window, "Write a report", "report.html", REPORTS
            )
            if not found:
                return
            path = Path(found)
        from impeto.app.film import PORTRAIT, Camera, as_png
        from impeto.app.printing import write

        camera = Camera(next(iter(shown.values())), PORTRAIT, like=self.stage)
        picture = as_png(camera.picture(self.document.instant, clock=False))
        camera.close()
        model, channels, target = self.document.model, list(self.watch.table.channels), path
        job = Job(lambda _progress: write(target, model, shown, channels, picture), self.window)
        job.finished.connect(lambda _result: self.tell(f"Written to {target.name}."))
        job.failed.connect(self.document.complained)
        job.start()

    def picture(self) -> None:
        """The Stage as it is, to a file."""
        from impeto.app.still import FILTER, still

        path, _ = QFileDialog.getSaveFileName(
            self.window, "Save the picture of the Stage", "stage.png", FILTER
        )
        if path and still(self.stage, Path(path), self.document.complained.emit):
            self.tell(f"Written to {Path(path).name}.")

    def chart_picture(self) -> None:
        """The chart that was used last, to a file."""
        from impeto.app.still import FILTER, chart_picture

        chart = self.watch.active
        if chart is None:
            return
        path, _ = QFileDialog.getSaveFileName(
            self.window, "Save the picture of the chart", "chart.svg", FILTER
        )
        if path and chart_picture(chart, Path(path), self.document.complained.emit):
            self.tell(f"Written to {Path(path).name}.")

    def help(self, desk: str) -> None:
        """The page of what is selected, else of the present desk."""
        from impeto.app.help.dialog import HelpDialog
        from impeto.app.help.pages import title_of

        dialog = self.dialogs.open(HelpDialog, lambda: HelpDialog(self.look, self.window))
        chosen = self.document.model.elements.get(self.document.selected)
        dialog.turn_to(title_of(type(chosen)) if chosen is not None else f"{desk} desk")

    def _chart(self, name: str) -> None:
        self.show_desk("Watch")
        self.watch.add_chart().add(name)
