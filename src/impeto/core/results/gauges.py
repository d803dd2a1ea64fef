"""Channels of gauges and of formulas over channels: worked out from what was recorded."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from functools import partial

import numpy as np
import numpy.typing as npt

from impeto.core.bodies.model import Frame
from impeto.core.bodies.placement import pose_of
from impeto.core.dynamics.channel import Channel, Once, component, vector
from impeto.core.dynamics.solution import Solution
from impeto.core.errors import ModelError
from impeto.core.gauges.model import (
    ANGLE,
    AXES,
    CLEARANCE,
    DISTANCE,
    FORMULA,
    MOTION,
    START,
    VALUE,
    Gauge,
)
from impeto.core.gauges.relative import (
    Moving,
    along,
    angle,
    closing,
    closing_rate,
    distance,
    turned,
    wheel,
)
from impeto.core.model import formula, units
from impeto.core.model.element import Element, Parameter
from impeto.core.model.formula import Value
from impeto.core.model.model import Model
from impeto.core.model.quantity import Quantity
from impeto.core.model.renamed import present
from impeto.core.model.scope import Scope
from impeto.core.results.channels import channel_on_demand
from impeto.core.results.clearance import clearance

Floats = npt.NDArray[np.float64]
Lookup = Callable[[str], Channel]
PROBE = 4.0  # instants by which the kind of a formula is found


def gauge_channels(r: Solution, model: Model, listed: Mapping[str, Channel]) -> dict[str, Channel]:
    """Channels of all gauges of a model, which may have been changed since the run.

    Those that cannot be worked out are left out: `why_not` tells.
    """
    try:
        scope, known = scope_of(model, r.case), dict(listed)
    except ModelError:  # the model is being changed
        return {}
    waiting = [gauge for gauge in model.of(Gauge) if scope.on(gauge)]
    while waiting:
        left = []
        for gauge in waiting:
            try:
                found = list(channels_of(r, scope, gauge, partial(_known, r, known)))
                known.update({channel.name: channel for channel in found})
            except (ModelError, KeyError):
                left.append(gauge)
        if len(left) == len(waiting):
            break
        waiting = left
    return {name: channel for name, channel in known.items() if name not in listed}


def gauges_with_their_frames(model: Model) -> tuple[Element, ...]:
    """What channels of gauges hang on: the gauges, their frames and, for formulas, parameters."""
    gauges = model.of(Gauge)
    frames = {name for gauge in gauges for name in (gauge.frame_a, gauge.frame_b) if name}
    held = [model.elements[name] for name in sorted(frames) if name in model.elements]
    return (*gauges, *held, *(model.of(Parameter) if gauges else ()))


def why_not(r: Solution, model: Model, name: str, listed: dict[str, Channel]) -> str:
    """Why a gauge has no channels, '' where nothing of that name is a gauge."""
    gauge = model.elements.get(name)
    if not isinstance(gauge, Gauge):
        return ""
    try:
        scope = scope_of(model, r.case)
        if not scope.on(gauge):
            return f"{name} is switched off."
        list(channels_of(r, scope, gauge, partial(_known, r, listed)))
    except ModelError as error:
        return str(error)
    except KeyError as error:
        lost = str(error.args[0])
        if isinstance(model.elements.get(lost.partition(".")[0]), Gauge):
            return f"{name} reads {lost}, which cannot be worked out, or they go in a circle."
        return f"{name} reads {lost}: there is no channel '{lost}'."
    return ""


def _known(r: Solution, listed: dict[str, Channel], path: str) -> Channel:
    """A channel that there is already, or can be made by itself. Raises KeyError."""
    made = listed.get(path) or channel_on_demand(r, path, listed)
    if made is None:
        raise KeyError(path)
    return listed.setdefault(path, made)


def scope_of(model: Model, case: str) -> Scope:
    """Values of a case of a model, of its first where it has none of that name."""
    return Scope(model, case if case in model.cases else None)


def channels_of(r: Solution, scope: Scope, gauge: Gauge, lookup: Lookup) -> Iterator[Channel]:
    """The channels of one gauge. Raises ModelError where something is missing."""
    if gauge.missing:
        raise ModelError(
            f"it measures {units.article(gauge.quantity)} and needs more",
            element=gauge.name, field=gauge.missing, remedy="Choose it in the Sheet",
        )  # fmt: skip
    if gauge.quantity == FORMULA:
        assert isinstance(gauge.formula, Quantity)
        try:
            made = formula_channel(r, gauge.formula.text, lookup, scope)
        except ModelError as error:
            raise error.at(gauge.name, "formula") from None
        yield _value(gauge, made.kind, lambda: made.values)
    elif gauge.quantity == CLEARANCE:
        a, b = str(gauge.body_a), str(gauge.body_b)
        _check_bodies(r, gauge, a, b)
        yield _value(gauge, "length", lambda: clearance(r, a, b))
    else:
        yield from _between(gauge, *(_moving(r, scope, gauge, f) for f in ("frame_a", "frame_b")))


def _value(gauge: Gauge, kind: str, compute: Callable[[], Floats]) -> Channel:
    def values() -> Floats:
        found = compute()
        return found - found[0] if gauge.counts_from == START else found

    return Channel(f"{gauge.name}.{VALUE}", kind, values)


def _between(
    gauge: Gauge, frame_a: Callable[[], Moving], frame_b: Callable[[], Moving]
) -> Iterator[Channel]:
    name = gauge.name

    def of(what: Callable[[Moving, Moving], Floats]) -> Callable[[], Floats]:
        return Once(lambda: what(frame_a(), frame_b()))

    if gauge.quantity == DISTANCE:
        gap = of(lambda a, b: along(a, b.position - a.position))
        yield _value(gauge, "length", of(distance))
        yield from vector(name, "length", gap, size=False)
        yield Channel(f"{name}.rate", "speed", of(closing))
        yield Channel(f"{name}.acceleration", "acceleration", of(closing_rate))
    elif gauge.quantity == MOTION:
        speed = of(lambda a, b: along(a, b.velocity - a.velocity))
        yield _value(gauge, "speed", lambda: np.linalg.norm(speed(), axis=1))
        yield from vector(name, "speed", speed, size=False)
        change = of(lambda a, b: along(a, b.acceleration - a.acceleration))
        yield from vector(f"{name}.acceleration", "acceleration", change)
        spin = of(lambda a, b: along(a, b.spin - a.spin))
        yield from vector(f"{name}.angular_velocity", "angular speed", spin)
    elif gauge.quantity == ANGLE:
        axes = AXES.index(gauge.axis_a), AXES.index(gauge.axis_b)
        yield _value(gauge, "angle", of(lambda a, b: angle(a, b, *axes)))
        for k, part in enumerate(("roll", "pitch", "yaw")):
            yield component(f"{name}.{part}", "angle", of(turned), k)
        for k, part in enumerate(("camber", "toe", "caster")):
            yield component(f"{name}.{part}", "angle", of(wheel), k)


def _moving(r: Solution, scope: Scope, gauge: Gauge, field: str) -> Callable[[], Moving]:
    """Motion of a frame where the model has it now. Raises ModelError."""
    frame = scope.model.elements.get(getattr(gauge, field))
    if not isinstance(frame, Frame):
        raise ModelError(
            f"there is no frame called '{getattr(gauge, field)}'", element=gauge.name, field=field,
            remedy="Choose one in the Sheet",
        )  # fmt: skip
    _check_bodies(r, gauge, frame.body)
    origin, rotation = pose_of(scope, frame)
    return Once(partial(_motion, r, r.bodies[frame.body], origin, rotation))


def _check_bodies(r: Solution, gauge: Gauge, *names: str) -> None:
    for name in names:
        if name not in r.bodies:
            raise ModelError(
                f"{name} was not in this run", element=gauge.name, remedy="Run the case again"
            )


def _motion(r: Solution, row: int, origin: Floats, rotation: Floats) -> Moving:
    """Motion of a frame on the body of a row, at an origin (3,) with axes (3, 3) of it."""
    ground, body = r.system.mechanism.bodies[0], r.system.mechanism.bodies[row]
    offset = origin - body.center
    if not row:
        offset, rotation = ground.position + ground.rotation @ origin, ground.rotation @ rotation
    position, velocity, acceleration = r.point(row, offset)
    axes = r.rotation(row) @ rotation
    parts = (position, velocity, acceleration, axes, r.spin(row))
    return Moving(*(r.while_present(row, part) for part in parts))


def formula_channel(r: Solution, text: str, lookup: Lookup, scope: Scope) -> Channel:
    """A formula over channels, parameters and t as a channel under its own text. Raises ModelError
    where it cannot be read or mixes units, and what `lookup` raises for unknown channels."""
    node = formula.parse(text)
    names = [n for n in formula.names(node) if "." in n]
    used = {name: lookup(present(name)) for name in sorted(names, key=text.find)}

    def value(times: Floats, of: Callable[[Channel], Floats], name: str) -> Value:
        if name == "t":
            return Value(times, units.unit("s")[1])
        if name not in used:
            return scope.parameter(name)
        return Value(of(used[name]), units.unit(units.KINDS[used[name].kind].si)[1])

    probe = np.arange(PROBE)
    tried = formula.evaluate(node, partial(value, probe, lambda _channel: np.ones(len(probe))))
    kind = units.kind_of(tried.dimension, [channel.kind for channel in used.values()])

    def compute() -> Floats:
        found = np.asarray(formula.evaluate(node, partial(value, r.time, lambda c: c.values)).si)
        whole = np.broadcast_to(found.astype(float), r.time.shape)
        return np.where(np.isfinite(whole), whole, np.nan)

    return Channel(text, kind, compute)


def is_formula(text: str) -> bool:
    """Whether a text is more than the name of a channel, and can be read."""
    try:
        return not isinstance(formula.parse(text), formula.Name)
    except ModelError:
        return False
