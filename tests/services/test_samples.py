"""Files that earlier versions wrote are read for ever. A new format adds its sample here."""

import json
import math
from pathlib import Path

import pytest

import impeto
from impeto.services import model_codec, recording_file

SAMPLES = Path(__file__).parent.parent / "samples"
# Last values of channels, noted when the sample was written.
NOTED = {
    "recording_2.h5": {
        "bar.pitch": 0.9908542706802135, "pin.force.z": 76.98220250000001,
        "mill.torque": 0.7833269096274833,
    },
    "recording_3.h5": {
        "log.position.x": 0.23530609069735148, "lies.normal": 60.46168045791197,
        "bar.pitch": 0.9908542706795516, "pin.force.z": 76.98220250000001,
    },
    "recording_4.h5": {
        "log.position.x": 0.23530609069735148, "lies.normal": 60.46168045791197,
        "bar.pitch": 0.9908542706795516, "pin.force.z": 76.98220250000001,
    },
}  # fmt: skip


def test_there_is_a_sample_of_every_format():
    names = {path.name for path in SAMPLES.iterdir()}
    for number in range(1, model_codec.FORMAT + 1):
        assert f"model_{number}.impeto.json" in names
    for number in range(recording_file.BEFORE_CONTACT, recording_file.FORMAT + 1):
        assert f"recording_{number}.h5" in names


def test_models_of_every_format_say_the_same():
    first, *others = [impeto.load(path) for path in sorted(SAMPLES.glob("model_*"))]
    assert all(other == first for other in others)
    assert len(first.elements) > 12
    assert str(first["pin"].behaviours[0].stiffness) == "3 N/mm"


@pytest.mark.parametrize("name", NOTED)
def test_recordings_of_every_format_have_the_values_they_had(name):
    recording = impeto.open_recording(SAMPLES / name)
    assert len(recording.time) == 31
    for channel, value in NOTED[name].items():
        assert recording[channel][-1] == pytest.approx(value, rel=1e-12)


def test_what_was_called_spin_is_still_read(tmp_path):
    old = tmp_path / "old.impeto.json"
    place = {"position": ["0 m"] * 3, "orientation": ["0 deg"] * 3, "velocity": ["0 m/s"] * 3}
    old.write_text(json.dumps({
        "format": 2, "name": "old", "settings": {"pose": "turning"},
        "elements": {
            "top": {"kind": "body", "mass": "1 kg", "inertia": ["1 kg*m^2"] * 3,
                    "spin": ["0 rad/s", "0 rad/s", "2 rad/s"]},
            "turning": {"kind": "pose", "bodies": [
                {"kind": "body state", "body": "top", "spin": ["0 rad/s", "0 rad/s", "3 rad/s"],
                 **place}]},
            "at": {"kind": "frame", "body": "top"},
            "brake": {"kind": "load", "frame": "at", "applies": "torque",
                      "direction": ["0", "0", "1"],
                      "value": {"kind": "formula", "formula": "-top.spin.z * 1 N*m*s/rad"}},
        },
    }))  # fmt: skip
    model = impeto.load(old)
    assert [str(w) for w in model["top"].angular_velocity] == ["0 rad/s", "0 rad/s", "2 rad/s"]
    run = impeto.simulate(model, until=1.0)
    assert run["top.spin.z"][-1] == pytest.approx(3.0 * math.exp(-1.0), rel=1e-6)
    assert run.channel("top.spin_rate").name == "top.angular_acceleration"
    impeto.save(model, tmp_path / "new.impeto.json")
    assert 'spin"' not in (tmp_path / "new.impeto.json").read_text()
