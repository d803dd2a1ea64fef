"""The Sheet: the form of the selected element, or of the model where nothing is selected."""

from __future__ import annotations

import contextlib
from dataclasses import replace
from typing import Any

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import (
    QApplication,
    QHBoxLayout,
    QLineEdit,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from impeto.app import glyphs
from impeto.app.describe import kind_of
from impeto.app.document import Document
from impeto.app.sheet.case_part import CasePart
from impeto.app.sheet.checks import check_change
from impeto.app.sheet.context import FormContext
from impeto.app.sheet.editors import QuantityEditor, TextEditor
from impeto.app.sheet.form import Form
from impeto.app.sheet.freedom_strip import FreedomStrip
from impeto.app.sheet.last_run import add_last_run
from impeto.app.sheet.members import add_members
from impeto.app.sheet.pose_slider import PoseSliders
from impeto.app.sheet.several import SeveralForm
from impeto.app.theme import Theme
from impeto.app.widgets import button, label, panel, wrapped
from impeto.core.assembly.resolve import body_mass
from impeto.core.contact.model import NEVER
from impeto.core.drives.model import AtFreedom, Powered
from impeto.core.dynamics.signals import signal_node, signal_of
from impeto.core.elements import Body, ContactRule, Joint, Parameter
from impeto.core.errors import ModelError
from impeto.core.model import units
from impeto.core.model.cases import AS_SET
from impeto.core.model.element import GROUND, Element
from impeto.core.model.fields import as_quantity
from impeto.core.model.scope import Scope
from impeto.core.model.signals import Constant
from impeto.core.overlaps import pairs_of

SHOWN_PAIRS = 12


class Glyph(QWidget):
    """The selected element's glyph beside its name."""

    def __init__(self, element: Element, look: Theme) -> None:
        super().__init__()
        self.element, self.look = element, look
        self.setFixedSize(22, 22)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        glyphs.draw_element(
            painter, self.rect().toRectF().adjusted(2, 2, -2, -2), self.element, self.look
        )
        painter.end()


class Sheet(QScrollArea):
    """Rebuilt from the model after each change; keeps the focus and what was unfolded."""

    def __init__(self, document: Document, look: Theme) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setMinimumWidth(270)
        self.document, self.look = document, look
        self.unfolded: set[str] = set()
        self._shown: tuple[str, ...] = ()
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(0)
        self._later.timeout.connect(self.rebuild)
        for signal in (
            document.model_changed,
            document.case_changed,
            document.selection_changed,
            document.runs_changed,
        ):
            signal.connect(self._later.start)
        self.rebuild()

    def set_look(self, look: Theme) -> None:
        self.look = look
        self.rebuild()

    def rebuild(self) -> None:
        """Show the selected element as the model has it now."""
        focus, marked = self._focus_name()
        bar = self.verticalScrollBar()
        assert bar is not None
        same = self._shown == self.document.chosen
        scrolled = bar.value() if same else 0
        if not same:
            self.unfolded.clear()
        self._shown = self.document.chosen
        content = panel("panel")
        content.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        layout = QVBoxLayout(content)
        layout.setContentsMargins(14, 12, 14, 12)
        layout.setSpacing(8)
        try:
            scope = Scope(self.document.model, self.document.case)
            element = self.document.model.elements.get(self.document.selected)
            if len(self.document.chosen) > 1:
                layout.addWidget(SeveralForm(self.document, self._context(scope)))
            elif element is None:
                self._add_model(layout, scope)
            else:
                self._add_element(layout, scope, element)
        except ModelError as error:
            layout.addWidget(wrapped(str(error), "bad"))
        layout.addStretch()
        self.setWidget(content)
        bar.setValue(scrolled)
        self._restore_focus(focus, marked)

    def _focus_name(self) -> tuple[str, bool]:
        """Of what has the focus here, and whether all of its text is marked."""
        focus = QApplication.focusWidget()
        if focus is None or not self.isAncestorOf(focus):
            return "", False
        marked = isinstance(focus, QLineEdit) and focus.selectedText() == focus.text()
        return focus.accessibleName(), marked

    def _restore_focus(self, name: str, marked: bool) -> None:
        if not name:
            return
        for editor in self.findChildren(QWidget):
            if editor.accessibleName() == name:
                editor.setFocus()
                if isinstance(editor, QLineEdit):
                    editor.setCursorPosition(len(editor.text()))
                    if marked:
                        editor.selectAll()
                return

    def edit_name(self) -> None:
        """The name has the focus, marked, so that typing replaces it."""
        self._rebuild_now()
        for line in self.findChildren(QLineEdit, "name"):
            line.setFocus()
            line.selectAll()

    def edit_fields(self) -> None:
        """The first value of what is selected has the focus, else its first field."""
        self._rebuild_now()
        lines: list[QLineEdit] = [editor.line for editor in self.findChildren(QuantityEditor)]
        lines += [line for form in self.findChildren(Form) for line in form.findChildren(QLineEdit)]
        if lines:
            lines[0].setFocus()
            lines[0].selectAll()

    def _rebuild_now(self) -> None:
        """Before the window comes to it by itself."""
        if self._later.isActive():
            self._later.stop()
            self.rebuild()

    def _context(self, scope: Scope) -> FormContext:
        return FormContext(
            scope, self.document.complained.emit, self.unfolded, self._later.start, self.look
        )

    # an element

    def _add_element(self, layout: QVBoxLayout, scope: Scope, element: Element) -> None:
        head = QHBoxLayout()
        head.addWidget(Glyph(element, self.look))
        name = TextEditor(element.name, self._rename, "Name")
        name.setObjectName("name")
        name.setReadOnly(element.name == GROUND)
        head.addWidget(name)
        remove = button("remove", "link")
        remove.setAccessibleName(f"Remove {element.name}")
        remove.setVisible(element.name != GROUND)
        remove.clicked.connect(self._remove)
        head.addWidget(remove)
        layout.addLayout(head)
        layout.addWidget(wrapped(self._about(element, scope), "soft"))
        add_members(layout, self.document, element)
        if isinstance(element, Joint):
            strip = FreedomStrip(
                element.motions,
                self._notes(element),
                lambda free: self._change(self._with_free(element, free)),
                self.look,
                element.special,
            )
            layout.addWidget(strip)
        if isinstance(element, Parameter):
            self._add_parameter(layout, scope, element)
        else:
            layout.addWidget(Form(element, self._change, self._context(scope)))
        if isinstance(element, Joint) and element.coordinates and scope.on(element):
            with contextlib.suppress(ModelError):  # the Health card says what is wrong with it
                layout.addWidget(PoseSliders(self.document, element))
        if isinstance(element, ContactRule):
            self._add_pairs(layout, element)
        if self.document.run is not None:
            picked = self.document.whole.elements.get(self.document.picked, element)
            add_last_run(layout, self.document.run, picked, self.look)

    def _add_pairs(self, layout: QVBoxLayout, rule: ContactRule) -> None:
        """What the rule comes to: how many pairs of bodies, and which."""
        if rule.effect == NEVER:
            return
        pairs = pairs_of(self.document.model, rule.name, self.document.case)
        layout.addWidget(label(f"{len(pairs)} pair{'' if len(pairs) == 1 else 's'}", "caption"))
        lines = [f"{a} – {b}" for a, b in pairs[:SHOWN_PAIRS]]
        if len(pairs) > SHOWN_PAIRS:
            lines.append(f"and {len(pairs) - SHOWN_PAIRS} more")
        layout.addWidget(wrapped("\n".join(lines) or "no bodies with shapes fit", "soft"))

    def _about(self, element: Element, scope: Scope) -> str:
        text = kind_of(element)
        if isinstance(element, Body) and element.name != GROUND:
            data = body_mass(scope, element)
            inertia = "  ".join(units.digits(v) for v in data.inertia.diagonal())
            center = "  ".join(units.digits(round(v, 9)) for v in data.center)
            text += (
                f" of {units.shown(data.mass, 'mass')}\ncentre {center} m\ninertia {inertia} kg·m²"
            )
        if isinstance(element, Joint):
            model = self.document.whole
            a, b = model.elements.get(element.frame_a), model.elements.get(element.frame_b)
            if a is not None and b is not None:
                text += f", {getattr(a, 'body', '?')} to {getattr(b, 'body', '?')}"
        return text

    def _notes(self, joint: Joint) -> dict[str, str]:
        """What is on each free motion: 'driven', 'spring'."""
        notes = {part.freedom: part.title.split(" ")[0] for part in joint.behaviours}
        for element in self.document.model.of(AtFreedom):
            if element.joint == joint.name and self.document.is_on(element):
                driven = isinstance(element, Powered) or notes.get(element.freedom) == "driven"
                notes[element.freedom] = "driven" if driven else "brake"
        return notes

    @staticmethod
    def _with_free(joint: Joint, free: tuple[str, ...]) -> Joint:
        kept = tuple(b for b in joint.behaviours if b.freedom in free)
        return replace(joint, free=free, behaviours=kept)

    def _add_parameter(self, layout: QVBoxLayout, scope: Scope, element: Parameter) -> None:
        plain = Scope(self.document.model.changed(cases=()), None)
        form = Form(element, self._change, self._context(plain), kind="any")
        layout.addWidget(form)
        case = self.document.model.cases[self.document.case]
        otherwise = f"as in {case.built_on}" if case.built_on else AS_SET
        layout.addWidget(label(f"In case {case.name}", "caption"))

        def change_in_case(value: Any) -> None:
            values = {k: v for k, v in case.values.items() if k != element.name}
            if value is not None:
                values[element.name] = value
            self.document.edit_case(values=values)

        layout.addWidget(
            QuantityEditor(
                case.values.get(element.name), "any", scope, change_in_case, "Value in case",
                True, otherwise,
            )
        )  # fmt: skip
        used = self.document.model.users_of(element.name)
        layout.addWidget(wrapped(f"Used by {', '.join(used) or 'nothing yet'}", "hint"))

    # the model itself

    def _add_model(self, layout: QVBoxLayout, scope: Scope) -> None:
        model = self.document.model
        name = TextEditor(
            model.name, lambda text: self.document.edit("renaming", model.changed(name=text)),
            "Model name",
        )  # fmt: skip
        name.setObjectName("name")
        layout.addWidget(name)
        layout.addWidget(
            wrapped("Select something on the Stage or in the Roster to edit it.", "soft")
        )
        layout.addWidget(label("Run settings", "caption"))
        layout.addWidget(
            Form(
                model.settings,
                lambda new: self.document.edit("run settings", model.changed(settings=new)),
                self._context(scope),
            )
        )
        layout.addWidget(CasePart(self.document, self._context(scope), self._later.start))

    # edits

    def _change(self, element: Element) -> None:
        """Take an edited element; ModelError where parameters would define each other, or a signal
        does not fit."""
        if isinstance(element, Parameter):
            changed = self.document.model.with_element(element)
            Scope(changed, self.document.case).parameter(element.name)
        if hasattr(element, "signal_kind"):
            element = self._with_fitting_zero(element)
            old = self.document.model.elements.get(element.name)
            if old is not None and signal_of(element) != signal_of(old):
                signal_node(Scope(self.document.model, self.document.case), element)
        check_change(self.document, element)
        self.document.edit_element(element)

    def _with_fitting_zero(self, element: Element) -> Element:
        """A constant zero takes the unit of what the element asks for now."""
        old = self.document.model.elements.get(element.name)
        field, signal = signal_of(element)
        kind = element.signal_kind  # type: ignore[attr-defined]
        if old is None or old.signal_kind == kind or not isinstance(signal, Constant):  # type: ignore[attr-defined]
            return element
        value = Scope(self.document.model, self.document.case).value(
            as_quantity(signal.value, kind)
        )
        zero = Constant(value=f"0 {units.KINDS[kind].si}")
        changes: Any = {field: zero}
        return replace(element, **changes) if float(value.si) == 0.0 else element

    def _rename(self, text: str) -> None:
        old = self.document.selected
        try:
            self.document.rename(old, text)
        except ModelError as error:
            self.document.complained.emit(str(error))
            self._later.start()

    def _remove(self) -> None:
        name = self.document.selected
        try:
            self.document.edit(f"removal of {name}", self.document.model.without(name))
        except ModelError as error:
            self.document.complained.emit(str(error))
