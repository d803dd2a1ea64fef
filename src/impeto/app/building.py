"""What comes of pointing on the Stage: joints, force elements, bars, solids, loads, drives."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from PyQt6.QtCore import QObject, QPoint, pyqtSignal

from impeto.app import clipboard
from impeto.app.document import Document
from impeto.app.gestures import BARS, BENT, CHAIN, COUPLERS, LAID, ON_JOINT, PASTE, SOLIDS, shape_of
from impeto.app.measuring import measured
from impeto.app.stage.gesture import JOINTS, Gesture, Pick
from impeto.app.stage.joint_card import BRING, FREELY, GAP, JointCard, Meeting
from impeto.app.stage.view import StageView
from impeto.core.bodies.solid_features import Feature
from impeto.core.elements import ELEMENTS, Body, Gauge, Joint
from impeto.core.errors import ModelError
from impeto.core.model import units
from impeto.core.model.element import GROUND, Element
from impeto.core.model.freedoms import kind_title
from impeto.core.model.model import Model
from impeto.core.model.names import free_name
from impeto.core.pairing import JOINT

Made = tuple[Model, str]


class Building(QObject):
    """Begins gestures and turns their picks into edits, each one step of undo."""

    told = pyqtSignal(str)

    def __init__(self, document: Document, stage: StageView, typed: Callable[[], str]) -> None:
        """typed : what stands in the further field of the bar"""
        super().__init__(stage)
        self.document, self.stage, self.typed = document, stage, typed
        self.card = JointCard(stage)
        self.card.changed.connect(self._meet_otherwise)
        self.card.named.connect(lambda: document.made.emit(document.selected))
        self._pair: tuple[Model, Feature, Feature] | None = None
        self._section = BARS.typed
        self.measured: tuple[Feature, Feature] | None = None
        self.model = document.model  # that a gesture works on
        stage.pointing.picked.connect(self._picked)

    def begin(self, gesture: Gesture) -> None:
        """Ask for what a gesture takes; joints that are selected already need no asking."""
        model = self.document.model
        chosen = [n for n in self.document.chosen if isinstance(model.elements.get(n), Joint)]
        needed = len(gesture.asks)
        if gesture.takes == JOINTS and len(chosen) == len(self.document.chosen) == needed:
            self._picked(gesture, [Pick(np.zeros(3), joint=name) for name in chosen])
            return
        self.stage.pointing.begin(gesture)

    def _picked(self, gesture: Gesture, picks: list[Pick]) -> None:
        try:
            self._begin(gesture, picks)
            if gesture.makes == JOINT:
                self._connect(picks)
            elif gesture.makes == "move":
                self._move(picks)
            elif gesture.makes == "measure":
                self._measure(picks)
            else:
                text, model, name = self._made(gesture, picks)
                self.document.make(text, model, name)
                if gesture.takes == JOINTS:  # of those selected before it was begun, too
                    self.told.emit(f"{units.article(text).capitalize()}.")
        except ModelError as error:
            self.document.complained.emit(str(error))

    def _begin(self, gesture: Gesture, picks: list[Pick]) -> None:
        """Loose pieces that something is fastened to become bodies."""
        from impeto.core.sorting import freed

        touched = [pick.feature.body for pick in picks if pick.feature is not None]
        touched += [pick.body for pick in picks if pick.body]
        self.model = self.document.model
        if gesture.makes != "measure":
            self.model = freed(self.document.model, touched)

    def _made(self, gesture: Gesture, picks: list[Pick]) -> tuple[str, Model, str]:
        """What was done, the model with it, and the name of what is new."""
        makes = gesture.makes
        if makes == BARS.makes:
            return self._bars(picks)
        if makes == BENT.makes:
            return self._bent(picks)
        if makes == PASTE.makes:
            return self._pasted(picks[0])
        if makes in SOLIDS:
            return self._solid(makes, picks[0])
        if makes in ON_JOINT or makes in COUPLERS:
            return self._on_joints(makes, [pick.joint for pick in picks])
        if makes == CHAIN.makes:
            return self._chained(picks)
        from impeto.core.connecting import framed, loaded, strung

        model, case = self.model, self.document.case
        features = [pick.feature for pick in picks if pick.feature is not None]
        element: Element
        if makes == "load":
            model, element = loaded(model, features[0], case=case)
        elif makes == "frame":
            model, element = framed(model, features[0], case=case)
        else:
            kind: Any = ELEMENTS[makes]
            model, element = strung(model, features[0], features[1], kind, case=case)
        bodies = " and ".join(dict.fromkeys(feature.body for feature in features))
        return f"{makes} at {bodies}", model, element.name

    def _pasted(self, pick: Pick) -> tuple[str, Model, str]:
        from impeto.core.pasting import pasted

        copy = clipboard.taken(self.document.folder, self.model.geometry)
        model, names = pasted(self.model, copy, pick.point)
        name = next((n for n in names if isinstance(model[n], Body)), names[0])
        return f"paste of {name}", model, name

    def _chained(self, picks: list[Pick]) -> tuple[str, Model, str]:
        from impeto.core.repeating import chained

        end, begin = (pick.feature for pick in picks)
        assert end is not None
        assert begin is not None
        name = next((pick.name for pick in picks if pick.name), "")
        model, made = chained(
            self.model, end, begin, self.typed() or CHAIN.typed, name=name,
            case=self.document.case,
        )  # fmt: skip
        return f"{end.body} repeated end to end", model, made.name

    # bars and solids

    def _bars(self, picks: list[Pick]) -> tuple[str, Model, str]:
        from impeto.core.sketching import bars

        held = {}
        for index in (0, len(picks) - 1):
            body = picks[index].body or (GROUND if picks[index].shifted else "")
            if body:
                held[index] = body
        model, made = bars(self.model, held=held, **self._drawn(picks, "bar"))
        many = f"{len(made)} bars" if len(made) > 1 else "a bar"
        return f"{many} from point to point", model, made[0]

    def _bent(self, picks: list[Pick]) -> tuple[str, Model, str]:
        from impeto.core.sketching import bent

        model, name = bent(self.model, **self._drawn(picks, "bent_bar"))
        return "bent bar along points", model, name

    def _drawn(self, picks: list[Pick], name: str) -> dict[str, Any]:
        """Points, section, plane and name of what is drawn from point to point."""
        return {
            "points": [tuple(map(float, pick.point)) for pick in picks],
            "section": self.typed() or self._section,
            "normal": tuple(map(float, self.stage.pointing.plane.normal)),
            "name": next((pick.name for pick in picks if pick.name), name),
            "case": self.document.case,
        }

    def _solid(self, makes: str, pick: Pick) -> tuple[str, Model, str]:
        from impeto.core.sketching import laid_on_ground, set_on

        out = (0.0, 0.0, 1.0) if pick.out is None else tuple(map(float, pick.out))
        at = tuple(map(float, pick.point))
        if SOLIDS[makes] in LAID:
            shape = shape_of(makes, self.typed())
            return f"{makes} laid", laid_on_ground(self.model, shape, at), GROUND
        model, name = set_on(
            self.model, shape_of(makes, self.typed()), at, out=out, name=pick.name,
            case=self.document.case,
        )  # fmt: skip
        return f"{makes} set down", model, name

    # what acts on joints

    def _on_joints(self, makes: str, names: list[str]) -> tuple[str, Model, str]:
        from impeto.core.posing import free_to_move

        model, kind = self.model, ELEMENTS[makes]
        made: Any
        if makes in ON_JOINT:
            joint: Joint = model[names[0]]
            if not joint.coordinates:
                raise ModelError(
                    f"{joint.name} has no free motion to act on", remedy="Free one in its strip"
                )
            name = free_name(model, f"{joint.name}_{makes}")
            freedom = free_to_move(model, joint.name, self.document.case)
            made = kind(name=name, joint=joint.name, freedom=freedom)  # type: ignore[call-arg]
        else:
            if names[0] == names[1]:
                raise ModelError("a coupler needs two joints", remedy="Click another one")
            name = free_name(model, f"{names[0]}_{names[1]}_{makes}")
            made = COUPLERS[makes](name, *names)
        return f"{makes} on {' and '.join(names)}", model.with_element(made), name

    # joints

    def _connect(self, picks: list[Pick]) -> None:
        a, b = (pick.feature for pick in picks)
        assert a is not None
        assert b is not None
        self._pair = self.model, a, b
        meeting = Meeting(GAP if picks[-1].shifted else BRING)
        model, joint, moved = self._met(meeting)
        self.document.edit(f"connection of {a.body} and {b.body}", model)
        self.document.select(joint.name)
        self._tell(joint, moved)
        self._show_card(joint, meeting)

    def _met(self, meeting: Meeting) -> tuple[Model, Joint, str]:
        from impeto.core import connecting

        assert self._pair is not None
        before, a, b = self._pair
        ways: dict[str, bool | str] = {BRING: True, FREELY: connecting.FREELY, GAP: False}
        return connecting.connected(
            before, a, b, bring=ways[meeting.way], flip=meeting.flip, offset=meeting.offset,
            free=meeting.free, case=self.document.case,
        )  # fmt: skip

    def _tell(self, joint: Joint, moved: str) -> None:
        before = self._pair[0].elements if self._pair is not None else {}
        has = moved and before.get(moved) != self.document.model[moved]
        if has:
            self.told.emit(f"{joint.name}: {kind_title(joint.free)}. {moved} was brought to it.")

    def _show_card(self, joint: Joint, meeting: Meeting) -> None:
        place = self.stage.badge_places().get(joint.name)
        here = place.toPoint() if place is not None else QPoint(self.stage.width() // 2, 80)
        self.card.show_joint(joint.name, meeting, here)

    def _meet_otherwise(self, meeting: Meeting) -> None:
        """The card's choice, in the same step of undo."""
        try:
            model, joint, moved = self._met(meeting)
        except ModelError as error:
            self.document.complained.emit(str(error))
            return
        self.document.amend(model)
        self._tell(joint, moved)
        self._show_card(joint, meeting)

    # placing and measuring

    def _move(self, picks: list[Pick]) -> None:
        from impeto.core.connecting import moved_to

        coming, kept = (pick.feature for pick in picks)
        assert coming is not None
        assert kept is not None
        model = moved_to(self.model, coming, kept, self.document.case)
        self.document.edit(f"move of {coming.body} to {kept.body}", model)
        self.document.select(coming.body)

    def _measure(self, picks: list[Pick]) -> None:
        a, b = (pick.feature for pick in picks)
        assert a is not None
        assert b is not None
        self.measured = (a, b)
        self.told.emit(f"{measured(a, b)}. Ctrl+Alt+K keeps it as a gauge.")

    def keep_measured(self) -> None:
        """A gauge between the features that were measured last."""
        from impeto.core.connecting import strung
        from impeto.core.sorting import freed

        if self.measured is None:
            return
        bodies = [feature.body for feature in self.measured]
        if lost := next((b for b in bodies if b not in self.document.drawn.elements), ""):
            self.document.complained.emit(f"{lost} is not there any more. Measure again.")
            return
        try:
            model = freed(self.document.model, bodies)
            model, gauge = strung(model, *self.measured, Gauge)
        except ModelError as error:
            self.document.complained.emit(str(error))
            return
        self.document.make(f"gauge {gauge.name}", model, gauge.name)
