"""Bodies and frames in the window."""

from __future__ import annotations

from impeto.app.kinds.choosing import a_body
from impeto.app.kinds.kind import Kind
from impeto.app.strokes import lines
from impeto.core.assembly.resolve import body_mass
from impeto.core.elements import Body, Box, Frame, Piece
from impeto.core.model import units
from impeto.core.model.element import GROUND
from impeto.core.model.scope import Scope


def _piece(piece: Piece, scope: Scope) -> str:
    return units.shown(body_mass(scope, piece.as_body()).mass, "mass")


def _body(body: Body, scope: Scope) -> str:
    if body.name == GROUND:
        return "does not move"
    return units.shown(body_mass(scope, body).mass, "mass")


BODIES = (
    Kind(cls=Body, title="body", line=_body, strokes=(),
         new=lambda d, n: Body(name=n, shapes=(Box(),))),
    Kind(cls=Piece, title="loose piece", line=_piece, new=None,
         strokes=lines(((0.5, 0.05), (0.92, 0.28), (0.92, 0.72), (0.5, 0.95), (0.08, 0.72),
                        (0.08, 0.28), (0.5, 0.05)))),
    Kind(cls=Frame, title="frame", line=lambda e, s: f"on {e.body}",
         strokes=lines(((0.2, 0.1), (0.2, 0.8), (0.95, 0.8)), ((0.2, 0.8), (0.6, 0.45))),
         new=lambda d, n: Frame(name=n, body=a_body(d))),
)  # fmt: skip
