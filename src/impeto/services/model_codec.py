"""Models as plain JSON data, and the JSON Schema of that data: both follow the field declarations.

Reading never executes anything: values stay text until the formula parser reads them.
"""

from __future__ import annotations

import dataclasses
from typing import Any

from impeto.core.elements import ELEMENTS
from impeto.core.errors import FileError, ModelError
from impeto.core.model import fields
from impeto.core.model.cases import Case
from impeto.core.model.curves import Curve
from impeto.core.model.element import Element
from impeto.core.model.fields import (
    ChoiceSpec,
    ChoicesSpec,
    ColourSpec,
    ColumnsSpec,
    CurveSpec,
    NamesSpec,
    OutlineSpec,
    PartsSpec,
    QuantitySpec,
    ReferenceSpec,
    SignalSpec,
    Spec,
    SwitchSpec,
    TableSpec,
    VectorSpec,
)
from impeto.core.model.model import Model
from impeto.core.model.outlines import Outline
from impeto.core.model.quantity import Quantity
from impeto.core.model.run_settings import RunSettings
from impeto.core.model.signals import SIGNALS

FORMAT = 3
LARGEST_NUMBER = 10**100
_TOP = ("format", "name", "elements", "cases", "settings")


def encode(model: Model) -> dict[str, Any]:
    """JSON data of a model: elements and cases by name, default values left out."""
    elements = {
        name: {"kind": element.tag, **_encode(element)} for name, element in model.elements.items()
    }
    return {
        "format": FORMAT,
        "name": model.name,
        "settings": _encode(model.settings),
        "cases": {name: _encode(case) for name, case in model.cases.items()},
        "elements": elements,
    }


def _encode(part: Any) -> dict[str, Any]:
    """Fields of a description that differ from their defaults."""
    data: dict[str, Any] = {}
    declared = {f.name: f for f in dataclasses.fields(part)}
    for name, spec in fields.specs(type(part)).items():
        value = getattr(part, name)
        default = declared[name].default
        if value is None or value == {} or (isinstance(spec, PartsSpec) and not value):
            continue
        if not isinstance(spec, (SignalSpec, ChoiceSpec)) and value == _as_default(default, spec):
            continue
        if isinstance(spec, ChoiceSpec) and value == default:
            continue
        data[name] = _plain(value, spec)
    return data


def _as_default(default: Any, spec: Spec) -> Any:
    if default is dataclasses.MISSING or default is None:
        return dataclasses.MISSING
    if isinstance(spec, QuantitySpec):
        return fields.as_quantity(default, spec.kind)
    if isinstance(spec, OutlineSpec):
        return spec.of(default)
    if isinstance(spec, VectorSpec):
        return tuple(fields.as_quantity(item, spec.kind) for item in default)
    return default


def _plain(value: Any, spec: Spec) -> Any:
    if isinstance(value, (Quantity, Curve, Outline)):
        return value.text
    if isinstance(spec, ColumnsSpec):
        return {title: list(column) for title, column in value.items()}
    if isinstance(spec, PartsSpec):
        return [{"kind": type(part).title, **_encode(part)} for part in value]
    if isinstance(spec, SignalSpec):
        return {"kind": value.title, **_encode(value)}
    if isinstance(spec, TableSpec):
        return {k: v.text if isinstance(v, Quantity) else v for k, v in value.items()}
    if isinstance(value, tuple):
        return [_plain(item, spec) for item in value]
    return value


def decode(data: Any) -> Model:
    """Model from JSON data; FileError or ModelError names what does not belong."""
    if not isinstance(data, dict) or "format" not in data or "elements" not in data:
        raise FileError("This is not an Impeto model.")
    data = upgraded(data)
    if data["format"] != FORMAT:
        raise FileError(
            f"The model has format {data['format']}, this version reads format {FORMAT}: "
            "update Impeto to open it."
        )
    _known(data, _TOP, "the model")
    elements = [_element(name, item) for name, item in _table(data["elements"], "elements")]
    cases = [
        _build(Case, item, f"case {name}", name=name)
        for name, item in _table(data.get("cases", {}), "cases")
    ]
    settings = _build(RunSettings, data.get("settings", {}), "run settings")
    name = data.get("name", "Untitled")
    if not isinstance(name, str):
        raise FileError("The model's name must be text.")
    return Model(name, elements, cases=cases, settings=settings)


def upgraded(data: dict[str, Any]) -> dict[str, Any]:
    """Data of an older format in the present one."""
    while isinstance(data["format"], int) and data["format"] in UPGRADES:
        data = UPGRADES[data["format"]](data)
    return data


