"""The Map: its layout on its own, then in the window by clicks and keys."""

import numpy as np
import pytest
from PyQt6.QtCore import Qt

import impeto
from impeto.app.map import items
from impeto.app.map.arrangement import arrange
from impeto.app.map.network import network
from impeto.core.overlaps import contact_pairs
from impeto.services import model_file
from tests.app.test_engine_in_the_window import open_model

CTRL = Qt.KeyboardModifier.ControlModifier


def grown(rng, count):
    """Bodies that are each joined to one or two before them, some left alone."""
    elements, held = [], ["ground"]
    for k in range(count):
        elements += [impeto.Body(name=f"b{k}", mass=1.0, inertia=(1.0, 1.0, 1.0)),
                     impeto.Frame(name=f"f{k}", body=f"b{k}")]  # fmt: skip
        others = rng.choice(held, size=min(len(held), int(rng.integers(0, 3))), replace=False)
        for other in map(str, others):
            joint = f"{other}_b{k}"
            elements += [
                impeto.Frame(name=f"at_{joint}", body=other),
                impeto.Joint(name=joint, frame_a=f"at_{joint}", frame_b=f"f{k}"),
            ]
        held.append(f"b{k}")
    return impeto.Model("grown", elements)


@pytest.mark.parametrize("seed", range(6))
def test_bodies_stand_in_layers_by_their_distance_from_the_ground(seed):
    model = grown(np.random.default_rng(seed), 25)
    made = network(model, "Base")
    places = arrange(made)
    assert set(places) == set(made.bodies)
    apart = [np.array(place) for place in places.values()]
    assert min(np.abs(a - b).max() for i, a in enumerate(apart) for b in apart[:i]) > 0.6
    ends = [{link.first, link.second} for link in made.links]
    known, layer = {"ground"}, 0
    while known:
        assert {places[body][1] for body in known} == {float(layer)}
        ends = [pair for pair in ends if not pair <= known]
        reached = {body for pair in ends if pair & known for body in pair - known}
        ends = [pair for pair in ends if not pair & known]
        known, layer = reached, layer + 1


def test_the_network_knows_what_acts_where():
    made = network(model_file.load_demo("log_sorter"), "Base")
    assert [(link.name, link.first, link.second) for link in made.links] == [
        ("rails_mount", "ground", "rails"), ("kicker_pivot", "ground", "arm")
    ]  # fmt: skip
    assert made.powered == {"kicker_pivot": ("kicker",)}
    assert made.carried["thick_log"] == ("thick_feed",)
    assert "belt" in made.carried["ground"]
    assert "thin_stack" in made.carried["ground"]
    assert made.fed == {"thin_log", "thick_log"}
    geared = network(model_file.load_demo("winch_gears"), "By coupler")
    assert [len(joints) for joints in geared.ties.values()] == [2]
    assert "teeth" in geared.off


def test_a_frame_that_leads_nowhere_leaves_its_joint_out(gang_saw):
    lost = [e for e in gang_saw.elements.values() if e.name != "big_end"]
    broken = gang_saw.changed(elements=lost)
    assert "crank_pin" not in {link.name for link in network(broken, "Base").links}


@pytest.fixture
def drawn(window, hand, qtbot):
    """The Map of the gang saw, with what the Health card knows."""
    hand.keys((Qt.Key.Key_G, CTRL))
    chart = window.stage_panel.map
    qtbot.waitUntil(lambda: chart.isVisible() and chart.state_of("crank") != items.UNKNOWN)
    return chart


def spot(chart, item):
    return chart.mapFromScene(item.pos())


def test_a_click_selects_and_the_roster_and_sheet_follow(window, hand, drawn):
    hand.click(drawn.viewport(), spot(drawn, drawn.items_of("rod")[0]))
    assert window.document.selected == "rod"
    assert window.roster.list.currentIndex().data() == "rod"
    hand.click(drawn.viewport(), spot(drawn, drawn.items_of("crank_pin")[0]))
    assert window.document.selected == "crank_pin"
    corner = drawn.viewport().rect().bottomRight()
    hand.click(drawn.viewport(), corner - type(corner)(5, 5))
    assert window.document.selected == ""
    hand.pick_row("saw_frame")
    assert drawn.items_of("saw_frame")[0].chosen


def test_arrow_keys_go_from_body_to_body(window, hand, drawn, qtbot):
    window.document.select("crank")
    for key, then in ((Qt.Key.Key_Right, "saw_frame"), (Qt.Key.Key_Up, "rod"),
                      (Qt.Key.Key_Left, "counterweight"), (Qt.Key.Key_Down, "crank")):  # fmt: skip
        qtbot.keyClick(drawn, key)
        assert window.document.selected == then
    scale = drawn.transform().m11()
    qtbot.keyClick(drawn, Qt.Key.Key_Minus)
    assert drawn.transform().m11() < scale
    qtbot.keyClick(drawn, Qt.Key.Key_F)
    assert drawn.transform().m11() == pytest.approx(scale)


def test_what_is_driven_held_free_or_redundant_is_told(window, hand, drawn, qtbot):
    assert drawn.state_of("saw_frame") == items.LED  # although it stands still at the dead point
    (badge,) = drawn.items_of("guide_right")
    assert badge.lines() == ["guide_right", "2 redundant"]
    assert drawn.driven_freedoms("main_bearing") == ("turn y",)
    window.roster.toggle("crank_drive")
    qtbot.waitUntil(lambda: drawn.state_of("saw_frame") == items.FREE)
    assert drawn.items_of("crank_drive")[0].opacity() < 1.0
    window.roster.toggle("main_bearing")
    assert drawn.items_of("main_bearing")[0].opacity() < 1.0


def test_the_map_shows_the_pairs_that_a_rule_makes(window, hand, drawn, qtbot):
    model = model_file.load_demo("drag_chain")
    open_model(window, model)
    pairs = contact_pairs(model)
    assert f"{sum(map(len, pairs.values()))} more contact pairs" in drawn.hint.text()
    assert not drawn.items_of("link_on_guide")
    window.document.select("link_on_guide")
    assert len(drawn.items_of("link_on_guide")) == len(pairs["link_on_guide"])
    assert drawn.partners == {"ground", *(f"link_{k}" for k in range(1, 41))}
    hand.click(drawn.viewport(), spot(drawn, drawn.items_of("link_7")[0]))
    lines = [i for i in drawn.board.items() if isinstance(i, items.Line) and i.ends]
    assert len(lines) == sum("link_7" in pair for pair in pairs["link_on_link"])
    drawn.grab()


def test_watch_plays_on_the_stage_and_build_has_the_map_again(window, hand, drawn):
    hand.keys((Qt.Key.Key_2, CTRL))
    assert window.stage.isVisible()
    assert not drawn.isVisible()
    hand.keys((Qt.Key.Key_1, CTRL))
    assert drawn.isVisible()
    hand.click(window.stage_panel.to_stage)
    assert window.stage.isVisible()
    assert not drawn.isVisible()


def test_the_map_follows_edits_and_undo(window, hand, drawn):
    before = len(drawn.board.items())
    window.commands.named("Add a body").action()
    hand.settle()
    assert len(drawn.items_of("body")) == 1
    hand.keys((Qt.Key.Key_Z, CTRL))
    assert not drawn.items_of("body")
    assert len(drawn.board.items()) == before
    hand.keys((Qt.Key.Key_L, CTRL | Qt.KeyboardModifier.ShiftModifier))
    assert drawn.look.name == "dark"
