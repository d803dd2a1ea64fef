"""What can be done with everything that is selected."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from functools import partial

from PyQt6.QtCore import QObject, Qt, pyqtSignal
from PyQt6.QtWidgets import QMessageBox, QWidget

from impeto.app import clipboard
from impeto.app.commands import SELECTION, Command
from impeto.app.document import Document
from impeto.app.showing import bodies_of
from impeto.core.bodies.shapes import COLOURS
from impeto.core.elements import Body, Parameter, Piece
from impeto.core.errors import ModelError
from impeto.core.model.element import GROUND, Element
from impeto.core.model.materials import LIBRARY
from impeto.core.model.model import Model
from impeto.core.model.removing import hanging_on, removed
from impeto.services.python_text import as_python

LISTED = 12


class Selection(QObject):
    """Edits of the selected elements, each one step of undo."""

    told = pyqtSignal(str)

    def __init__(self, document: Document, window: QWidget) -> None:
        super().__init__(window)
        self.document, self.window = document, window

    @property
    def elements(self) -> list[Element]:
        return [self.document.model[name] for name in self.document.chosen]

    @property
    def bodies(self) -> list[str]:
        """The bodies that are selected, or that what is selected is on."""
        names = [n for c in self.document.chosen for n in bodies_of(self.document.model, c)]
        return list(dict.fromkeys(names))

    def title(self) -> str:
        """'crank', or 'crank and 3 more'."""
        return _title(self.document.chosen)

    def remove(self) -> None:
        """Take out what is selected; what hangs on it is listed first and goes with it."""
        model, title = self.document.model, self.title()
        further = hanging_on(model, self.document.chosen)
        try:
            left = removed(model, self.document.chosen)
        except ModelError as error:
            self.document.complained.emit(str(error))
            return
        if further and not self._agrees(title, further):
            return
        self.document.edit(f"removal of {title}", left)
        with_it = f" with {len(further)} that hung on it" if further else ""
        self.told.emit(f"Removed {title}{with_it}. Ctrl+Z brings it back.")

    def _agrees(self, title: str, further: list[str]) -> bool:
        shown = further[:LISTED]
        more = f" and {len(further) - LISTED} more" if len(further) > LISTED else ""
        box = QMessageBox(self.window)
        box.setTextFormat(Qt.TextFormat.PlainText)
        box.setText(f"Remove {title} with what hangs on it?")
        box.setInformativeText(f"{', '.join(shown)}{more}")
        remove = box.addButton("Remove them all", QMessageBox.ButtonRole.AcceptRole)
        box.addButton("Keep", QMessageBox.ButtonRole.RejectRole)
        box.setDefaultButton(remove)
        box.exec()
        agreed = box.clickedButton() is remove
        box.deleteLater()
        return agreed

    def switch(self) -> None:
        """All off in the present case, or all on where none was on."""
        document = self.document
        chosen = [e for e in self.elements if can_switch(e)]
        on = not any(document.is_on(element) for element in chosen)
        document.switch(chosen, on)

    def hide(self) -> None:
        self.document.showing.hide(self.bodies)

    def isolate(self) -> None:
        self.document.showing.isolate(self.document.model, self.bodies)

    def fade(self) -> None:
        self.document.showing.fade(self.bodies)

    def colour(self, colour: str) -> None:
        """Bodies, with all of their shapes."""
        model = self.document.model
        for element in self.elements:
            if isinstance(element, (Body, Piece)):
                shapes = tuple(replace(s, colour="") if s.colour else s for s in element.shapes)
                model = model.with_element(replace(element, colour=colour, shapes=shapes))
        self.document.edit(f"colour of {self.title()}", model)

    def material(self, name: str) -> None:
        """Of all shapes of bodies and pieces."""
        model = self.document.model
        for element in self.elements:
            if isinstance(element, (Body, Piece)):
                shapes = tuple(replace(shape, density=name) for shape in element.shapes)
                model = model.with_element(replace(element, shapes=shapes))
        self.document.edit(f"material of {self.title()}", model)

    def unite(self, ground: bool = False) -> None:
        """Make one body of those that are selected, or parts of the ground."""
        self._gather(self.document.chosen, ground)

    def rest_to_ground(self) -> None:
        """Everything that is still loose becomes part of the ground."""
        self._gather([piece.name for piece in self.document.model.of(Piece)], True)

    def assemble(self) -> None:
        """A body of each assembly of what was brought in."""
        from impeto.core.sorting import assembled

        try:
            model, names = assembled(self.document.model, self.document.case)
        except ModelError as error:
            self.document.complained.emit(str(error))
            return
        if not names:
            self.document.complained.emit("The loose pieces are in no assemblies: choose them.")
            return
        self.document.edit("bodies of assemblies", model)
        self.document.choose([])
        listed = ", ".join(names[:LISTED]) + (" …" if len(names) > LISTED else "")
        self.told.emit(f"{len(names)} bodies: {listed}.{_loose(model)}")

    def _gather(self, chosen: Sequence[str], ground: bool) -> None:
        from impeto.core.sorting import gathered

        names = [*([GROUND] if ground else []), *chosen]
        try:
            model, into, gone = gathered(self.document.model, names, self.document.case)
        except ModelError as error:
            self.document.complained.emit(str(error))
            return
        title = _title(chosen)
        self.document.edit(f"one body of {title}", model)
        self.document.select(into)
        without = f" {', '.join(gone[:LISTED])} held them to each other and went." if gone else ""
        loose = _loose(model)
        self.told.emit(
            f"{title} became one with {into}.{without}{loose}" if ground
            else f"{title} became one body, {into}.{without}{loose}"
        )  # fmt: skip

    def copy(self) -> bool:
        """What is selected, with what connects it, to the clipboard."""
        from impeto.core.pasting import copied

        try:
            part = copied(self.document.model, self.document.chosen)
        except ModelError as error:
            self.document.complained.emit(str(error))
            return False
        clipboard.put(part, self.document.folder)
        more = len(part.elements) - 1 - len(self.document.chosen)
        with_it = f" with {more} that {'is' if more == 1 else 'are'} part of it" if more > 0 else ""
        self.told.emit(f"Copied {self.title()}{with_it}.")
        return True

    def cut(self) -> None:
        """To the clipboard, and out of the model with what hangs on it."""
        if self.copy():
            self.remove()

    def paste(self) -> None:
        """What is on the clipboard, beside what it was copied from."""
        from impeto.core.pasting import pasted

        model = self.document.model
        try:
            model, names = pasted(model, clipboard.taken(self.document.folder, model.geometry))
        except ModelError as error:
            self.document.complained.emit(str(error))
            return
        chosen = _shown(model, names)
        self.document.edit(f"paste of {chosen[0]}", model)
        self.document.choose(chosen)

    def copy_as_python(self) -> None:
        clipboard.put_text(as_python(self.elements))
        self.told.emit(f"{self.title()} is on the clipboard as Python.")


def _shown(model: Model, names: Sequence[str]) -> list[str]:
    """Of what was pasted the bodies, which can be seen, else all of it."""
    bodies = [name for name in names if isinstance(model[name], Body)]
    return bodies or list(names)


def _loose(model: Model) -> str:
    left = len(model.of(Piece))
    return f" {left} pieces are loose." if left > 1 else " One piece is loose." if left else ""


def _title(names: Sequence[str]) -> str:
    first, *more = names
    return f"{first} and {len(more)} more" if more else first


def can_switch(element: Element) -> bool:
    """The ground and parameters are always there, loose pieces never."""
    return element.name != GROUND and not isinstance(element, (Parameter, Piece))


def selection_commands(
    selection: Selection, rename: Callable[[], None], open_sheet: Callable[[], None]
) -> list[Command]:
    """What is done with the selection, in the order of its menu."""
    document = selection.document

    def nothing() -> str:
        return "" if document.chosen else "Nothing is selected: click something first."

    def no_body() -> str:
        if not document.chosen:
            return nothing()
        return "" if selection.bodies else "This is on no body that could be shown."

    def fixed() -> str:
        able = any(can_switch(element) for element in selection.elements)
        return nothing() or ("" if able else "The ground and parameters are always there.")

    def not_one() -> str:
        several = len(document.chosen) > 1
        return nothing() or ("One at a time: select a single element." if several else "")

    def no_own_body() -> str:
        chosen = any(isinstance(element, (Body, Piece)) for element in selection.elements)
        return nothing() or ("" if chosen else "This is for bodies: select some.")

    def no_pieces() -> str:
        return "" if document.model.of(Piece) else "No piece is loose: all belong to bodies."

    def no_copy() -> str:
        return "" if clipboard.has_text() else "No elements are on the clipboard: copy some first."

    def nothing_hidden() -> str:
        some = document.showing.hidden or document.showing.faded
        return "" if some else "Everything is shown."

    return [
        Command("Rename", "F2", rename, SELECTION, not_one),
        Command("Go to its fields", "F4", open_sheet, SELECTION, nothing),
        Command("Remove, with what hangs on it", "Del", selection.remove, SELECTION, nothing),
        Command("Switch on or off", "Ctrl+U", selection.switch, SELECTION, fixed),
        Command("Hide", "Ctrl+H", selection.hide, SELECTION, no_body),
        Command("Show only this", "Ctrl+Shift+H", selection.isolate, SELECTION, no_body),
        Command("Fade or solid", "Ctrl+Alt+F", selection.fade, SELECTION, no_body),
        Command("Show everything", "Ctrl+Alt+H", document.showing.everything, SELECTION,
                nothing_hidden),
        *(
            Command(f"Colour {colour}", "", partial(selection.colour, colour), SELECTION,
                    no_own_body, "Colour")
            for colour in COLOURS
        ),
        *(
            Command(f"Material {name}", "", partial(selection.material, name), SELECTION,
                    no_own_body, "Material")
            for name in LIBRARY
        ),
        Command("Make one body of them", "Ctrl+Shift+U", selection.unite, SELECTION, no_own_body),
        Command("Make them part of the ground", "Ctrl+Shift+G",
                partial(selection.unite, ground=True), SELECTION, no_own_body),
        Command("Make one body of each assembly", "Ctrl+Alt+U", selection.assemble, SELECTION,
                no_pieces),
        Command("Make all loose pieces part of the ground", "Ctrl+Alt+G",
                selection.rest_to_ground, SELECTION, no_pieces),
        Command("Copy, with what connects it", "Ctrl+C", selection.copy, SELECTION, nothing),
        Command("Cut", "Ctrl+X", selection.cut, SELECTION, nothing),
        Command("Paste beside it", "Ctrl+Shift+V", selection.paste, SELECTION, no_copy),
        Command("Copy as Python", "Ctrl+Shift+C", selection.copy_as_python, SELECTION, nothing),
    ]  # fmt: skip