def _from_1_to_2(data: dict[str, Any]) -> dict[str, Any]:
    """What acts on a freedom has several kinds since 2; springs were simply 'behaviour'."""
    elements = {}
    for name, element in _table(data["elements"], "elements"):
        parts = element.get("behaviours") if isinstance(element, dict) else None
        if isinstance(parts, list):
            renamed = [
                {**part, "kind": "spring and damper"}
                if isinstance(part, dict) and part.get("kind") == "behaviour"
                else part
                for part in parts
            ]
            element = {**element, "behaviours": renamed}
        elements[name] = element
    return {**data, "format": 2, "elements": elements}


def _from_2_to_3(data: dict[str, Any]) -> dict[str, Any]:
    """What bodies turn with at the start is their angular velocity since 3, and was their spin."""

    def renamed(item: Any) -> Any:
        if not isinstance(item, dict):
            return item
        changed = {"angular_velocity" if key == "spin" else key: v for key, v in item.items()}
        if isinstance(item.get("bodies"), list):
            changed["bodies"] = [renamed(state) for state in item["bodies"]]
        return changed

    listed = _table(data["elements"], "elements")
    elements = {
        name: renamed(element)
        if isinstance(element, dict) and element.get("kind") in ("body", "pose")
        else element
        for name, element in listed
    }
    return {**data, "format": 3, "elements": elements}


UPGRADES = {1: _from_1_to_2, 2: _from_2_to_3}


def _table(data: Any, place: str) -> list[tuple[str, Any]]:
    if not isinstance(data, dict):
        raise FileError(f"'{place}' must hold entries by name.")
    return list(data.items())


def _element(name: str, data: Any) -> Element:
    kind = data.get("kind") if isinstance(data, dict) else None
    if not isinstance(kind, str) or kind not in ELEMENTS:
        raise ModelError(
            f"'{kind}' is not a kind of element",
            element=name,
            remedy=f"Use {', '.join(ELEMENTS)}",
        )
    rest = {key: value for key, value in data.items() if key != "kind"}
    element: Element = _build(ELEMENTS[kind], rest, name, name=name)
    return element


def _build(cls: type, data: Any, place: str, **given: Any) -> Any:
    """A description of class cls from its JSON data."""
    if not isinstance(data, dict):
        raise ModelError("its fields must be given by name", element=place)
    declared = fields.specs(cls)
    _known(data, declared, place)
    values = {key: _value(item, declared[key], place, key) for key, item in data.items()}
    required = [
        f.name
        for f in dataclasses.fields(cls)
        if f.default is dataclasses.MISSING and f.default_factory is dataclasses.MISSING
    ]
    for name in required:
        if name not in values and name not in given:
            raise ModelError("this field is missing", element=place, field=name, remedy="Add it")
    try:
        return cls(**given, **values)
    except ModelError as error:
        raise error.at(place) from None


def _known(data: dict[str, Any], names: Any, place: str) -> None:
    for key in data:
        if key not in names:
            raise ModelError(
                f"there is no field '{key}'", element=place, remedy=f"Known are {', '.join(names)}"
            )


def _value(item: Any, spec: Spec, place: str, key: str) -> Any:
    if isinstance(spec, PartsSpec):
        classes = {cls.title: cls for cls in spec.classes}  # type: ignore[attr-defined]
        return tuple(_tagged(part, classes, place, key) for part in _listed(item, place, key))
    if isinstance(spec, SignalSpec):
        return _tagged(item, SIGNALS, place, key)
    if isinstance(spec, ColumnsSpec):
        return _columns(item, place, key)
    if isinstance(spec, TableSpec):
        entries = dict(_table(item, key))
        if spec.values == "switch" and not all(isinstance(v, bool) for v in entries.values()):
            raise ModelError("switches are true or false", element=place, field=key)
        return entries
    if isinstance(spec, (VectorSpec, ChoicesSpec, NamesSpec)):
        return tuple(_listed(item, place, key))
    return item


def _columns(item: Any, place: str, key: str) -> dict[str, tuple[float, ...]]:
    columns = {}
    for title, numbers in _table(item, key):
        if not all(isinstance(n, (int, float)) and not isinstance(n, bool) for n in
                   _listed(numbers, place, key)):  # fmt: skip
            raise ModelError(f"'{title}' holds something that is no number", element=place)
        if any(abs(n) > LARGEST_NUMBER for n in numbers):
            raise ModelError(f"'{title}' holds a number that is too large", element=place)
        columns[title] = tuple(map(float, numbers))
    return columns


