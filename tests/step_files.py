"""STEP assemblies made for tests: bars with holes, pins, plates, placed, named and coloured."""

import math
from dataclasses import dataclass, field
from pathlib import Path

from OCP.BRep import BRep_Builder
from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut
from OCP.BRepPrimAPI import BRepPrimAPI_MakeBox, BRepPrimAPI_MakeCylinder
from OCP.gp import gp_Ax1, gp_Ax2, gp_Dir, gp_Pnt, gp_Trsf, gp_Vec
from OCP.Message import Message, Message_Printer
from OCP.Quantity import Quantity_Color, Quantity_TypeOfColor
from OCP.STEPCAFControl import STEPCAFControl_Writer
from OCP.STEPControl import STEPControl_StepModelType
from OCP.TCollection import TCollection_ExtendedString
from OCP.TDataStd import TDataStd_Name
from OCP.TDocStd import TDocStd_Document
from OCP.TopLoc import TopLoc_Location
from OCP.TopoDS import TopoDS_Compound
from OCP.XCAFApp import XCAFApp_Application
from OCP.XCAFDoc import XCAFDoc_ColorType, XCAFDoc_DocumentTool

SURFACE = XCAFDoc_ColorType.XCAFDoc_ColorSurf
SRGB = Quantity_TypeOfColor.Quantity_TOC_sRGB


def place(x=0.0, y=0.0, z=0.0, angle=0.0, axis=(0, 0, 1)):
    """A turn about an axis through the origin, then a shift [mm]."""
    turn, shift = gp_Trsf(), gp_Trsf()
    turn.SetRotation(gp_Ax1(gp_Pnt(0, 0, 0), gp_Dir(*axis)), angle)
    shift.SetTranslation(gp_Vec(x, y, z))
    return TopLoc_Location(shift.Multiplied(turn))


def block(low, high):
    return BRepPrimAPI_MakeBox(gp_Pnt(*low), gp_Pnt(*high)).Shape()


def round_bar(at, along, radius, length):
    return BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(*at), gp_Dir(*along)), radius, length).Shape()


def cut(shape, *others):
    for other in others:
        shape = BRepAlgoAPI_Cut(shape, other).Shape()
    return shape


def compound(*shapes):
    """Several solids as one part."""
    builder, made = BRep_Builder(), TopoDS_Compound()
    builder.MakeCompound(made)
    for shape in shapes:
        builder.Add(made, shape)
    return made


def bar(length, diameter, width=30.0, thick=10.0):
    """From the origin along x, with a hole at either end along z."""
    edge = 2.0 * width / 3.0
    plate = block((-edge, -width / 2, -thick / 2), (length + edge, width / 2, thick / 2))
    holes = [round_bar((x, 0, -thick), (0, 0, 1), diameter / 2, 2 * thick) for x in (0, length)]
    return cut(plate, *holes)


@dataclass
class StepFile:
    """An assembly while it is made."""

    name: str
    document: object = field(init=False)

    def __post_init__(self):
        self.document = TDocStd_Document(TCollection_ExtendedString("made"))
        XCAFApp_Application.GetApplication_s().InitDocument(self.document)
        main = self.document.Main()
        self.shapes = XCAFDoc_DocumentTool.ShapeTool_s(main)
        self.colours = XCAFDoc_DocumentTool.ColorTool_s(main)
        self.top = self.shapes.NewShape()
        _name(self.top, self.name)

    def part(self, shape, name, colour=None):
        """A product; its label."""
        label = self.shapes.AddShape(shape, False)
        _name(label, name)
        if colour is not None:
            self.colours.SetColor(label, Quantity_Color(*colour, SRGB), SURFACE)
        return label

    def assembly(self, name):
        label = self.shapes.NewShape()
        _name(label, name)
        return label

    def put(self, part, name, at=None, into=None, colour=None):
        """An occurrence of a product in the top or in another assembly."""
        made = self.shapes.AddComponent(into or self.top, part, at or place())
        _name(made, name)
        if colour is not None:
            self.colours.SetColor(made, Quantity_Color(*colour, SRGB), SURFACE)
        return made

    def write(self, path):
        self.shapes.UpdateAssemblies()
        Message.DefaultMessenger_s().RemovePrinters(Message_Printer.get_type_descriptor_s())
        writer = STEPCAFControl_Writer()
        writer.SetNameMode(True)
        writer.SetColorMode(True)
        writer.Transfer(self.document, STEPControl_StepModelType.STEPControl_AsIs)
        writer.Write(str(path))
        return Path(path)


def _name(label, name):
    TDataStd_Name.Set_s(label, TCollection_ExtendedString(name, True))


def slider_crank(path, crank=100.0, rod=300.0, angle=60.0, hole=24.0):
    """Crank, rod, slider, a pin used twice, a base in an assembly of its own [mm, degrees]."""
    made = StepFile("slider crank")
    turn = math.radians(angle)
    x, y = crank * math.cos(turn), crank * math.sin(turn)
    lean = -math.asin(y / rod)
    end = x + rod * math.cos(lean)
    made.put(made.part(bar(crank, hole), "crank", (0.7, 0.4, 0.2)), "crank", place(angle=turn))
    made.put(made.part(bar(rod, hole), "rod", (0.2, 0.4, 0.7)), "rod", place(x, y, 12, lean))
    pin = made.part(round_bar((0, 0, -10), (0, 0, 1), hole / 2, 30), "pin", (0.5, 0.5, 0.5))
    made.put(pin, "crank pin", place(x, y, 0))
    made.put(pin, "slider pin", place(end, 0, 0), colour=(0.9, 0.1, 0.1))
    slider = cut(
        block((-40, -25, -5), (40, 25, 5)), round_bar((0, 0, -10), (0, 0, 1), hole / 2, 20)
    )
    made.put(made.part(slider, "slider"), "slider", place(end, 0, 0))
    frame = made.assembly("frame")
    made.put(frame, "frame")
    base = cut(block((-60, -60, -30), (60, 60, -8)), round_bar((0, 0, -40), (0, 0, 1), 12, 40))
    made.put(made.part(base, "base", (0.4, 0.4, 0.4)), "base", into=frame)
    made.put(made.part(block((200, -60, -30), (500, 60, -8)), "guide"), "guide", into=frame)
    return made.write(path)
