"""The bodies of a run: those of the model, with copies in place of what feeders feed."""

from __future__ import annotations

from collections.abc import Mapping
from copy import copy

import numpy as np

from impeto.core.bodies.body_set import BodySet
from impeto.core.bodies.compilation import Compilation, Numbers
from impeto.core.bodies.groups import members
from impeto.core.bodies.model import Body, Frame
from impeto.core.errors import ModelError
from impeto.core.flow.data import FeederData, OutletData
from impeto.core.flow.model import AT_A_PACE, TAKES_AWAY, Feeder, Outlet
from impeto.core.model import walking
from impeto.core.model.element import GROUND
from impeto.core.model.scope import Scope

MOST_COPIES = 1000


def compiled(made: Compilation) -> Numbers:
    """Numbers of all feeders and outlets."""
    scope, body_set, rows = made.scope, made.body_set, made.frame_row
    return {
        FeederData: tuple(feeder_data(scope, f, body_set, rows) for f in feeders_of(scope)),
        OutletData: made.each(Outlet, outlet_data, body_set, rows),
    }


def body_set_of(scope: Scope, copies: bool = True) -> BodySet:
    """Who takes part in a run of this case.

    copies : False leaves them out, as for what is asked of the machine alone
    """
    feeders = feeders_of(scope)
    fed = {feeder.body for feeder in feeders}
    on = [body for body in scope.model.of(Body) if scope.on(body) and body.name not in fed]
    on.sort(key=lambda body: body.name != GROUND)
    masters: dict[str, str] = {}
    made: dict[str, tuple[str, ...]] = {}
    counts: dict[str, int] = {}
    for feeder in feeders:
        master = scope.model.elements[feeder.body]
        assert isinstance(master, Body)
        _check_alone(scope, feeder, master)
        begin = counts.get(master.name, 0)
        end = counts[master.name] = begin + (_number(scope, feeder) if copies else 0)
        names = tuple(f"{master.name}_{k}" for k in range(begin + 1, end + 1))
        for name in names:
            if name in scope.model.elements:
                raise ModelError(
                    f"its copy would be called '{name}', which is taken", element=feeder.name,
                    field="body", remedy=f"Rename {name}",
                )  # fmt: skip
        on += [_named(master, name) for name in names]
        masters |= dict.fromkeys(names, master.name)
        made[feeder.name] = names
    if len(masters) > MOST_COPIES:
        raise ModelError(
            f"feeders make {len(masters)} copies in all", element=feeders[-1].name, field="number",
            remedy=f"Keep them to {MOST_COPIES}",
        )  # fmt: skip
    return BodySet(tuple(on), masters, made)


def _named(master: Body, name: str) -> Body:
    """The body under another name, without checking all its fields again."""
    made = copy(master)
    object.__setattr__(made, "name", name)
    return made


def feeders_of(scope: Scope) -> list[Feeder]:
    return [feeder for feeder in scope.model.of(Feeder) if scope.takes_part(feeder)]


def _number(scope: Scope, feeder: Feeder) -> int:
    number = scope.field(feeder, "number", "number")
    if not 1.0 <= number <= MOST_COPIES or number != round(number):
        raise ModelError(
            f"{number:g} copies cannot be made", element=feeder.name, field="number",
            remedy=f"Type a whole number from 1 to {MOST_COPIES}",
        )  # fmt: skip
    return int(number)


def _check_alone(scope: Scope, feeder: Feeder, master: Body) -> None:
    """Complain where something is fastened to a body that is fed."""
    if master.name == GROUND:
        raise ModelError(
            "the ground cannot be fed", element=feeder.name, field="body", remedy="Choose a body"
        )
    found = fastened(scope).get(master.name)
    if found is not None:
        raise ModelError(
            f"'{found}' is fastened to {master.name}, whose copies come and go",
            element=feeder.name, field="body",
            remedy=f"Remove {found} or switch it off, or feed another body",
        )  # fmt: skip


def fastened(scope: Scope) -> dict[str, str]:
    """Bodies that something else than contact acts on or hangs on, with one such element."""
    found: dict[str, str] = {}
    for element in scope.model.elements.values():
        if not scope.takes_part(element) or not element.fastens:
            continue
        for reference in walking.references(element):
            target = scope.model.elements.get(reference.name)
            body = target.body if isinstance(target, Frame) else reference.name
            found.setdefault(body, element.name)
    for element in scope.model.elements.values():
        if isinstance(element, (Feeder, Outlet)) and scope.takes_part(element):
            name = element.at if isinstance(element, Feeder) else element.frame
            carrier = scope.model.elements.get(name or "")
            if isinstance(carrier, Frame):
                found.setdefault(carrier.body, element.name)
    return found


def feeder_data(
    scope: Scope, feeder: Feeder, body_set: BodySet, frame_row: Mapping[str, int]
) -> FeederData:
    master = scope.model.elements[feeder.body]
    first, interval = np.inf, np.inf
    if feeder.pace == AT_A_PACE:
        first = scope.field(feeder, "first", "time")
        interval = scope.field(feeder, "interval", "time")
        for field, value, least in (("first", first, 0.0), ("interval", interval, 1e-6)):
            if not value >= least:
                raise ModelError(
                    "it must be greater than zero" if least else "it cannot be before the start",
                    element=feeder.name, field=field, remedy="Type a larger value",
                )  # fmt: skip
    rows = body_set.rows
    return FeederData(
        name=feeder.name,
        copies=tuple(rows[name] for name in body_set.copies[feeder.name]),
        first=first,
        interval=interval,
        frame=-1 if feeder.at is None else frame_row[feeder.at],
        velocity=scope.vector(master, "velocity", "speed"),
        spin=scope.vector(master, "angular_velocity", "angular speed"),
    )


def outlet_data(
    scope: Scope, outlet: Outlet, body_set: BodySet, frame_row: Mapping[str, int]
) -> OutletData:
    half = 0.5 * scope.vector(outlet, "size", "length")
    if not half.min() > 0.0:
        raise ModelError(
            "its region has no room", element=outlet.name, field="size",
            remedy="Type three lengths greater than zero",
        )  # fmt: skip
    window = scope.field(outlet, "window", "time")
    if not window > 0.0:
        raise ModelError(
            "it must be greater than zero", element=outlet.name, field="window",
            remedy="Type, say, 10 s",
        )  # fmt: skip
    return OutletData(
        name=outlet.name,
        frame=frame_row[outlet.frame],
        half=half,
        takes=tuple(sorted(_taken(scope, outlet, body_set))),
        removes=outlet.effect == TAKES_AWAY,
        window=window,
    )


def _taken(scope: Scope, outlet: Outlet, body_set: BodySet) -> set[int]:
    """Rows of the bodies that an outlet takes or counts."""
    rows, held = body_set.rows, fastened(scope)
    named = members(scope, outlet.takes, rows, body_set.masters) - {0}
    if outlet.effect != TAKES_AWAY and outlet.takes:
        return named  # a machine's own parts may be counted, but not taken away
    bound = {row for row in named if body_set.bodies[row].name in held}
    if bound and outlet.takes:
        name = body_set.bodies[min(bound)].name
        raise ModelError(
            f"'{held[name]}' is fastened to {name}, which cannot be taken away",
            element=outlet.name, field="takes", remedy="Leave that body out, or only count",
        )  # fmt: skip
    return named - bound