def _listed(item: Any, place: str, key: str) -> list[Any]:
    if not isinstance(item, list):
        raise ModelError("a list is needed", element=place, field=key)
    return item


def _tagged(item: Any, classes: Any, place: str, key: str) -> Any:
    kind = item.get("kind") if isinstance(item, dict) else None
    if not isinstance(kind, str) or kind not in classes:
        raise ModelError(
            f"'{kind}' is not a kind that fits here",
            element=place,
            field=key,
            remedy=f"Use {', '.join(classes)}",
        )
    rest = {name: value for name, value in item.items() if name != "kind"}
    return _build(classes[kind], rest, f"{place}, {key} {kind}")


def schema() -> dict[str, Any]:
    """JSON Schema (2020-12) of a model file."""
    kinds = [_schema_of(cls, kind=kind) for kind, cls in ELEMENTS.items()]
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Impeto model",
        "type": "object",
        "required": ["format", "elements"],
        "additionalProperties": False,
        "properties": {
            "format": {"const": FORMAT},
            "name": {"type": "string"},
            "settings": _schema_of(RunSettings),
            "cases": {"type": "object", "additionalProperties": _schema_of(Case)},
            "elements": {"type": "object", "additionalProperties": {"oneOf": kinds}},
        },
    }


def _schema_of(cls: Any, kind: str | None = None) -> dict[str, Any]:
    properties = {name: _field_schema(spec) for name, spec in fields.specs(cls).items()}
    required = [
        f.name
        for f in dataclasses.fields(cls)
        if f.name in properties
        and f.default is dataclasses.MISSING
        and f.default_factory is dataclasses.MISSING
    ]
    if kind:
        properties = {"kind": {"const": kind}, **properties}
        required = ["kind", *required]
    return {
        "type": "object",
        "description": (cls.__doc__ or "").split("\n")[0],
        "properties": properties,
        "required": required,
        "additionalProperties": False,
    }


_VALUE = {"type": ["string", "number"]}


def _field_schema(spec: Spec) -> dict[str, Any]:
    if isinstance(spec, QuantitySpec):
        return {**_VALUE, "description": f"{spec.kind}, a number in SI or text with a unit"}
    if isinstance(spec, VectorSpec):
        about = f"{spec.kind}: {', '.join(spec.labels)}"
        return {
            "type": "array", "items": _VALUE, "minItems": 3, "maxItems": 3, "description": about,
        }  # fmt: skip
    if isinstance(spec, CurveSpec):
        about = f"{spec.kind} over {spec.over}: '0 mm: 0 N; 10 mm: 150 N', smooth with 'smooth '"
        return {"type": "string", "description": about}
    if isinstance(spec, OutlineSpec):
        about = f"points of {spec.of.title}: '{spec.of.example}'"
        if "arc" in spec.of.words:
            about += "; 'arc 40 mm' bends the way to the next"
        return {"type": "string", "description": about}
    if isinstance(spec, ColumnsSpec):
        numbers = {"type": "array", "items": {"type": "number"}}
        return {"type": "object", "additionalProperties": numbers}
    if isinstance(spec, ReferenceSpec):
        return {"type": "string", "description": f"name of a {spec.target}"}
    if isinstance(spec, ColourSpec):
        return {"anyOf": [{"enum": list(spec.options)}, {"pattern": f"^{fields.ANY_COLOUR}$"}]}
    if isinstance(spec, ChoiceSpec):
        return {"enum": list(spec.options)}
    if isinstance(spec, ChoicesSpec):
        return {"type": "array", "items": {"enum": list(spec.options)}}
    if isinstance(spec, NamesSpec):
        about = f"names of each a {spec.target}; * stands for any letters"
        return {"type": "array", "items": {"type": "string"}, "description": about}
    if isinstance(spec, SwitchSpec):
        return {"type": "boolean"}
    if isinstance(spec, PartsSpec):
        parts = [_schema_of(cls, kind=cls.title) for cls in spec.classes]  # type: ignore[attr-defined]
        return {"type": "array", "items": {"oneOf": parts}}
    if isinstance(spec, SignalSpec):
        return {"oneOf": [_schema_of(cls, kind=kind) for kind, cls in SIGNALS.items()]}
    if isinstance(spec, TableSpec):
        values = _VALUE if spec.values == "quantity" else {"type": "boolean"}
        return {"type": "object", "additionalProperties": values}
    return {"type": "string"}
