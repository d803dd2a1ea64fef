"""Recordings in HDF5 and channels in CSV."""

import json

import h5py
import numpy as np
import pytest

import impeto
from tests.core.test_flow import falling


@pytest.fixture(scope="module")
def recording(gang_saw):
    return impeto.simulate(gang_saw, until="0.2 s")


def test_a_recording_comes_back_with_model_case_statistics_and_every_channel(recording, tmp_path):
    path = tmp_path / "run.h5"
    recording.save(path)
    again = impeto.open_recording(path)
    assert again.model == recording.model
    assert again.case == "Base"
    assert again.statistics == recording.statistics
    assert again.channels() == recording.channels()
    for name in again.channels():
        np.testing.assert_array_equal(again[name], recording[name], err_msg=name)


def test_a_recording_with_copies_that_came_and_went_comes_back(tmp_path):
    recording = impeto.simulate(impeto.Model("m", falling()), until="1.2 s")
    recording.save(tmp_path / "run.h5")
    again = impeto.open_recording(tmp_path / "run.h5")
    np.testing.assert_array_equal(again.present, recording.present)
    assert not again.present.all()
    assert again.marks == recording.marks
    for name in again.channels():
        np.testing.assert_array_equal(again[name], recording[name], err_msg=name)


def test_the_file_is_plain_hdf5_that_says_what_is_in_it(recording, tmp_path):
    path = tmp_path / "run.h5"
    recording.save(path)
    with h5py.File(path) as file:
        arrays = {"time", "state", "acceleration", "multiplier", "coordinate", "measured",
                  "touch", "touch_end"}  # fmt: skip
        assert set(file) == {"model", "marks", *arrays}
        assert list(file.attrs["bodies"]) == ["crank", "counterweight", "rod", "saw_frame"]
        assert "crank_drive: turn y" in list(file.attrs["rows"])


def test_foreign_and_damaged_files_are_refused(recording, tmp_path):
    with pytest.raises(impeto.FileError, match="no such file"):
        impeto.open_recording(tmp_path / "none.h5")
    text = tmp_path / "text.h5"
    text.write_text("hello")
    with pytest.raises(impeto.FileError, match="not an Impeto recording"):
        impeto.open_recording(text)
    path = tmp_path / "run.h5"
    recording.save(path)
    with h5py.File(path, "r+") as file:
        kept, columns = file["state"][:, :-1], file["state"].attrs["columns"]
        del file["state"]
        file["state"] = kept
        file["state"].attrs["columns"] = columns
    with pytest.raises(impeto.FileError, match="damaged: 'state'"):
        impeto.open_recording(path)


def test_channels_are_read_only_and_unknown_ones_name_their_neighbours(recording):
    with pytest.raises(ValueError, match="read-only"):
        recording["crank_pin.force.x"][0] = 1.0
    with pytest.raises(
        impeto.ChannelError, match=r"no channel 'crank_pin.pull'; there are crank_pin"
    ):
        recording["crank_pin.pull"]
    assert recording.channels("pin force_local x") == [
        "crank_pin.force_local.x", "frame_pin.force_local.x",
    ]  # fmt: skip


def test_every_channel_of_the_demo_is_finite_and_as_long_as_time(recording):
    for name in recording.channels():
        values = recording[name]
        assert values.shape == recording.time.shape, name
        assert np.isfinite(values).all(), name


def test_orientation_channels_agree_with_each_other(recording):
    r = recording
    q = np.stack([r[f"rod.quaternion.{k}"] for k in "wxyz"], axis=1)
    np.testing.assert_allclose(np.linalg.norm(q, axis=1), 1.0, atol=1e-12)
    w, _, y, _ = q.T
    pitch = 2 * np.arctan2(y, w)  # the rod turns about y only
    np.testing.assert_allclose(r["rod.pitch"], np.unwrap(pitch), atol=1e-9)
    np.testing.assert_allclose(r["rod.rotation.xz"], np.sin(pitch), atol=1e-9)
    np.testing.assert_allclose(
        r["rod.angular_velocity_local.y"], r["rod.angular_velocity.y"], atol=1e-9
    )


def test_derivatives_of_channels_are_the_channels_of_rates(recording):
    r = recording
    h = r.time[1]
    for position, rate in (
        ("cut.position.z", "cut.velocity.z"),
        ("cut.velocity.z", "cut.acceleration.z"),
        ("rod.position.x", "rod.velocity.x"),
        ("guide_left.slide_z.position", "guide_left.slide_z.speed"),
        ("guide_left.slide_z.speed", "guide_left.slide_z.acceleration"),
        ("crank_pin.turn_y.speed", "crank_pin.turn_y.acceleration"),
        ("crank_drive.work", "crank_drive.power"),
    ):
        # Central differences err with h²/6 times the third derivative, about (2·29/s)³ of a size.
        slope = (r[position][2:] - r[position][:-2]) / (2 * h)
        bound = h**2 / 6 * 90.0**2 * np.abs(r[rate]).max()
        assert np.abs(slope - r[rate][1:-1]).max() < bound, position


def test_a_file_whose_columns_stand_in_another_order_reads_the_same(recording, tmp_path):
    """As one may that a version wrote which numbers things otherwise."""
    path = tmp_path / "run.h5"
    recording.save(path)
    with h5py.File(path, "r+") as file:
        for name in ("state", "multiplier", "coordinate", "measured"):
            titles = json.loads(file[name].attrs["columns"])
            assert len(set(titles)) == len(titles) == file[name].shape[1]
            file[name][...] = file[name][...][:, ::-1]
            file[name].attrs["columns"] = json.dumps(titles[::-1])
        assert "rod: v x" in json.loads(file["state"].attrs["columns"])
    again = impeto.open_recording(path)
    for name in again.channels():
        np.testing.assert_array_equal(again[name], recording[name], err_msg=name)
    with h5py.File(path, "r+") as file:
        titles = json.loads(file["state"].attrs["columns"])
        file["state"].attrs["columns"] = json.dumps(["something else", *titles[1:]])
    with pytest.raises(impeto.FileError, match="not as it should be"):
        impeto.open_recording(path)
