"""The picture of the solids behind everything that is painted on the Stage: as sharp as there is
time for."""

from __future__ import annotations

import time
from typing import Any

from PyQt6.QtCore import QTimer
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QWidget

from impeto.app.stage.scene import Scene

SMOOTH = 0.05  # s that smooth edges may take before a picture comes without them first
SHARP = 0.03  # s that a moving picture may take before it is drawn at half the resolution
SETTLE = 260  # ms after the last movement until the sharp picture


class Backdrop:
    """Drawn anew when it is asked for after `renew`; measures what pictures cost."""

    def __init__(self, scene: Scene, widget: QWidget) -> None:
        self.scene, self.widget = scene, widget
        self._image = QImage()
        self._pixels: Any = None  # that the image looks at
        self._stale, self._moving = True, False
        self._smooth_cost = 0.0  # s, of the last picture with smooth edges
        self._cost = 0.0  # s, of a moving picture at full resolution
        self._later = QTimer(widget)
        self._later.setSingleShot(True)
        self._later.setInterval(SETTLE)
        self._later.timeout.connect(self._sharpen)

    def renew(self, moving: bool) -> None:
        """Something has changed; while things move, or where smooth edges take long, those come a
        moment later."""
        self._stale, self._moving = True, moving or self._smooth_cost > SMOOTH
        if self._moving:
            self._later.start()
        self.widget.update()

    def _sharpen(self) -> None:
        self._stale, self._moving = True, False
        self.widget.update()

    def image(self) -> QImage:
        """The picture at the size of the widget."""
        if self._stale:
            self._render()
        return self._image

    def _render(self) -> None:
        coarse = self._moving and self._cost > SHARP
        ratio = self.widget.devicePixelRatioF() * (0.5 if coarse else 1.0)
        width = max(int(self.widget.width() * ratio), 8)
        height = max(int(self.widget.height() * ratio), 8)
        began = time.perf_counter()
        self._pixels = self.scene.render(width, height, not self._moving)
        if self._moving:  # what a sharp one costs, by its pixels; long ones are forgotten slowly
            spent = (time.perf_counter() - began) * (4.0 if coarse else 1.0)
            self._cost = max(spent, 0.9 * self._cost)
        else:
            self._smooth_cost = time.perf_counter() - began
        self._image = QImage(
            self._pixels.data, width, height, 4 * width, QImage.Format.Format_RGBX8888
        )
        self._stale = False
