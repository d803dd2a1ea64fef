"""Every kind of element has all its parts in the window, in files and in Python."""

import numpy as np
import pytest

import impeto
from impeto.app.document import Document
from impeto.app.kinds import KINDS
from impeto.app.new_elements import additions
from impeto.app.stage.surfaces import shape_surface
from impeto.core.assembly.resolve import shape_mass
from impeto.core.bodies.shapes import SHAPES
from impeto.core.contact.shapes import shape_data
from impeto.core.elements import ELEMENTS, Body, Joint
from impeto.core.geometry.solids import NORMAL
from impeto.core.model.scope import Scope
from impeto.services import model_file


def test_the_window_knows_every_kind_that_a_model_may_have():
    assert set(KINDS) == set(ELEMENTS.values())
    assert all(cls.tag == tag and cls.group for tag, cls in ELEMENTS.items())
    assert len({kind.title for kind in KINDS.values()}) == len(KINDS)
    for kind in KINDS.values():
        assert kind.strokes or kind.cls in (Body, Joint), kind.title  # drawn by their values
        assert kind.cls.__name__ in impeto.__all__


@pytest.mark.parametrize("kind", SHAPES)
def test_every_shape_has_a_mass_contact_and_a_drawing(kind):
    wedge = impeto.Triangles(np.vstack([np.zeros(3), np.eye(3)]),
                             np.array([(0, 2, 1), (0, 1, 3), (1, 2, 3), (0, 3, 2)]))  # fmt: skip
    more = {impeto.Mesh: {"file": "wedge.stl"}, impeto.Road: {"profile": "0 m: 0 m; 1 m: 0.1 m"}}
    shape = kind(**more.get(kind, {}))
    model = impeto.Model("shapes", [impeto.Body(name="one", mass=1, shapes=(shape,))],
                         geometry={"wedge.stl": wedge})  # fmt: skip
    scope = Scope(model)
    assert shape_mass(scope, shape).mass > 0.0 or kind in (impeto.HalfSpace, impeto.Road)
    assert shape_data(scope, shape, 1, -1, NORMAL).bound > 0.0
    assert shape_surface(scope, shape).GetNumberOfPolys() > 0
    assert kind.__name__ in impeto.__all__


@pytest.mark.parametrize("demo", ["gang_saw", "winch_gears", "log_sorter"])
def test_a_new_one_of_each_kind_has_a_line_and_a_place_in_the_file(demo):
    document = Document(model_file.load_demo(demo))
    complaints = []
    document.complained.connect(complaints.append)
    for command in additions(document):
        before = document.model
        command.action()
        if document.model is before or command.title == "Add a case":
            continue
        element = document.model[document.selected]
        assert KINDS[type(element)].line(element, Scope(document.model)), command.title
    assert all("needed first" in text for text in complaints), complaints
    again = model_file.parse(model_file.to_text(document.model))
    assert again == document.model


def test_each_kind_has_a_page_of_help_that_names_all_of_its_fields():
    from impeto.app.help.pages import pages, title_of
    from impeto.app.help.texts import texts
    from impeto.core.model import fields

    made = pages()
    assert set(texts()[1]) == {kind.cls.tag for kind in KINDS.values()}
    for kind in KINDS.values():
        page = made[title_of(kind.cls)]
        for name, spec in fields.specs(kind.cls).items():
            if name not in ("enabled", "note"):
                assert f"<td>{fields.title(name, spec)}</td>" in page, (kind.title, name)
    assert {"Build desk", "Watch desk"} <= set(made)


def test_f1_opens_the_page_of_what_is_selected_and_is_searched_by_words(window, hand):
    from PyQt6.QtCore import Qt

    from impeto.app.help.dialog import HelpDialog

    window.document.select("crank_pin")
    hand.keys((Qt.Key.Key_F1, Qt.KeyboardModifier.NoModifier))
    (dialog,) = window.findChildren(HelpDialog)
    assert dialog.isVisible()
    assert "Joint" in dialog.text.toPlainText()
    hand.qtbot.keyClicks(dialog.search, "pinion slides")
    assert [dialog.list.item(k).text() for k in range(dialog.list.count())] == ["Rack and pinion"]
    dialog.close()
