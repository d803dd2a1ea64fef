"""The Stage: the picture of the scene in a plain widget, with badges, arrows and paths on top."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt
from PyQt6.QtCore import QPoint, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import (
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QResizeEvent,
    QWheelEvent,
)
from PyQt6.QtWidgets import QWidget

from impeto.app.document import Document
from impeto.app.showing import is_empty
from impeto.app.stage import axes, camera, flow, overlay, touch, trace
from impeto.app.stage.backdrop import Backdrop
from impeto.app.stage.badges import Badges
from impeto.app.stage.following import Following
from impeto.app.stage.ghost import Ghost
from impeto.app.stage.handles import Handles
from impeto.app.stage.mouse import Mouse
from impeto.app.stage.onion import Onion
from impeto.app.stage.places import Places
from impeto.app.stage.pointing import Pointing
from impeto.app.stage.resolution import Resolution
from impeto.app.stage.scene import Scene
from impeto.app.stage.vectors import Vectors
from impeto.app.theme import Theme
from impeto.core.elements import Joint
from impeto.core.errors import ModelError
from impeto.core.joints.paths import path_points
from impeto.core.model.scope import Scope
from impeto.core.results.poses import poses, present_at

Floats = npt.NDArray[np.float64]


class StageView(QWidget):
    """Shows the model as written, or the shown run at the document's instant."""

    view_changed = pyqtSignal(str)
    menu_asked = pyqtSignal(QPoint)

    def __init__(self, document: Document, look: Theme) -> None:
        super().__init__()
        self.setAccessibleName("Stage")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(260, 200)
        self.document, self.look = document, look
        self.scene = Scene(look)
        self.ghost, self.following = Ghost(self.scene, document), Following(self.scene.camera)
        self.onion = Onion(self.scene, document)
        self.show_badges, self.show_frames, self.skeleton = True, False, False
        self._plays = False
        self.vectors, self.tells = Vectors(), True
        self.paths: list[str] = []
        self.traced_by = ""  # see trace.paint_traces
        self.view = "oblique"
        self.backdrop = Backdrop(self.scene, self)
        self._fitted = False
        self.turned = False  # by hand: the view is not to refit by itself any more
        self.flow_badges: dict[str, QPointF] = {}  # as they were drawn last
        self.places = Places()
        self.resolution = Resolution(self, self)
        self.weighed: Floats | None = None  # centre of what is weighed together, world
        self.badges = Badges(self)
        self.pointing = Pointing(self, self)
        self.pointing.changed.connect(self._take_in_picks)
        self.handles = Handles(self, document, self.pointing.finder)
        self.mouse = Mouse(self)
        self.setMouseTracking(True)
        document.model_changed.connect(self.rebuild)
        document.case_changed.connect(self.rebuild)
        document.runs_changed.connect(self._repose)
        document.instant_changed.connect(self._repose)
        document.selection_changed.connect(self._reselect)
        document.showing.changed.connect(self._repose)
        document.span_changed.connect(self._repose)
        document.previewed.connect(self._preview)
        self.rebuild()

    def set_look(self, look: Theme) -> None:
        self.look = look
        self.scene.set_look(look)
        self.refresh()

    # content

    def rebuild(self) -> None:
        """Take over the model: solids, frames, poses."""
        try:
            scope = Scope(self.document.drawn, self.document.case)
        except ModelError:
            return  # the Roster tells
        self.ghost.clear()
        self.onion.clear()
        for complaint in self.scene.build(scope.model, scope):
            self.document.complained.emit(complaint)
        self.pointing.forget()
        self.flow_badges = {}
        try:
            self.places.read(self.document.drawn, scope)
            self._widen(scope)
        except ModelError as error:
            self.document.complained.emit(str(error))
        self.scene.select(self.document.marked)
        self._repose()
        if not self._fitted:
            self.set_view(self.view)
        elif not self.turned:  # as long as nobody has chosen a view, show everything
            self.fit()

    def set_playing(self, on: bool) -> None:
        """Badges step out of the picture while a run plays."""
        self._plays = on
        self.refresh()

    def set_skeleton(self, on: bool) -> None:
        """Sticks, frames, joints and centres of mass in place of solids, which are faint."""
        self.skeleton = on
        self._repose()

    def _widen(self, scope: Scope) -> None:
        """Let the view take in frames and paths beside the solids."""
        points = list(self.places.frame_points(list(self.places.frames)))
        for joint in self.document.drawn.of(Joint):
            place = self.frame_place(joint.frame_a)
            if joint.followed is not None and place is not None:
                along = path_points(scope, self.document.drawn[joint.followed], 20)
                points += list(place[0] + along @ place[1].T)
        if points:
            self.scene.widen(np.array(points))

    def _repose(self, _time: float = 0.0) -> None:
        """Bodies to their places: of the shown run, or as written where there is none."""
        self.places.back()
        run, there = self.document.run, dict[str, bool]()
        masters = run.recording.system.mechanism.masters if run is not None else {}
        self.scene.set_copies(masters)
        if run is not None:
            there = present_at(run.recording, self.document.instant)
            origins, rotations = poses(run.recording, self.document.instant)
            for name, row in run.recording.bodies.items():
                if row and (name in self.places.placed or name in masters):
                    self.places.placed[name] = origins[row], rotations[row]
        showing, originals = self.document.showing, self.document.unfolded.originals
        fed = set(masters.values())  # fades while its copies are shown
        for name, (origin, rotation) in self.places.placed.items():
            self.scene.place(name, origin, rotation)
            faded = name in fed or originals.get(name, name) in showing.faded or self.skeleton
            shown = not showing.hidden or self.shows(masters.get(name, name))
            self.scene.show(name, there.get(name, True) and shown, faded)
        self.following.step(self.places.placed)
        self.ghost.follow()
        self.onion.follow()
        self.refresh(moving=run is not None)

    def place_bodies(self, placed: dict[str, tuple[Floats, Floats]]) -> None:
        """Show bodies somewhere else for a moment, as a mode does; `show_present` ends that."""
        self.places.placed |= {
            name: place for name, place in placed.items() if name in self.places.placed
        }
        for name, (origin, rotation) in placed.items():
            self.scene.place(name, origin, rotation)
        self.refresh(moving=True)

    def _preview(self, placed: dict[str, tuple[Floats, Floats]] | None) -> None:
        if placed is None:
            self._repose()
        else:
            self.place_bodies(placed)

    def show_present(self) -> None:
        """Bodies where the run or the drawing has them."""
        self._repose()

    def _reselect(self) -> None:
        self.scene.select(self.document.marked)
        self.onion.follow()
        self.refresh()

    def refresh(self, moving: bool = False) -> None:
        """Draw again; coarse while things move, sharp a moment later."""
        self.backdrop.renew(moving)

    def set_view(self, view: str) -> None:
        """One of camera.VIEWS, with everything in sight."""
        self.view = view
        camera.look_from(self.scene.camera, view, self.scene.bounds, self._aspect)
        self._fitted = True
        self.view_changed.emit(view)
        self.refresh()

    def stance(self) -> list[float]:
        """Nine numbers of the view that was chosen by hand, none where it was not."""
        return camera.stance(self.scene.camera) if self.turned else []

    def take_stance(self, numbers: Sequence[float]) -> None:
        """The view that `stance` told."""
        camera.take_stance(self.scene.camera, numbers)
        self._fitted = self.turned = True
        self.refresh()

    def _take_in_picks(self) -> None:
        """What is being drawn stays in sight, as long as nobody has chosen a view."""
        points = [pick.point for pick in self.pointing.picks]
        if self.turned or len(points) < 2:
            return
        if is_empty(self.document.model):
            low, high = np.min(points, axis=0), np.max(points, axis=0)
            around = 0.3 * float((high - low).max())
            bounds = np.column_stack([low - around, high + around]).ravel()
            camera.fit(self.scene.camera, tuple(map(float, bounds)), self._aspect)
        else:
            self.scene.widen(np.array(points))
            camera.fit(self.scene.camera, self.scene.bounds, self._aspect)
        self.refresh()

    @property
    def _aspect(self) -> float:
        return self.width() / max(self.height(), 1)

    def fit(self) -> None:
        camera.fit(self.scene.camera, self.scene.bounds, self._aspect)
        self.refresh()

    def finish(self) -> None:
        """Wait for what is under way and give the drawing memory back."""
        self.resolution.finish()
        self.scene.close()

    # geometry on the picture

    def frame_place(self, name: str) -> tuple[Floats, Floats] | None:
        """Origin and axes of a frame in the world, or None when it is off."""
        return self.places.frame(name)

    def body_place(self, name: str) -> tuple[Floats, Floats]:
        """Origin and axes of a body in the world."""
        return self.places.placed[name]

    def written_place(self, name: str) -> tuple[Floats, Floats]:
        """Origin and axes of a body as drawn."""
        return self.places.written[name]

    def body_middle(self, name: str) -> Floats:
        """A point (3,) to stand for a body: the middle of its solids, else its origin."""
        bounds = self.scene.body_bounds(name)
        if bounds is None:
            return self.places.placed[name][0]
        return np.array([(bounds[2 * k] + bounds[2 * k + 1]) / 2 for k in range(3)])

    @property
    def reach(self) -> float:
        """Largest side [m] of the box around everything."""
        bounds = self.scene.bounds
        return max(bounds[2 * k + 1] - bounds[2 * k] for k in range(3))

    def to_screen(self, points: Floats) -> Floats:
        """(N, 2) pixels of (N, 3) world points."""
        matrix = self.scene.projection(self._aspect)
        flat = np.column_stack([points, np.ones(len(points))]) @ matrix.T
        flat = flat[:, :2] / flat[:, 3:]
        return np.column_stack(
            [(flat[:, 0] + 1) / 2 * self.width(), (1 - flat[:, 1]) / 2 * self.height()]
        )

    def badge_places(self) -> dict[str, QPointF]:
        """Where the badge of each joint is drawn."""
        return self.badges.places()

    def badge_at(self, here: QPoint) -> str:
        """The joint whose badge is at a pixel, the first of a crowd, or ''."""
        badge = self.badges.at(here)
        return badge.names[0] if badge is not None else ""

    def looks(self) -> Floats:
        """(3,) unit vector from the viewer into the picture, world."""
        return np.array(self.scene.camera.GetDirectionOfProjection())

    def ray(self, here: QPoint) -> tuple[Floats, Floats]:
        """(3,) a point and (3,) the unit direction of the line of sight through a pixel, world."""
        inverse = np.linalg.inv(self.scene.projection(self._aspect))
        x, y = 2.0 * here.x() / self.width() - 1.0, 1.0 - 2.0 * here.y() / self.height()
        ends = np.array([[x, y, depth, 1.0] for depth in (-1.0, 1.0)]) @ inverse.T
        near, far = ends[:, :3] / ends[:, 3:]
        return near, (far - near) / np.linalg.norm(far - near)

    @property
    def grid_step(self) -> float:
        return self.scene.grid.step

    def mass_centre(self, name: str) -> Floats:
        document = self.document
        return self.places.mass_centre(document.drawn, document.case, name)

    def shows(self, name: str) -> bool:
        showing = self.document.showing
        return not showing.hidden or showing.shows(
            self.document.model, self.document.original(name)
        )

    # painting

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.drawImage(QRectF(self.rect()), self.backdrop.image())
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        overlay.paint_elements(painter, self)
        trace.paint_traces(painter, self, self.paths, self.traced_by)
        if self.skeleton:
            axes.paint_skeleton(painter, self)
        if self.show_badges and not self._plays:
            self.badges.paint(painter)
        if self.weighed is not None:
            axes.paint_centre(painter, self, self.weighed)
        marked = self.document.marked
        for name in self.places.frames:
            chosen = name in marked
            if (self.show_frames or chosen) and self.shows(name):
                axes.paint_frame(painter, self, name, chosen)
        touch.paint_contacts(painter, self)
        if self.document.run is None:
            self.resolution.paint(painter)
            self.pointing.paint(painter)
            self.handles.paint(painter)
        self.vectors.paint(painter, self)
        axes.paint_triad(painter, self, self.height())
        if self.mouse.band is not None:
            axes.paint_band(painter, self, self.mouse.band)
        painter.end()

    # mouse and keys

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        if not self.turned:  # as long as nobody has chosen a view, show everything
            camera.fit(self.scene.camera, self.scene.bounds, self._aspect)
        self.refresh()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self.mouse.pressed(event)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self.mouse.moved(event)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self.mouse.released(event)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        self.mouse.wheeled(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if not self.mouse.key(event):
            super().keyPressEvent(event)

    def element_at(self, here: QPoint) -> str:
        """The joint whose badge (the first of a crowd), else the body whose solid, is at a
        pixel."""
        badge = self.badges.at(here) if self.show_badges else None
        if badge is not None:
            return badge.names[0]
        line = overlay.element_near(self, here) or flow.badge_near(self, here)
        found = line or self.scene.pick(here.x(), here.y(), self.width(), self.height())
        return self.scene.masters.get(found, found)
