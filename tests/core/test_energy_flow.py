"""Where energy comes from and goes to: against closed forms, and adding up in the demos."""

import numpy as np
import pytest

import impeto as im
from impeto.core.results.energy import LOSS, STORE, WORK, energy_flow
from impeto.services import model_file
from tests.core.building import run
from tests.core.test_flow import falling


def sprung(*more, rate=0.0):
    """2 kg on a spring of 800 N/m that is stretched by 0.1 m, without weight."""
    return im.Model("sprung", [
        im.Body(name="block", mass=2.0, inertia=(1, 1, 1), position=(0.5, 0, 0)),
        im.Frame(name="wall"), im.Frame(name="eye", body="block"),
        im.Joint(name="guide", frame_a="wall", frame_b="eye", free=("slide x",)),
        im.Spring(name="coil", frame_a="wall", frame_b="eye", stiffness=800.0, free_length=0.4),
        im.Damper(name="pot", frame_a="wall", frame_b="eye", damping=rate), *more,
    ])  # fmt: skip


def test_a_spring_gives_a_block_what_it_held():
    quarter = 2 * np.pi / np.sqrt(800 / 2) / 4
    flow = im.simulate(sprung(), until=quarter, tol=1e-10).energy_flow()
    assert flow.given == pytest.approx({"coil": 4.0}, rel=1e-6)  # J, k x² / 2
    assert flow.taken["motion of block"] == pytest.approx(4.0, rel=1e-6)
    assert abs(flow.missing) < 1e-8


def test_a_damper_takes_all_in_the_end_and_a_load_gives_force_times_way():
    r = im.simulate(sprung(rate=60.0), until=5.0)
    assert r.energy_flow().taken == pytest.approx({"pot": 4.0}, rel=1e-6)
    push = im.Load(name="push", frame="eye", direction=(1, 0, 0), value=80.0)
    pushed = im.simulate(sprung(push, rate=60.0), until=5.0)
    flow = pushed.energy_flow()
    assert pushed["block.position.x"][-1] == pytest.approx(0.5, abs=1e-6)  # it balances the spring
    assert abs(flow.given.get("push", 0.0)) < 1e-5
    first = pushed.energy_flow(0.0, 0.05)
    way = np.interp(0.05, pushed.time, pushed["block.position.x"]) - 0.5
    worked = first.given.get("push", 0.0) - first.taken.get("push", 0.0)
    assert worked == pytest.approx(80.0 * way, abs=1e-4)


@pytest.mark.parametrize("name", ["gang_saw", "winch_gears", "offcut_kicker", "log_sorter"])
def test_what_is_given_is_taken(name):
    r = im.simulate(model_file.load_demo(name), until=0.3)
    for begin, end in ((0.0, np.inf), (0.05, 0.2)):
        flow = r.energy_flow(begin, end)
        given, taken = sum(flow.given.values()), sum(flow.taken.values())
        assert given == pytest.approx(taken, rel=1e-8)
        assert abs(flow.missing) < 1e-3 * given
        for role, channels in ((WORK, ("drives", "loads", "events")), (LOSS, ("dissipated",)),
                               (STORE, ("total",))):  # fmt: skip
            parts = sum(part.amount for part in flow.parts if part.role == role)
            ends = [sum(np.interp(t, r.time, r[f"system.energy.{c}"]) for c in channels)
                    for t in (flow.begin, flow.end)]  # fmt: skip
            sign = 1.0 if role == WORK else -1.0
            assert parts == pytest.approx(sign * (ends[1] - ends[0]), abs=2e-3 * given)


def test_an_element_that_is_driven_and_loses_is_told_apart_and_nothing_is_lost():
    """A sail that the wind pushes: what the wind gives and what the air takes are two parts."""
    drag = im.Drag(name="sail", frame="eye", area=2.0, coefficient=1.2, wind=(5.0, 0, 0))
    flow = im.simulate(sprung(drag), until=0.5).energy_flow()
    names = {part.name for part in flow.parts if part.name.startswith("sail")}
    assert names == {"sail, work", "sail, loss"}
    assert sum(flow.given.values()) == pytest.approx(sum(flow.taken.values()), rel=1e-8)


def test_what_comes_and_goes_leaves_no_gap():
    """Bodies that are not there yet have no energy: the rest still adds up."""
    r = run(falling(first=0.1), 1.5)
    for begin, end in ((0.0, np.inf), (0.2, 0.5)):
        flow = energy_flow(r, begin, end)
        assert flow.given
        assert all(np.isfinite(part.amount) for part in flow.parts)
        assert sum(part.amount for part in flow.parts) == pytest.approx(0.0, abs=1e-8)


def test_a_span_that_is_not_there_is_told():
    r = im.simulate(sprung(), until=0.1)
    with pytest.raises(im.ModelError, match="no such span"):
        r.energy_flow(0.2, 0.3)


def test_a_stiff_run_may_end_or_turn_its_page_where_the_method_changes():
    """The stiff method took over exactly at the end, and found no time for a first step."""
    r = im.simulate(model_file.load_demo("loader_crane"), until=0.6)
    assert r.time[-1] == pytest.approx(0.6)
    assert not r.stopped
