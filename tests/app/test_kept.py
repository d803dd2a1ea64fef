"""Charts and views that are kept with the model."""

import numpy as np
import pytest

from impeto.app.stage.camera import orbit, stance
from impeto.core.elements import Chart, View
from impeto.services import model_file


def again(window, path):
    window.files.open_path(path)


def test_charts_are_saved_with_the_model_and_come_back(solved, hand, tmp_path):
    panel = solved.watch
    first, second = panel.charts
    panel.remove_chart(second)
    more = panel.add_chart()
    for name in ("saw_frame.position.z", "rate(crank_drive.torque)"):
        more.add(name)
    more.show_as("over the first")
    more.log.click()
    assert solved.files.save_path(tmp_path / "saw.impeto.json")
    assert not solved.document.dirty
    again(solved, tmp_path / "saw.impeto.json")
    kept = solved.document.model.of(Chart)
    assert [chart.listed for chart in kept] == [tuple(first.channels), tuple(more.channels)]
    assert panel.charts == []
    hand.run("0.2 s")
    assert [chart.channels for chart in panel.charts] == [list(c.listed) for c in kept]
    assert [chart.look_at for chart in panel.charts] == ["over time", "over the first"]
    assert [chart.log.isChecked() for chart in panel.charts] == [False, True]
    assert panel.charts[1].curves


def test_a_chart_changed_in_the_sheet_is_drawn_so_and_saving_changes_nothing_more(solved, tmp_path):
    document, panel = solved.document, solved.watch
    document.save(tmp_path / "saw.impeto.json")
    charts = list(panel.charts)
    chart = document.model.of(Chart)[0]
    document.edit_element(Chart(name=chart.name, channels="saw_frame.velocity.z; no.such"))
    assert panel.charts != charts
    assert panel.charts[0].channels == ["saw_frame.velocity.z", "no.such"]
    assert [curve.name for curve in panel.charts[0].curves] == ["saw_frame.velocity.z"]
    document.save(tmp_path / "saw.impeto.json")
    assert model_file.load(tmp_path / "saw.impeto.json").of(Chart)[0].listed[1] == "no.such"
    document.rename("saw_frame", "sash")
    assert document.model.of(Chart)[0].listed[0] == "sash.velocity.z"


@pytest.mark.parametrize("turns", [None, False, True])
def test_a_view_is_kept_and_comes_back_from_any_instant(solved, turns):
    window, document = solved, solved.document
    camera = window.stage.scene.camera
    document.select("crank")
    window.stage_panel.follow(turns)
    document.set_instant(0.1)
    orbit(camera, 20.0, 5.0)
    before = stance(camera)
    window.views.keep()
    (view,) = document.model.of(View)
    assert (
        view.follows
        == ("nothing", "its place", "its place and turns")[(None, False, True).index(turns)]
    )
    window.stage_panel.follow(None)
    document.set_instant(0.37)
    orbit(camera, -70.0, 10.0)
    window.stage_panel.view_chosen.emit(view.name)
    document.set_instant(0.1)
    np.testing.assert_allclose(stance(camera), before, atol=1e-8)


def test_a_view_that_looks_nowhere_says_so(window):
    document = window.document
    document.edit("view", document.model.with_element(View(name="blind", position=(0, 0, 5))))
    before = stance(window.stage.scene.camera)
    window.views.show("blind")
    assert "looks nowhere" in window.toast.text()
    assert stance(window.stage.scene.camera) == before
