"""Values within a case: parameters, switches, and the evaluation of fields."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
import numpy.typing as npt

from impeto.core.errors import FormulaError, ModelError
from impeto.core.model import cases, formula, units
from impeto.core.model.cases import BASE, Case
from impeto.core.model.curves import Curve
from impeto.core.model.dataset import Dataset
from impeto.core.model.element import Element, Parameter
from impeto.core.model.formula import Value
from impeto.core.model.interpolation import LINEAR, SHAPE_KEEPING, Interpolation
from impeto.core.model.materials import material_named
from impeto.core.model.model import Model
from impeto.core.model.outlines import Outline
from impeto.core.model.poses import Pose
from impeto.core.model.quantity import Quantity
from impeto.core.model.unfolding import unfolded

Floats = npt.NDArray[np.float64]
LARGEST = {"length": 1e9, "mass": 1e15, "time": 1e9, "speed": 1e8, "": 1e30}  # SI, by kind


class Scope:
    """The values that a model has in one of its cases."""

    def __init__(
        self,
        model: Model,
        case: str | None = None,
        values: Mapping[str, Quantity] | None = None,
    ) -> None:
        self.written = model
        self.case = find_case(model, case)
        self.overruled = dict(values or {})
        self.awaited: frozenset[str] = frozenset()  # off at first, switched on by an event
        self._known: dict[str, Value] = {}
        for name in self.case.values:
            if not isinstance(model.elements.get(name), Parameter):
                raise ModelError(
                    f"it changes '{name}', which is not a parameter",
                    element=f"case {self.case.name}",
                    remedy="Remove the line or add the parameter",
                )
        for name in self.case.switches:
            if name not in model.elements and name not in self.model.elements:
                raise ModelError(
                    f"it switches '{name}', which does not exist",
                    element=f"case {self.case.name}",
                    remedy="Remove the line",
                )

    @property
    def model(self) -> Model:
        """The model with members in place of what is repeated. Raises ModelError where that cannot
        be."""
        return self._unfolded()[0]

    @property
    def members(self) -> Mapping[str, tuple[str, ...]]:
        """Names of the members of what is repeated, by its name."""
        return self._unfolded()[1]

    def original(self, name: str) -> str:
        """What is repeated as a member of that name; of anything else its own."""
        if name in self.written.elements:
            return name
        return next((original for original, made in self.members.items() if name in made), name)

    def _unfolded(self) -> tuple[Model, Mapping[str, tuple[str, ...]]]:
        overruled = tuple(sorted((name, value.text) for name, value in self.overruled.items()))
        key = self.case.name, overruled
        found = self.written.unfoldings.get(key)
        if found is None:
            found = self.written.unfoldings[key] = unfolded(self)
        return found

    def on(self, element: Element) -> bool:
        """Whether an element is on at the start of this case."""
        return self.case.switches.get(element.name, element.enabled)

    def takes_part(self, element: Element) -> bool:
        """Whether an element is on, or will be by an event."""
        return self.on(element) or element.name in self.awaited

    @property
    def fed(self) -> frozenset[str]:
        """Bodies of which copies come into the run in place of themselves."""
        feeding = (e for e in self.model.elements.values() if e.feeds and self.takes_part(e))
        return frozenset(element.feeds for element in feeding)

    @property
    def pose(self) -> Pose | None:
        """The start pose of the case, else of the model."""
        name = self.case.pose or self.written.settings.pose
        if not name:
            return None
        pose = self.written.elements.get(name)
        if not isinstance(pose, Pose):
            raise ModelError(
                f"there is no pose called '{name}'", element="run settings", field="pose",
                remedy="Choose an existing pose or none",
            )  # fmt: skip
        return pose

    def parameter(self, name: str) -> Value:
        """Value of a parameter; FormulaError for a loop or an unknown name."""
        if name in self._known:
            return self._known[name]
        if not self._has_value(name):
            hint = "t" if name == "t" else f"'{name}'"
            raise FormulaError(
                f"{hint} is not a parameter of this model",
                remedy="Add a parameter or material of that name, or correct the spelling",
            )
        self._find(name)
        return self._known[name]

    def _find(self, name: str) -> None:
        """Values of a parameter and of those it hangs on, one after the other, however many."""
        waiting = [name]
        while waiting:
            last = waiting[-1]
            node = self._written(last).node
            further = [n for n in sorted(formula.names(node)) if self._is_unknown(n)]
            again = [n for n in further if n in waiting]
            if again:
                loop = " → ".join([*waiting[waiting.index(again[0]) :], again[0]])
                raise FormulaError(f"the parameters define each other in a circle: {loop}").at(
                    last, "value"
                )
            if further:
                waiting.append(further[0])
                continue
            try:
                self._known[last] = formula.evaluate(node, self.parameter)
            except FormulaError as error:
                raise error.at(last, "value") from None
            waiting.pop()

    def _is_unknown(self, name: str) -> bool:
        return name not in self._known and self._has_value(name)

    def _has_value(self, name: str) -> bool:
        """Whether a name stands for a parameter, or for a material, which is its density."""
        elements = self.written.elements
        return isinstance(elements.get(name), Parameter) or bool(material_named(name, elements))

    def _written(self, name: str) -> Quantity:
        material = material_named(name, self.written.elements)
        if material is not None:
            assert isinstance(material.density, Quantity)
            return material.density
        element = self.written.elements[name]
        written = {name: element.value, **self.case.values, **self.overruled}[name]  # type: ignore[attr-defined]
        assert isinstance(written, Quantity)
        return written

    def value(self, quantity: Quantity) -> Value:
        return formula.evaluate(quantity.node, self.parameter)

    def si(self, quantity: object, kind: str) -> float:
        """SI value of a field of this kind (Hz for frequencies)."""
        assert isinstance(quantity, Quantity)
        value = self.value(quantity)
        number = float(value.si)
        if number == 0.0 and value.dimension == units.NUMBER:
            return 0.0  # a plain 0 fits everywhere
        if not abs(number) <= LARGEST.get(kind, LARGEST[""]):
            raise FormulaError(
                f"'{quantity.text}' is larger than any machine needs", remedy="Check its unit"
            )
        if kind == "angular speed" and quantity.text.rstrip().endswith("Hz"):
            raise FormulaError("Hz counts turns, not angle", remedy="Write it in rpm or rad/s")
        try:
            return units.to_kind(number, value.dimension, kind)
        except FormulaError as error:
            example = f"{quantity.text} {units.KINDS[kind].shown[-1][0]}"
            if value.dimension == units.NUMBER and isinstance(quantity.node, formula.Number):
                raise FormulaError(error.problem, remedy=f"{error.remedy} {example}") from None
            remedy = error.remedy.replace(", for example", "")
            raise FormulaError(error.problem, remedy=remedy) from None

    def field(self, element: object, name: str, kind: str) -> float:
        """SI value of a field of an element or part, with the place named in errors."""
        try:
            return self.si(getattr(element, name), kind)
        except ModelError as error:
            raise error.at(getattr(element, "name", ""), name) from None

    def vector(self, element: object, name: str, kind: str) -> Floats:
        """(3,) SI values of a vector field."""
        try:
            return np.array([self.si(part, kind) for part in getattr(element, name)])
        except ModelError as error:
            raise error.at(getattr(element, "name", ""), name) from None

    def curve(self, element: object, name: str, over: str, kind: str) -> Interpolation | None:
        """A curve field in SI units, or None where it is empty."""
        written = getattr(element, name)
        if written is None:
            return None
        assert isinstance(written, Curve)
        try:
            points = [(self.si(x, over), self.si(y, kind)) for x, y in written.points]
            x, y = np.array(points).T
            return Interpolation(x, y, SHAPE_KEEPING if written.smooth else LINEAR)
        except ModelError as error:
            raise error.at(getattr(element, "name", ""), name) from None

    def outline(self, element: object, name: str) -> Floats:
        """(P, 4) m: x, y, rounding, arc of the points of an outline, or x, y, z, rounding."""
        written = getattr(element, name)
        assert isinstance(written, Outline)
        try:
            points = [[self.si(value, "length") for value in point] for point in written.points]
        except ModelError as error:
            raise error.at(getattr(element, "name", ""), name) from None
        return np.array(points)

    def column(self, dataset: str, column: str, way: str) -> tuple[Interpolation, units.Dimension]:
        """A column of a data set over its time in SI units, and the dimension of its values."""
        data = self.written.elements.get(dataset)
        if not isinstance(data, Dataset):
            raise FormulaError(f"there is no data set called '{dataset}'", remedy="Choose one")
        titles = list(data.columns)
        found = [t for t in titles if t == column or _bare(t) == column]
        if len(found) != 1:
            raise FormulaError(
                f"{dataset} has no column '{column}'",
                remedy=f"Its columns are {', '.join(map(_bare, titles[1:]))}",
            )
        second, _ = units.unit(_unit(titles[0]) or "s")
        factor, dimension = units.unit(_unit(found[0]))
        time = second * np.array(data.columns[titles[0]])
        curve = Interpolation(time, factor * np.array(data.columns[found[0]]), way, held=True)
        return curve, dimension


def _bare(title: str) -> str:
    """Title of a column without its unit: 'force' of 'force [N]'."""
    return title.partition("[")[0].strip()


def _unit(title: str) -> str:
    return title.partition("[")[2].rstrip(" ]").strip()


def find_case(model: Model, name: str | None) -> Case:
    """A case by name, with what it takes over from those it is built on; without a name Base where
    there is one, else the first."""
    if name is None:
        name = BASE if BASE in model.cases else next(iter(model.cases))
    if name not in model.cases:
        raise ModelError(
            f"there is no case '{name}'", remedy=f"The cases are {', '.join(model.cases)}"
        )
    return cases.whole(model.cases, name)
