"""Reports: what stands in them is what model and recordings have, as text and never as markup."""

import re
from html.parser import HTMLParser

import numpy as np
import pytest

import impeto as im
from impeto.launch import main
from impeto.services import model_file
from impeto.services.report.curves import MOST, Curve, drawn, rounds, thinned
from impeto.services.report.report import rendered
from tests.core.building import body, frame, joint

VOID = {"meta", "img", "br", "link", "line"}


class Tags(HTMLParser):
    """Sees that what is opened is closed, in order; keeps the text."""

    def __init__(self):
        super().__init__()
        self.open, self.texts, self.kinds = [], [], []

    def handle_starttag(self, tag, attrs):
        self.kinds.append(tag)
        if tag not in VOID:
            self.open.append(tag)

    def handle_startendtag(self, tag, attrs):
        self.kinds.append(tag)

    def handle_endtag(self, tag):
        assert self.open.pop() == tag

    def handle_data(self, data):
        self.texts.append(data.strip())


def parsed(text):
    tags = Tags()
    tags.feed(text)
    assert not tags.open
    return tags


@pytest.fixture(scope="module")
def crane():
    model = model_file.load_demo("loader_crane")
    return model, {case: im.simulate(model, case, until=2.0) for case in model.cases}


def test_a_report_has_masses_joints_cases_trust_and_figures(crane, tmp_path):
    model, runs = crane
    im.report(tmp_path / "crane.html", model, runs, ["jack_motor.current", "slew.force"],
              b"\x89PNG picture")  # fmt: skip
    text = (tmp_path / "crane.html").read_text(encoding="utf-8")
    tags = parsed(text)
    said = [part for part in tags.texts if part]
    assert tags.kinds.count("svg") == 2
    assert tags.kinds.count("polyline") == 4
    assert "data:image/png;base64,iVBORyBwaWN0dXJl" in text
    for name in ("boom", "upper_pin", "Weak motor", "winding = 1 ohm"):
        assert name in said, name
    total = sum(row.all.mass for row in im.weights(model))
    assert f"{total:.4g}" in " ".join(said).replace("\N{THIN SPACE}", " ")
    assert any(part.startswith("jack_motor stalls from 1.4") for part in said)
    current = runs["Base"]["jack_motor.current"]
    assert f"{current.max():.4g}" in said
    assert f"{runs['Base'].time[np.argmax(current)]:.4g} s" in said
    assert any("slide y" in part or "Nothing" in part or "motion" in part for part in said)


def test_names_and_notes_are_never_markup():
    evil = "<script>alert(1)</script><img src=x>"
    model = im.Model(evil, [body("b", 1.0, (1.0, 1.0, 1.0)), frame("g"), frame("f", "b"),
                            joint("pin", "g", "f", "turn y", note=evil)],
                     cases=[im.Case(name="a <b> case", note=evil)])  # fmt: skip
    text = rendered(model, {evil: im.simulate(model, until=0.01)})
    tags = parsed(text)
    assert "script" not in tags.kinds
    assert "img" not in tags.kinds
    assert evil in "".join(tags.texts)


def test_a_run_that_stopped_and_one_without_a_channel_say_so(crane):
    model, runs = crane
    saw = im.simulate(model_file.load_demo("sling_swing"), until=0.1)
    text = rendered(model, runs | {"another": saw}, ["slew.force"])
    assert "Not in another." in parsed(text).texts
    with pytest.raises(im.ChannelError, match="There is no channel 'slew"):
        rendered(model, runs, ["slew.beauty"])
    with pytest.raises(im.FileError, match=r"must end in \.html"):
        im.report("crane.doc", model, runs)


def test_without_a_choice_the_forces_of_joints_and_drives_are_shown(crane):
    model, runs = crane
    said = parsed(rendered(model, runs)).texts
    assert "jack.force" in said
    assert "lower_pin.force" in said


def test_thinned_lines_keep_every_peak():
    t = np.linspace(0.0, 1.0, 100_000)
    x = np.sin(200 * t)
    x[54_321], x[77_777] = 9.0, -7.0
    time, values = thinned(t, x)
    assert len(time) <= MOST
    assert values.max() == 9.0
    assert values.min() == -7.0
    assert (np.diff(time) > 0).all()
    points = re.search('points="([^"]*)"', drawn([Curve("x", t, x)]))[1].split()
    assert len(points) == len(time)


@pytest.mark.parametrize(("low", "high", "expected"), [
    (0.0, 10.0, [0, 2, 4, 6, 8, 10]), (-1.0, 1.0, [-1, -0.5, 0, 0.5, 1]),
    (3.0, 3.0, None), (1e-7, 3e-7, None), (-4e6, 9e6, None),
])  # fmt: skip
def test_charts_are_marked_with_round_numbers(low, high, expected):
    found = rounds(low, high)
    if expected is not None:
        assert found == pytest.approx(expected)
    assert 2 <= len(found) <= 8
    assert found[0] <= low + 1e-12
    assert found[-1] >= high - 1e-12


def test_reports_by_the_shell(crane, tmp_path, capsys):
    _, runs = crane
    for name, run in runs.items():
        run.save(tmp_path / f"{name}.h5")
    files = [str(tmp_path / f"{name}.h5") for name in runs]
    out = tmp_path / "crane.html"
    assert main(["report", *files, "--out", str(out), "--channels", "jack_motor.current"]) == 0
    assert "Written to" in capsys.readouterr().out
    tags = parsed(out.read_text(encoding="utf-8"))
    assert "img" in tags.kinds
    assert "Weak motor" in tags.texts
    assert main(["report", *files, "--out", str(out), "--channels", "beauty"]) == 1
    assert "There is no channel 'beauty'" in capsys.readouterr().err
