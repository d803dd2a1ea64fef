"""The tree of an assembly in a STEP file: which part stands where, its names and colours."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt
from OCP.collections import Sequence_TDF_Label
from OCP.IFSelect import IFSelect_ReturnStatus
from OCP.Quantity import Quantity_Color, Quantity_TypeOfColor
from OCP.STEPCAFControl import STEPCAFControl_Reader
from OCP.TCollection import TCollection_AsciiString, TCollection_ExtendedString
from OCP.TDataStd import TDataStd_Name
from OCP.TDF import TDF_Label, TDF_Tool
from OCP.TDocStd import TDocStd_Document
from OCP.TopLoc import TopLoc_Location
from OCP.XCAFApp import XCAFApp_Application
from OCP.XCAFDoc import (
    XCAFDoc_ColorTool,
    XCAFDoc_ColorType,
    XCAFDoc_DocumentTool,
    XCAFDoc_ShapeTool,
)

from impeto.core.errors import FileError
from impeto.services.drawing_file import MOST_PARTS

Floats = npt.NDArray[np.float64]
DEEPEST = 100  # assemblies within each other
LONGEST = 80  # letters of one name on the way to a part
COLOURS = (XCAFDoc_ColorType.XCAFDoc_ColorSurf, XCAFDoc_ColorType.XCAFDoc_ColorGen)


@dataclass(frozen=True, slots=True)
class Place:
    """A part where it stands. key : of its product;  path : names from the top;  matrix : (3, 4),
    millimetres;  colour : '' where none is given for this place"""

    key: str
    title: str
    product: str
    path: str
    matrix: Floats
    colour: str


class Tree:
    """What the reader makes of a file. Raises FileError."""

    def __init__(self, path: Path, name: str) -> None:
        self.name = name
        application = XCAFApp_Application.GetApplication_s()
        self.document = TDocStd_Document(TCollection_ExtendedString("impeto"))
        application.InitDocument(self.document)
        reader = STEPCAFControl_Reader()
        reader.SetNameMode(True)
        reader.SetColorMode(True)
        if reader.ReadFile(str(path)) != IFSelect_ReturnStatus.IFSelect_RetDone:
            raise FileError(f"'{name}' is damaged: it is not STEP that can be read.")
        if not reader.Transfer(self.document):
            raise FileError(f"'{name}' holds no solids that can be read.")
        main = self.document.Main()
        self.shapes = XCAFDoc_DocumentTool.ShapeTool_s(main)
        self.colours = XCAFDoc_DocumentTool.ColorTool_s(main)
        self._counts: dict[str, int] = {}

    def places(self) -> list[Place]:
        """All parts where they stand, in the order of the file. Raises FileError for too many."""
        roots = Sequence_TDF_Label()
        self.shapes.GetFreeShapes(roots)
        listed = [roots.Value(k) for k in range(1, roots.Length() + 1)]
        number = sum(self._count(root, 0) for root in listed)
        if number > MOST_PARTS:
            raise FileError(
                f"'{self.name}' holds {number:,} parts: at most {MOST_PARTS:,} are read. Leave out "
                "screws and the like in the program that made it."
            )
        found = [p for root in listed for p in self._walk(root, TopLoc_Location(), "", "")]
        if not found:
            raise FileError(f"'{self.name}' holds no parts.")
        return found

    def occurrences(self) -> int:
        """How many places of parts and assemblies the file has, each once."""
        labels = Sequence_TDF_Label()
        self.shapes.GetShapes(labels)
        every = (labels.Value(k) for k in range(1, labels.Length() + 1))
        return sum(
            len(self._components(label)) for label in every if XCAFDoc_ShapeTool.IsAssembly_s(label)
        )

    def shape(self, key: str) -> Any:
        """The shape of a product by its key, in its own axes."""
        label = TDF_Label()
        TDF_Tool.Label_s(self.document.GetData(), key, label)
        return XCAFDoc_ShapeTool.GetShape_s(label)

    def colour_of(self, shape: Any) -> str:
        """#rrggbb of a shape, '' where none is given for it."""
        return _first_colour(self.colours.GetColor, shape)

    def _product(self, label: Any) -> Any:
        referred = TDF_Label()
        found = XCAFDoc_ShapeTool.GetReferredShape_s(label, referred)
        return referred if found else label

    def _components(self, product: Any) -> list[Any]:
        listed = Sequence_TDF_Label()
        XCAFDoc_ShapeTool.GetComponents_s(product, listed)
        return [listed.Value(k) for k in range(1, listed.Length() + 1)]

    def _count(self, label: Any, depth: int) -> int:
        """How many parts there are below, before they are unfolded: a short file can stand for
        millions."""
        product = self._product(label)
        key = _entry(product)
        if depth > DEEPEST:
            raise FileError(f"'{self.name}': its assemblies go deeper than {DEEPEST} levels.")
        if key not in self._counts:
            self._counts[key] = 1 if not XCAFDoc_ShapeTool.IsAssembly_s(product) else sum(
                self._count(child, depth + 1) for child in self._components(product)
            )  # fmt: skip
        return self._counts[key]

    def _of_this_place(self, label: Any) -> str:
        """The colour of one occurrence of a part, which overrules that of the product."""
        shape = XCAFDoc_ShapeTool.GetShape_s(label)
        own = _first_colour(self.colours.GetInstanceColor, shape)
        return own or _first_colour(XCAFDoc_ColorTool.GetColor_s, label)

    def _walk(self, label: Any, place: Any, path: str, colour: str) -> Iterator[Place]:
        product = self._product(label)
        own, kind = name_of(label), name_of(product)
        title = own if own and own != kind else kind or own
        step = title[:LONGEST].replace("/", "\N{DIVISION SLASH}")  # names are joined by slashes
        here = f"{path}/{step}" if path else step
        colour = self._of_this_place(label) or colour
        if XCAFDoc_ShapeTool.IsAssembly_s(product):
            for child in self._components(product):
                at = place.Multiplied(XCAFDoc_ShapeTool.GetLocation_s(child))
                yield from self._walk(child, at, here, colour)
            return
        transformation = place.Transformation()
        matrix = [[transformation.Value(i, j) for j in (1, 2, 3, 4)] for i in (1, 2, 3)]
        yield Place(_entry(product), title, kind or title, here, np.array(matrix), colour)


def _first_colour(ask: Callable[[Any, Any, Quantity_Color], bool], of: Any) -> str:
    """#rrggbb of a shape or label, '' where none is given for it."""
    found = Quantity_Color()
    for kind in COLOURS:
        if ask(of, kind, found):
            shares = found.Values(Quantity_TypeOfColor.Quantity_TOC_sRGB)
            return "#" + "".join(f"{round(255.0 * min(max(s, 0.0), 1.0)):02x}" for s in shares)
    return ""


def name_of(label: Any) -> str:
    """Its name in one line, '' where it has none."""
    found = TDataStd_Name()
    if not label.FindAttribute(TDataStd_Name.GetID_s(), found):
        return ""
    text = str(found.Get().ToExtString())
    return " ".join("".join(c if c.isprintable() else " " for c in text).split())[:300]


def _entry(label: Any) -> str:
    """What tells a label from others."""
    text = TCollection_AsciiString()
    TDF_Tool.Entry_s(label, text)
    return str(text.ToCString())
