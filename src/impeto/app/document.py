"""The document: model with undo, case, selection, runs and the instant that is looked at.

Views listen to its signals and change the model through `edit` alone.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from impeto.app.showing import Showing
from impeto.app.unfolded import Unfolded
from impeto.core.elements import Frame
from impeto.core.errors import ImpetoError
from impeto.core.geometry.triangles import Triangles
from impeto.core.model.cases import Case, switched
from impeto.core.model.element import Element
from impeto.core.model.model import Model
from impeto.core.model.scope import find_case
from impeto.core.results.gauges import gauges_with_their_frames
from impeto.core.results.recording import Recording
from impeto.services import meshes, model_file

OWN_FRAMES = ("_a", "_b", "_start", "_end")  # endings of names


@dataclass(frozen=True)
class Run:
    """A recording with the name it goes by in this session."""

    name: str
    recording: Recording


def same(a: Model, b: Model) -> bool:
    """Whether nothing that is kept differs, the order of cases included."""
    return a is b or (a == b and list(a.cases) == list(b.cases))


class Document(QObject):
    """State that all views share."""

    model_changed = pyqtSignal()
    selection_changed = pyqtSignal()
    case_changed = pyqtSignal()
    runs_changed = pyqtSignal()
    run_grew = pyqtSignal()  # the one that is being solved
    instant_changed = pyqtSignal(float)
    span_changed = pyqtSignal()
    complained = pyqtSignal(str)
    previewed = pyqtSignal(object)  # bodies at other places for a moment; None ends that
    made = pyqtSignal(str)  # something new, whose name is to be typed

    def __init__(self, model: Model, path: Path | None = None) -> None:
        super().__init__()
        self.showing = Showing()
        self.arranged: Callable[[Model], Model] = lambda model: model  # with its charts, to be kept
        self.number = 0  # of models opened: work for one before does not belong here
        self._open(model, path)

    def _open(self, model: Model, path: Path | None) -> None:
        self.number += 1
        self.model, self.path = model, path
        self._saved = model
        self._past: list[tuple[str, Model]] = []
        self._future: list[tuple[str, Model]] = []
        self.case = find_case(model, None).name
        self._known = Unfolded(model, self.case)
        self._switches = model, self.case, find_case(model, None).switches  # of a case of it
        self.selected = ""  # what the Sheet shows
        self.chosen: tuple[str, ...] = ()  # all that is selected, that one first
        self.picked = ""  # the member by which it was selected
        self.runs: list[Run] = []
        self.shown_runs: list[str] = []
        self.growing: Run | None = None  # that is being solved
        self._shown_before: list[str] = []  # it was
        self.instant = 0.0
        self.span: tuple[float | None, float | None] = (None, None)  # A and B, s
        self._gauged = gauges_with_their_frames(model)

    # the model

    def open(self, model: Model, path: Path | None) -> None:
        """Put another model in place of this one; what was undone is forgotten."""
        self._open(model, path)
        self.showing.everything()
        for signal in (self.model_changed, self.case_changed, self.selection_changed):
            signal.emit()
        self.runs_changed.emit()
        self.span_changed.emit()
        self.instant_changed.emit(0.0)

    def edit(self, text: str, model: Model) -> None:
        """Take a new model; `text` says what was done, for undo."""
        if same(model, self.model):
            return
        self.model.unfoldings.clear()  # a past one is seldom asked again
        self._past.append((text, self.model))
        self._future.clear()
        self._take(model)

    @property
    def whole(self) -> Model:
        """The model in its present case with members in place of what is repeated; as written
        where that cannot be, which the Health card tells."""
        return self.unfolded.model

    @property
    def drawn(self) -> Model:
        """What the Stage shows: the whole, and loose pieces as if they were bodies."""
        return self.unfolded.drawn

    @property
    def marked(self) -> tuple[str, ...]:
        """What is selected, by the names that Stage and Map have for it: the member by which it was
        picked, else all members."""
        others = self.chosen[1:] if self.picked else self.chosen
        first = (self.picked,) if self.picked else ()
        return (*first, *(name for other in others for name in self.unfolded.marked(other)))

    def original(self, name: str) -> str:
        """What is repeated as a member of that name; of anything else its own."""
        return self.unfolded.originals.get(name, name)

    @property
    def unfolded(self) -> Unfolded:
        """The model with members, and which they are."""
        if not self._known.fits(self.model, self.case):
            self._known = Unfolded(self.model, self.case)
        return self._known

    def edit_element(self, element: Element) -> None:
        """Put an element in the place of the one of its name."""
        self.edit(f"change of {element.name}", self.model.with_element(element))

    def edit_case(self, **changes: object) -> None:
        """Change the present case."""
        case: Case = replace(self.model.cases[self.case], **changes)  # type: ignore[arg-type]
        self.edit(f"change of case {case.name}", self.model.with_case(case))

    def rename_case(self, old: str, new: str) -> None:
        """Another name for a case, for those built on it too. Raises ModelError."""
        model = self.model.renamed_case(old, new)
        if self.case == old:
            self.case = new
        self.edit(f"renaming of case {old}", model)
        self.case_changed.emit()

    def remove_case(self, name: str) -> None:
        """Those built on it keep its changes. Raises ModelError for the last one."""
        self.edit(f"removal of case {name}", self.model.without_case(name))

    @property
    def can_undo(self) -> bool:
        return bool(self._past)

    @property
    def can_redo(self) -> bool:
        return bool(self._future)

    def undo(self) -> str:
        """Take back the last edit; its text, or '' when there is none."""
        return self._step(self._past, self._future)

    def redo(self) -> str:
        return self._step(self._future, self._past)

    def _step(self, source: list[tuple[str, Model]], target: list[tuple[str, Model]]) -> str:
        if not source:
            return ""
        text, model = source.pop()
        target.append((text, self.model))
        self._take(model)
        return text

    def _take(self, model: Model) -> None:
        self.model = model
        if self.case not in model.cases:
            self.case = find_case(model, None).name
            self.case_changed.emit()
        self.choose([name for name in self.chosen if name in model.elements])
        self._read_anew()
        self.model_changed.emit()

    def _read_anew(self) -> None:
        """Let runs be read by the gauges that the model has now."""
        known = gauges_with_their_frames(self.model)
        if self.runs and known != self._gauged:
            self.runs = [Run(r.name, r.recording.gauging(self.model)) for r in self.runs]
            self.runs_changed.emit()
        self._gauged = known

    def add_geometry(self, read: dict[str, Triangles]) -> None:
        """Surfaces read from the files that the model names: nothing to undo."""
        changed = self.model.changed(geometry={**self.model.geometry, **read})
        if self._saved is self.model:
            self._saved = changed
        self._take(changed)

    @property
    def folder(self) -> Path:
        """Where the paths in the model begin."""
        return self.path.parent if self.path is not None else Path.cwd()

    @property
    def dirty(self) -> bool:
        return not same(self.model, self._saved)

    def save(self, path: Path) -> bool:
        """Write the model; on failure say why, keep everything, and return False."""
        try:
            arranged = self.arranged(self.model)
            moved = meshes.moved_meshes(arranged, self.folder, path.parent)
            model_file.save(moved, path)
        except (ImpetoError, OSError) as error:
            self.complained.emit(str(error))
            return False
        self.path, self.model, self._saved = path, moved, moved
        self.model_changed.emit()
        return True

    # what is looked at

    def select(self, name: str, beside: bool = False) -> None:
        """Select one element, '' for none; beside : with what is selected already, or no more."""
        if not beside or not name:
            self.choose([name] if name else [])
        elif name in self.chosen:
            self.choose([other for other in self.chosen if other != name])
        else:
            self.choose([*self.chosen, name])

    def choose(self, names: Sequence[str]) -> None:
        """Select several elements; the Sheet shows what they have in common. A member of what is
        repeated stands for that."""
        picked = names[0] if names and self.original(names[0]) != names[0] else ""
        names = list(dict.fromkeys(map(self.original, names)))
        if (tuple(names), picked) != (self.chosen, self.picked):
            self.picked = picked
            self.chosen = tuple(names)
            self.selected = self.chosen[0] if self.chosen else ""
            self.selection_changed.emit()

    def rename(self, old: str, new: str) -> None:
        """Give an element another name, everywhere. Raises ModelError."""
        members = self.unfolded.members
        model = self.model.renamed(old, new, members.get(old, ()))
        for ending in OWN_FRAMES:  # frames that were made with it
            frame = model.elements.get(f"{old}{ending}")
            if isinstance(frame, Frame) and f"{new}{ending}" not in model.elements:
                model = model.renamed(frame.name, f"{new}{ending}", members.get(frame.name, ()))
        self.chosen = tuple(new if name == old else name for name in self.chosen)
        self.selected = self.chosen[0] if self.chosen else ""
        self.edit(f"renaming of {old}", model)
        self.selection_changed.emit()

    def make(self, text: str, model: Model, name: str) -> None:
        """Take a model with something new in it, which is selected and to be named."""
        self.edit(text, model)
        self.select(name)
        self.made.emit(name)

    def amend(self, model: Model) -> None:
        """Take another model for the last edit, which stays one step of undo."""
        if self._past and model != self.model:
            self._take(model)

    def set_case(self, name: str) -> None:
        if name != self.case and name in self.model.cases:
            self.case = name
            self.case_changed.emit()

    def is_on(self, element: Element) -> bool:
        """Whether an element takes part in the present case."""
        model, case, switches = self._switches
        if model is not self.model or case != self.case:  # kept: each row asks at each edit
            switches = find_case(self.model, self.case).switches
            self._switches = self.model, self.case, switches
        return switches.get(element.name, element.enabled)

    def switch(self, elements: Sequence[Element], on: bool) -> None:
        """Elements on or off in the present case."""
        cases = self.model.cases
        changed = switched(cases, cases[self.case], elements, on)
        self.edit(f"change of case {self.case}", self.model.with_case(changed))

    @property
    def run(self) -> Run | None:
        """The latest run that is shown."""
        return self.shown[-1] if self.shown else None

    @property
    def shown(self) -> list[Run]:
        """The runs that are shown, the one that is being solved last."""
        runs = self.runs if self.growing is None else [*self.runs, self.growing]
        return [run for run in runs if run.name in self.shown_runs]

    def add_run(self, recording: Recording) -> None:
        """Keep a run; it is shown beside those that are shown already only when asked for."""
        number = sum(run.recording.case == recording.case for run in self.runs) + 1
        recording = recording.gauging(self.model)
        name = recording.case if number == 1 else f"{recording.case} {number}"
        self.runs.append(Run(name, recording))
        self.shown_runs = [name]
        self.runs_changed.emit()
        self.set_instant(min(self.instant, float(recording.time[-1])))

    def grow(self, recording: Recording) -> None:
        """Show what is solved so far of the run that goes on: its newest instant, unless one before
        is looked at."""
        before, newest = self.growing, float(recording.time[-1])
        follows = before is None or self.instant >= float(before.recording.time[-1])
        self.growing = Run(f"{recording.case}, solving", recording.gauging(self.model))
        if before is None:
            self._shown_before = self.shown_runs
            self.shown_runs = [self.growing.name]
            self.runs_changed.emit()
        else:
            self.run_grew.emit()
        self.set_instant(newest if follows else self.instant)

    def end_growing(self) -> None:
        """The run that went on has ended, however: back to its start from its newest instant."""
        if self.growing is not None:
            followed = self.instant >= float(self.growing.recording.time[-1])
            self.growing = None
            if followed:
                self.set_instant(0.0)
            self.shown_runs = self._shown_before
            self.runs_changed.emit()

    def show_run(self, name: str, shown: bool) -> None:
        names = [run.name for run in self.runs]
        chosen = set(self.shown_runs) | {name} if shown else set(self.shown_runs) - {name}
        self.shown_runs = [n for n in names if n in chosen]
        self.runs_changed.emit()

    def set_span(self, a: float | None, b: float | None) -> None:
        """Set A and B, between which differences are taken, figures are read and playing loops; the
        earlier one is A."""
        self.span = (b, a) if a is not None and b is not None and b < a else (a, b)
        self.span_changed.emit()

    def set_instant(self, time: float) -> None:
        """Move playback and all cursors to a time [s]."""
        self.instant = time
        self.instant_changed.emit(time)
