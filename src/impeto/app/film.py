"""Films of a run: a Stage of its own is drawn picture by picture, the window stays usable."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import ExitStack
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QBuffer, QObject, QRectF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QImage, QPainter

from impeto.app.deck.chart import Chart
from impeto.app.document import Document
from impeto.app.stage.view import StageView
from impeto.app.theme import LIGHT, Theme, font
from impeto.core.elements import Chart as KeptChart
from impeto.core.errors import FileError, ImpetoError
from impeto.core.model.looking import TIMED
from impeto.core.results.recording import Recording
from impeto.services import film_file

MOST = 20_000  # pictures
CHARTS, MOST_CHARTS = 0.36, 3  # of the height of a film; side by side
PORTRAIT = (1200, 700)  # px, of the model in a report


@dataclass(frozen=True)
class Shot:
    """What is filmed. begin, end : s of the run;  speed : seconds of the run in one of the film
    size : px;  rate : pictures a second;  clock : whether the time is written on it"""

    begin: float
    end: float
    speed: float = 1.0
    size: tuple[int, int] = (1280, 720)
    rate: float = 30.0
    clock: bool = True

    def instants(self) -> Iterator[float]:
        """Instants [s] of the run, one a picture."""
        for number in range(self.count):
            yield min(self.begin + number * self.speed / self.rate, self.end)

    @property
    def count(self) -> int:
        return int((self.end - self.begin) / self.speed * self.rate) + 1

    def check(self) -> None:
        """FileError for a shot that cannot be made."""
        if not self.end > self.begin:
            raise FileError("A film needs a span of time: its end is not after its beginning.")
        if not self.speed > 0.0:
            raise FileError("A film cannot stand still: its speed is greater than zero.")
        if self.count > MOST:
            raise FileError(
                f"That would be {self.count:,} pictures, at most {MOST:,} are made: film a shorter "
                "span, or faster."
            )


class Camera:
    """A Stage that nobody sees, as another one looks at the same run; with charts, the first few
    stand side by side below it. span : s, what charts over time show"""

    def __init__(
        self, recording: Recording, size: tuple[int, int], look: Theme = LIGHT,
        like: StageView | None = None, charts: Sequence[KeptChart] = (),
        span: tuple[float, float] | None = None,
    ) -> None:  # fmt: skip
        document = Document(recording.model)
        document.set_case(recording.case)
        document.add_run(recording)
        self.document, self.recording = document, recording
        self.stage = StageView(document, look)
        self.size, self.span = size, span
        high = round(size[1] * (1.0 - CHARTS)) if charts else size[1]
        self.stage.resize(size[0], high)
        shown = charts[:MOST_CHARTS]
        self.charts = [self._chart(kept, len(shown)) for kept in shown]
        self.stage.set_playing(True)
        if like is not None:
            self.stage.vectors.take(like.vectors)
            self.stage.paths[:] = like.paths
            document.showing.hide(like.document.showing.hidden)
            document.showing.fade(like.document.showing.faded)
            self.stage.set_view(like.view)
            if like.stance():
                self.stage.take_stance(like.stance())
            document.set_instant(like.document.instant)
            self.stage.following.choose(like.following.body, like.following.turns)
            self.stage.show_present()
        else:
            self.stage.set_view("oblique")

    def _chart(self, kept: KeptChart, beside: int) -> Chart:
        """One of several side by side, without what is to be clicked."""
        made = Chart(self.document, self.stage.look)
        made.resize(self.size[0] // beside, self.size[1] - self.stage.height())
        made.head.show_tools(False)
        made.take(kept)
        made.ensurePolished()
        made.grab()  # which lays it out, so that its curves know how much room they have
        made.plot.reserve_right(False)
        made.show_all()
        if made.look_at in TIMED and self.span is not None:
            made.plot.getPlotItem().setXRange(*self.span, padding=0.0)
        return made

    def _charted(self, image: QImage) -> QImage:
        """The picture of the Stage with the charts below."""
        whole = QImage(*self.size, QImage.Format.Format_RGB888)
        whole.fill(self.stage.look.colour("paper"))
        painter = QPainter(whole)
        painter.drawImage(0, 0, image)
        for number, chart in enumerate(self.charts):
            painter.drawPixmap(number * chart.width(), self.stage.height(), chart.grab())
        painter.end()
        return whole

    def picture(self, moment: float, clock: bool) -> QImage:
        """The Stage at an instant [s], sharp."""
        self.document.set_instant(moment)
        self.stage.refresh()
        image = self.stage.grab().toImage().convertToFormat(QImage.Format.Format_RGB888)
        if clock:
            painter = QPainter(image)
            painter.setFont(font(15))
            painter.setPen(self.stage.look.colour("ink"))
            box = QRectF(image.rect()).adjusted(20, 16, -20, -16)
            flags = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignBottom
            painter.drawText(box, flags, f"{moment:.3f} s")
            painter.end()
        return self._charted(image) if self.charts else image

    def close(self) -> None:
        for chart in self.charts:
            chart.parts.stop()
            chart.deleteLater()
        self.stage.finish()
        self.stage.deleteLater()


def as_png(image: QImage) -> bytes:
    """A picture as the content of a PNG file."""
    buffer = QBuffer()
    buffer.open(QBuffer.OpenModeFlag.WriteOnly)
    image.save(buffer, "PNG")
    return bytes(buffer.data().data())


def as_bytes(image: QImage) -> bytes:
    """Pixels of a picture, RGB, line by line without gaps."""
    bits = image.constBits()
    assert bits is not None
    lines = np.frombuffer(bytes(bits.asarray(image.sizeInBytes())), dtype=np.uint8)
    lines = lines.reshape(image.height(), image.bytesPerLine())
    return np.ascontiguousarray(lines[:, : 3 * image.width()]).tobytes()


class Filming(QObject):
    """Makes a film, a picture at a time, between what else the window does."""

    progressed = pyqtSignal(float)
    finished = pyqtSignal(str)  # the path
    failed = pyqtSignal(str)

    def __init__(self, camera: Camera, shot: Shot, path: Path, parent: QObject | None) -> None:
        super().__init__(parent)
        self.camera, self.shot, self.path = camera, shot, path
        self._open = ExitStack()
        self._left: Iterator[float] = iter(())
        self._done = 0
        self._timer = QTimer(self)
        self._timer.timeout.connect(self._next)

    def start(self) -> None:
        """Raises FileError for a film that cannot be made."""
        try:
            self.shot.check()
            self._take = self._open.enter_context(
                film_file.film(self.path, self.shot.size, self.shot.rate)
            )
        except ImpetoError:
            self.camera.close()
            raise
        self._left = self.shot.instants()
        self._timer.start(0)

    def _next(self) -> None:
        moment = next(self._left, None)
        try:
            if moment is not None:
                self._take(as_bytes(self.camera.picture(moment, self.shot.clock)))
                self._done += 1
                self.progressed.emit(self._done / self.shot.count)
                return
            self._end()
        except (ImpetoError, OSError) as error:
            self._give_up(error)
            return
        self.finished.emit(str(self.path))

    def _end(self) -> None:
        self._timer.stop()
        self.camera.close()
        self._open.close()

    def cancel(self) -> None:
        """Nothing is left of what was written."""
        if self._timer.isActive():
            self._give_up(FileError("The film was stopped: nothing was written."))

    def _give_up(self, error: Exception) -> None:
        """End the encoder and remove what it has written; it may know better what went wrong."""
        self._timer.stop()
        self.camera.close()
        try:
            self._open.__exit__(type(error), error, error.__traceback__)
        except FileError as told:
            error = told
        self.failed.emit(str(error))
