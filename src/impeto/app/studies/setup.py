"""What is to be tried out, as it is typed: parameters with their values, how, and how many."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import QSignalBlocker, pyqtSignal
from PyQt6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QHeaderView,
    QSpinBox,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from impeto.app.document import Document
from impeto.app.widgets import button, label, plain_table
from impeto.core.elements import FigureOf, Fit, Optimisation, Parameter, ParameterSweep, Varied
from impeto.core.errors import ModelError
from impeto.core.model import formula
from impeto.core.model.quantity import Quantity
from impeto.core.model.scope import Scope, find_case
from impeto.core.model.studies import GLOBAL, GRID, HYPERCUBE, LOCAL, SOBOL

SWEEP, SLOPES, BEST, TRADE = "sweep", "sensitivities", "best values", "two figures together"
SCATTER, FIT = "where scatter comes from", "fit to a curve"
STUDY, KEPT = "study", "kept …"
MOST = 1_000_000
NARROW = 11  # letters of boxes that hold names
ROWS = 104  # px of the table of parameters


class Setup(QWidget):
    """A line for each parameter; what is kept in the model comes first."""

    changed = pyqtSignal()

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.document = document
        self.kind, self.sampling, self.figure = QComboBox(), QComboBox(), QComboBox()
        self.other, self.case = QComboBox(), QComboBox()
        for box, name, texts in (
            (self.kind, "What to find", (SWEEP, SLOPES, SCATTER, BEST, TRADE, FIT)),
            (self.sampling, "Which points", (GRID, HYPERCUBE, SOBOL)),
            (self.figure, "Figure", ()), (self.other, "Against", ()),
            (self.case, "Case that is varied", ()),
        ):  # fmt: skip
            box.setAccessibleName(name)
            box.addItems(texts)
        self.kept = QComboBox()
        self.kept.setAccessibleName("Kept in the model")
        self.kept.textActivated.connect(self.take_kept)
        self.add = QComboBox()
        self.add.setAccessibleName("Add a parameter")
        self.add.textActivated.connect(self.add_parameter)
        for box in (self.kept, self.add, self.case):
            box.setSizeAdjustPolicy(
                QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon
            )
            box.setMinimumContentsLength(NARROW)
        self.points = QSpinBox()
        self.points.setAccessibleName("How many runs")
        self.points.setRange(1, MOST)
        self.points.setValue(64)
        self.points.setSuffix(" runs")
        self.table = plain_table(("parameter", "values"), "Varied parameters")
        self.table.setEditTriggers(self.table.EditTrigger.AllEditTriggers)
        self.table.setMaximumHeight(ROWS)
        head = self.table.horizontalHeader()
        assert head is not None
        head.setSectionResizeMode(1, QHeaderView.ResizeMode.Stretch)
        self.remove = button("Remove", "link")
        self.remove.clicked.connect(self.remove_parameter)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        top, self.against = QHBoxLayout(), label("against", "soft")
        for widget in (label("Find", "soft"), self.kind, self.sampling, self.points,
                       label("figure", "soft"), self.figure, self.against, self.other,
                       label("in case", "soft"), self.case):  # fmt: skip
            top.addWidget(widget)
        top.addStretch()
        layout.addLayout(top)
        second = QHBoxLayout()
        for choice in (self.kept, self.add):
            second.addWidget(choice)
        second.addWidget(self.remove)
        second.addStretch()
        layout.addLayout(second)
        layout.addWidget(self.table)
        self.kind.currentTextChanged.connect(self._suit)
        self.sampling.currentTextChanged.connect(self._suit)
        self.figure.currentTextChanged.connect(self._other)
        self.other.currentTextChanged.connect(self.changed)
        self._suit()

    def _suit(self) -> None:
        """Only what matters for what is to be found."""
        kind = self.kind.currentText()
        if kind == BEST and self.sampling.findText(LOCAL) < 0:
            self._choices(self.sampling, (LOCAL, GLOBAL))
        elif kind != BEST and self.sampling.findText(GRID) < 0:
            self._choices(self.sampling, (GRID, HYPERCUBE, SOBOL))
        self.sampling.setVisible(kind in (SWEEP, BEST))
        grid = self.sampling.currentText() == GRID  # each parameter says how many
        for widget in (self.against, self.other):
            widget.setVisible(kind == TRADE)
        self.points.setVisible(kind in (BEST, TRADE, SCATTER) or (kind == SWEEP and not grid))
        self.renew()
        self.changed.emit()

    def _other(self, name: str) -> None:
        """Another figure; of a fit, what it varies."""
        if self.kind.currentText() == TRADE:
            self.renew()  # the other one is another
        found = self.document.model.elements.get(name)
        if isinstance(found, Fit):
            self._list(found.vary)
        self.changed.emit()

    def _list(self, vary: tuple[Varied, ...]) -> None:
        self.table.setRowCount(0)
        for varied in vary:
            self._append(varied.parameter, varied.values)

    def _choices(self, box: QComboBox, texts: tuple[str, ...]) -> None:
        with QSignalBlocker(box):
            box.clear()
            box.addItems(texts)

    def renew(self) -> None:
        """From the model: its figures and parameters; the sweep or search that it keeps, where
        nothing is typed yet."""
        model, chosen = self.document.model, self.figure.currentText()
        wanted = Fit if self.kind.currentText() == FIT else FigureOf
        figures = [element.name for element in model.of(wanted)]
        self._choices(self.figure, tuple(figures))
        if chosen in figures:
            with QSignalBlocker(self.figure):
                self.figure.setCurrentText(chosen)
        elif wanted is Fit and figures:
            self._other(figures[0])
        others, second = [name for name in figures if name != chosen], self.other.currentText()
        self._choices(self.other, tuple(others))
        if second in others:
            with QSignalBlocker(self.other):
                self.other.setCurrentText(second)
        self._choices(self.add, ("+ parameter", *(p.name for p in model.of(Parameter))))
        case = self.case.currentText() or self.document.case
        self._choices(self.case, tuple(model.cases))
        if case in model.cases:
            self.case.setCurrentText(case)
        kept = self._kept_ones()
        self._choices(self.kept, (KEPT, *(study.name for study in kept)))
        self.kept.setVisible(bool(kept))
        if self.table.rowCount() == 0 and kept:
            self.take(kept[0])

    def _kept_ones(self) -> list[ParameterSweep | Optimisation]:
        model = self.document.model
        return [*model.of(ParameterSweep), *model.of(Optimisation)]

    def take_kept(self, name: str) -> None:
        """One of those that the model keeps, by its name."""
        for study in self._kept_ones():
            if study.name == name:
                self.take(study)

    def take(self, study: ParameterSweep | Optimisation) -> None:
        """Show one that the model keeps."""
        searches = TRADE if getattr(study, "against", None) else BEST
        self.kind.setCurrentText(SWEEP if isinstance(study, ParameterSweep) else searches)
        self._list(study.vary)
        scope = Scope(self.document.model)
        if study.case in self.document.model.cases:
            self.case.setCurrentText(study.case)
        if isinstance(study, ParameterSweep):
            self.sampling.setCurrentText(study.sampling)
            self.points.setValue(int(scope.si(study.points, "number")))
        else:
            self.sampling.setCurrentText(study.method)
            self.figure.setCurrentText(study.figure)
            self.other.setCurrentText(study.against or self.other.currentText())
            self.points.setValue(int(scope.si(study.runs, "number")))

    def add_parameter(self, name: str) -> None:
        """A line with values about the present one."""
        self.add.setCurrentIndex(0)
        if name not in self.document.model.elements:
            return
        value = self._present(name)
        if formula.names(value.node):
            self.document.complained.emit(
                f"{name} is a formula of other parameters: vary those instead."
            )
            return
        ends = (f"0.8*({value.text})", f"1.2*({value.text})")
        try:
            number, unit = value.text.split(maxsplit=1)
            ends = tuple(f"{float(number) * share:.6g} {unit}" for share in (0.8, 1.2))  # type: ignore[assignment]
        except ValueError:
            pass  # a bare number, or what is worked out: as a formula of that
        self._append(name, f"{ends[0]} : {ends[1]} : 9")

    def _present(self, name: str) -> Quantity:
        parameter = self.document.model[name]
        assert isinstance(parameter, Parameter)
        case = find_case(self.document.model, self.case.currentText())
        value = case.values.get(name, parameter.value)
        assert isinstance(value, Quantity)
        return value

    def _append(self, name: str, values: str) -> None:
        row = self.table.rowCount()
        self.table.setRowCount(row + 1)
        for column, text in enumerate((name, values)):
            self.table.setItem(row, column, QTableWidgetItem(text))

    def remove_parameter(self) -> None:
        self.table.removeRow(max(self.table.currentRow(), 0))

    def _second(self) -> str:
        if not self.other.currentText():
            raise ModelError("it takes two figures", remedy="Add another one on the Compare desk")
        return self.other.currentText()

    @property
    def vary(self) -> tuple[Varied, ...]:
        texts = []
        for row in range(self.table.rowCount()):
            items = [self.table.item(row, column) for column in (0, 1)]
            texts.append([item.text().strip() if item is not None else "" for item in items])
        return tuple(Varied(parameter=name, values=values) for name, values in texts if name)

    def study(self, name: str = STUDY) -> ParameterSweep | Optimisation | Fit:
        """As it is typed. Raises ModelError."""
        points, case = self.points.value(), self.case.currentText()
        if self.kind.currentText() in (BEST, TRADE):
            trades = self.kind.currentText() == TRADE
            return Optimisation(
                name=name, vary=self.vary, figure=self.figure.currentText(),
                against=self._second() if trades else None, runs=points, case=case,
                method=LOCAL if trades else self.sampling.currentText(),
            )  # fmt: skip
        kept = self.document.model.elements.get(self.figure.currentText())
        if self.kind.currentText() == FIT:
            if not isinstance(kept, Fit):
                raise ModelError(
                    "the model has no fit yet",
                    remedy="Add one in the Roster: it says which channel follows which curve",
                )
            return replace(kept, name=name if name != STUDY else kept.name, vary=self.vary)
        return ParameterSweep(name=name, vary=self.vary, points=points, case=case,
                              sampling=self.sampling.currentText())  # fmt: skip
