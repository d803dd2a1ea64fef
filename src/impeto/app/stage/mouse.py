"""What the mouse and the keys do on the Stage."""

from __future__ import annotations

from typing import Protocol

import numpy as np
import numpy.typing as npt
from PyQt6.QtCore import QPoint, QRect, Qt, pyqtBoundSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QWheelEvent

from impeto.app.stage import camera
from impeto.app.stage.canvas import Canvas
from impeto.app.stage.dragging import Dragging
from impeto.app.stage.handles import Handles
from impeto.app.stage.pointing import Pointing
from impeto.core.model.element import GROUND

Floats = npt.NDArray[np.float64]
WHEEL = 6000.0  # of the wheel, for a section to pass through everything
CLICK = 4  # pixels that a click may wander
LEFT, RIGHT = Qt.MouseButton.LeftButton, Qt.MouseButton.RightButton
CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier
ALT = Qt.KeyboardModifier.AltModifier
STEPS = {
    Qt.Key.Key_Left: (-8, 0), Qt.Key.Key_Right: (8, 0), Qt.Key.Key_Up: (0, 6),
    Qt.Key.Key_Down: (0, -6),
}  # fmt: skip


class Widget(Canvas, Protocol):
    """The Stage as its mouse knows it."""

    pointing: Pointing
    handles: Handles
    turned: bool
    menu_asked: pyqtBoundSignal

    def element_at(self, here: QPoint) -> str: ...
    def width(self) -> int: ...
    def height(self) -> int: ...
    def mapToGlobal(self, here: QPoint) -> QPoint: ...
    def update(self) -> None: ...


class Mouse:
    """A click picks or selects, a drag turns or shifts the view; with Ctrl it drags a body, with
    Alt it selects all within a rectangle, and on a handle it moves that."""

    def __init__(self, stage: Widget) -> None:
        self.stage = stage
        self.dragging = Dragging(stage, stage.document)
        self._press = self._last = QPoint()
        self._grabbed: tuple[str, Floats] | None = None
        self.band: QRect | None = None  # the rectangle in which bodies are being selected

    def pressed(self, event: QMouseEvent) -> None:
        stage = self.stage
        here = self._press = self._last = event.position().toPoint()
        if event.button() == LEFT and event.modifiers() & ALT:
            self.band = QRect(here, here)
            return
        if event.button() != LEFT or stage.document.run is not None:
            return
        handle = stage.handles.at(here)
        if handle is not None:
            stage.handles.begin(handle, here)
        elif event.modifiers() & CTRL:
            self._grabbed = stage.scene.hit(here.x(), here.y(), stage.width(), stage.height())

    def moved(self, event: QMouseEvent) -> None:
        stage, here = self.stage, event.position().toPoint()
        dx, dy = here.x() - self._last.x(), here.y() - self._last.y()
        wandered = (here - self._press).manhattanLength() > CLICK
        if not event.buttons():
            stage.pointing.look(here)
        if not event.buttons() or not wandered:
            return
        if self.band is not None:
            self.band.setBottomRight(here)
            stage.update()
            return
        if stage.handles.held is not None:
            stage.handles.to(here)
            return
        if self._drags(here):
            return
        self._last, stage.turned = here, True
        if event.buttons() & LEFT and not event.modifiers() & SHIFT:
            camera.orbit(stage.scene.camera, 0.4 * dx, 0.4 * dy)
        else:
            camera.pan(stage.scene.camera, dx, dy, stage.height())
        stage.refresh(moving=True)

    def _drags(self, here: QPoint) -> bool:
        """Whether a body is dragged, which begins with the first move."""
        if self._grabbed is None:
            return False
        if self.dragging.posing is None and not self.dragging.begin(*self._grabbed):
            self._grabbed = None
            return False
        self.dragging.to(here)
        return True

    def released(self, event: QMouseEvent) -> None:
        stage, here = self.stage, event.position().toPoint()
        self._grabbed = None
        if self.band is not None:
            band, self.band = self.band.normalized(), None
            self._select_within(band, bool(event.modifiers() & CTRL))
            return
        if stage.handles.held is not None:
            stage.handles.end()
        elif self.dragging.posing is not None:
            self.dragging.end()
        elif (here - self._press).manhattanLength() <= CLICK:
            self._clicked(event, here)

    def _select_within(self, band: QRect, beside: bool) -> None:
        """Bodies whose middle lies in a rectangle; beside : with those selected already."""
        stage, document = self.stage, self.stage.document
        names, middles = list[str](), list[list[float]]()
        for name in stage.scene.actors:
            box = stage.scene.body_bounds(name)
            if box is not None and name != GROUND and stage.shows(name):
                names.append(name)
                middles.append([(box[k] + box[k + 1]) / 2 for k in (0, 2, 4)])
        flat = stage.to_screen(np.array(middles).reshape(-1, 3)).astype(int).tolist()
        within = [n for n, (x, y) in zip(names, flat, strict=True) if band.contains(x, y)]
        document.choose([*(document.chosen if beside else ()), *within])
        stage.update()

    def _clicked(self, event: QMouseEvent, here: QPoint) -> None:
        stage = self.stage
        found = stage.element_at(here)
        if event.button() == RIGHT:  # of what is there, which is selected unless it was already
            if stage.document.original(found) not in stage.document.chosen:
                stage.document.select(found)
            stage.menu_asked.emit(stage.mapToGlobal(here))
        elif not stage.pointing.clicked(here, bool(event.modifiers() & SHIFT)):
            stage.document.select(found, bool(event.modifiers() & CTRL))

    def wheeled(self, event: QWheelEvent) -> None:
        if event.modifiers() & CTRL and self.stage.scene.section is not None:
            self.stage.scene.shift_cut(event.angleDelta().y() / WHEEL)
            self.stage.refresh(moving=True)
            return
        self.stage.turned = True
        camera.zoom(self.stage.scene.camera, 1.0015 ** event.angleDelta().y())
        self.stage.refresh(moving=True)

    def key(self, event: QKeyEvent) -> bool:
        """Arrows turn the view, + and − zoom; False for other keys."""
        if event.key() in STEPS:
            camera.orbit(self.stage.scene.camera, *STEPS[Qt.Key(event.key())])
        elif event.key() in (Qt.Key.Key_Plus, Qt.Key.Key_Minus):
            nearer = event.key() == Qt.Key.Key_Plus
            camera.zoom(self.stage.scene.camera, 1.15 if nearer else 1 / 1.15)
        else:
            return False
        self.stage.turned = True
        self.stage.refresh(moving=True)
        return True
