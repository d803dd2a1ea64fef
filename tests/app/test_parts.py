"""Parts of the window on their own: document, glyphs, theme, camera, time line, stage geometry."""

import numpy as np
import pytest
from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QColor, QImage, QPainter

import impeto
from impeto.app import glyphs, theme
from impeto.app.deck.deck import ticks
from impeto.app.document import Document
from impeto.app.stage.scene import Scene, shape_surface
from impeto.core.assembly.resolve import shape_mass
from impeto.core.model.freedoms import FREEDOMS
from impeto.core.model.scope import Scope


def luminance(text):
    """Relative luminance of sRGB (WCAG 2)."""
    parts = [int(text[k : k + 2], 16) / 255 for k in (1, 3, 5)]
    linear = [c / 12.92 if c <= 0.03928 else ((c + 0.055) / 1.055) ** 2.4 for c in parts]
    return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]


def contrast(first, second):
    a, b = sorted((luminance(first), luminance(second)))
    return (b + 0.05) / (a + 0.05)


@pytest.mark.parametrize("look", [theme.LIGHT, theme.DARK], ids=lambda t: t.name)
def test_text_has_enough_contrast_on_everything_it_stands_on(look):
    for ground in (look.sheet, look.field, look.paper):
        assert contrast(look.ink, ground) > 7
        for token in (look.soft, look.accent, look.good, look.warn, look.bad):
            assert contrast(token, ground) > 4.5, (token, ground)
    assert contrast(look.on_accent, look.accent) > 4.5
    assert contrast(look.ink, look.wash) > 4.5


def test_body_colours_differ_in_lightness_too():
    values = sorted(luminance(c) for c in theme.BODY_COLOURS.values())
    assert values[-1] > 4 * values[0]


def painted(draw, size=64):
    image = QImage(size, size, QImage.Format.Format_RGB32)
    image.fill(QColor("#FFFFFF"))
    painter = QPainter(image)
    draw(painter, QRectF(0, 0, size, size))
    painter.end()
    return image


@pytest.mark.parametrize("freedom", FREEDOMS)
def test_the_glyph_shows_each_freedom_in_its_own_sector(qapp, freedom):
    """Clockwise from the top: turn x y z, slide x y z; filled is locked."""
    image = painted(lambda p, box: glyphs.draw_freedoms(p, box, (freedom,), theme.LIGHT))
    open_sector = glyphs.SECTORS.index(freedom)
    for sector in range(6):
        turn = np.radians(60 * sector)
        x, y = 32 + 17 * np.sin(turn), 32 - 17 * np.cos(turn)
        light = image.pixelColor(int(x), int(y)).lightness()
        assert (light > 200) == (sector == open_sector), sector


def test_every_kind_of_element_has_a_glyph(qapp, gang_saw):
    kinds = {type(e): e for e in gang_saw.elements.values()}
    kinds[impeto.Spring] = impeto.Spring(name="s", frame_a="a", frame_b="b")
    kinds[impeto.Damper] = impeto.Damper(name="d", frame_a="a", frame_b="b")
    blank = painted(lambda p, box: None, 16)
    for element in kinds.values():
        image = painted(lambda p, box, e=element: glyphs.draw_element(p, box, e, theme.LIGHT), 16)
        assert image != blank, element


def test_undo_and_redo_walk_through_edits_and_a_new_edit_forgets_the_undone(qapp, gang_saw):
    document = Document(gang_saw)
    for text in ("260 mm", "270 mm"):
        document.edit_element(impeto.Parameter(name="crank_radius", value=text))
    document.undo()
    assert document.model["crank_radius"].value.text == "260 mm"
    document.edit_element(impeto.Parameter(name="crank_radius", value="280 mm"))
    assert document.redo() == ""
    document.undo()
    document.undo()
    assert document.model == gang_saw
    assert not document.dirty
    assert document.undo() == ""


def test_an_edit_that_changes_nothing_leaves_no_trace(qapp, gang_saw):
    document = Document(gang_saw)
    document.edit_element(gang_saw["rod"])
    assert document.undo() == ""


@pytest.mark.parametrize(("end", "most"), [(8.0, 9), (0.4, 5), (3600.0, 7), (1e-3, 4)])
def test_ticks_are_round_and_not_too_many(end, most):
    found = ticks(end, most)
    assert found[0] == 0
    assert 2 <= len(found) <= most + 1
    assert found[-1] <= end * (1 + 1e-9)
    step = found[1] / 10 ** np.floor(np.log10(found[1]) + 1e-9)
    assert round(step, 6) in (1, 2, 5)


def surface_volume(surface):
    """Volume inside a triangulated surface (divergence theorem, independent of the mass code)."""
    from vtkmodules.vtkFiltersCore import (
        vtkCleanPolyData,
        vtkMassProperties,
        vtkPolyDataNormals,
        vtkTriangleFilter,
    )

    merged = vtkCleanPolyData()
    merged.SetInputData(surface)
    outwards = vtkPolyDataNormals()
    outwards.SetInputConnection(merged.GetOutputPort())
    outwards.AutoOrientNormalsOn()
    outwards.SplittingOff()
    triangles = vtkTriangleFilter()
    triangles.SetInputConnection(outwards.GetOutputPort())
    measured = vtkMassProperties()
    measured.SetInputConnection(triangles.GetOutputPort())
    return measured.GetVolume()


@pytest.mark.parametrize(
    ("shape", "tolerance"),
    [
        (impeto.Box(size=(0.3, 0.2, 0.5), orientation=("20 deg", 0, "40 deg")), 1e-6),
        (impeto.Cylinder(radius=0.2, length=0.6), 0.01),
        (impeto.Sphere(radius=0.3, position=(1, 2, 3)), 0.05),
        (impeto.Tube(radius=0.3, inner_radius=0.2, length=0.4), 0.01),
        (impeto.Torus(radius=0.3, bar_radius=0.1), 0.02),
    ],
)
def test_what_is_drawn_has_the_volume_and_centre_of_what_is_weighed(shape, tolerance):
    scope = Scope(impeto.Model())
    surface = shape_surface(scope, shape)
    data = shape_mass(scope, shape)
    assert surface_volume(surface) == pytest.approx(data.mass / 7850, rel=tolerance)
    np.testing.assert_allclose(surface.GetCenter(), data.center, atol=1e-6)


def test_near_bodies_hide_far_ones_and_edges_do_not_shine_through(qapp):
    """A box in front of another: no pixel of the hidden one, nor of its edges, is seen."""
    front = impeto.Body(name="front", colour="straw", shapes=(impeto.Box(size=(2, 0.1, 2)),))
    back = impeto.Body(
        name="back", colour="plum", position=(0, 0.4, 0), shapes=(impeto.Box(size=(1, 0.1, 1)),)
    )
    model = impeto.Model("m", [front, back])
    scene = Scene(theme.LIGHT)
    try:
        scene.build(model, Scope(model))
        from impeto.app.stage import camera

        camera.look_from(scene.camera, "front", scene.bounds, 1.0)
        picture = scene.render(200, 200, False)[:, :, :3]
        middle = picture[60:140, 60:140].reshape(-1, 3)
        assert np.ptp(middle.astype(int), axis=0).max() < 12
        assert scene.pick(100, 100, 200, 200) == "front"
        camera.look_from(scene.camera, "back", scene.bounds, 1.0)
        scene.render(200, 200, False)
        assert scene.pick(100, 100, 200, 200) == "back"
    finally:
        scene.close()
