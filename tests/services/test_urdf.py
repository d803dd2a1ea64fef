"""Mechanisms from URDF against an independent forward kinematics, and files that are damaged."""

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from scipy.spatial.transform import Rotation

import impeto as im
from impeto.core.posing import Posing
from impeto.launch import main

JOINTS = (  # origin, turn of it, axis, type
    ((0, 0, 0.3), (0, 0, 0.4), (0, 0, 1), "revolute"),
    ((0.1, 0, 0.2), (0.3, -0.2, 0), (0, 2, 0), "revolute"),
    ((0, 0.05, 0.4), (0, 0, 0), (0, -1, 0), "continuous"),
    ((0.2, 0, 0), (0, 0.7, 0.1), None, "prismatic"),
    ((0.1, 0, 0), (0, 0, 0), (1, 1, 0), "revolute"),
    ((0, 0, 0.1), (-0.4, 0, 0.2), (0, 0, 1), "revolute"),
)


def arm(extra="", last=""):
    """Six joints, a gripper that weighs nothing on a fixed joint, limits, oblique inertias."""
    parts = ['<robot name="arm"><link name="base"><visual><geometry>'
             '<cylinder radius="0.1" length="0.3"/></geometry></visual></link>']  # fmt: skip
    for k, (xyz, rpy, axis, kind) in enumerate(JOINTS, start=1):
        along = "" if axis is None else f'<axis xyz="{axis[0]} {axis[1]} {axis[2]}"/>'
        limit = (
            ""
            if kind == "continuous"
            else '<limit lower="-1.2" upper="1.5" effort="60" velocity="2"/>'
        )
        parent = "base" if k == 1 else f"link {k - 1}"
        parts.append(
            f'<link name="link {k}"><inertial>'
            f'<origin xyz="0.02 0.01 {0.1 * k}" rpy="0.3 0.2 {0.1 * k}"/><mass value="{7 - k}"/>'
            f'<inertia ixx="0.05" ixy="0.004" ixz="-0.003" iyy="0.06" iyz="0.002" izz="0.04"/>'
            f'</inertial><visual><origin xyz="0 0 0.1"/><geometry>'
            f'<box size="0.05 0.06 0.2"/></geometry></visual></link>'
            f'<joint name="joint {k}" type="{kind}">'
            f'<parent link="{parent}"/><child link="link {k}"/>'
            f'<origin xyz="{xyz[0]} {xyz[1]} {xyz[2]}" rpy="{rpy[0]} {rpy[1]} {rpy[2]}"/>'
            f'{along}{limit}<dynamics damping="0.5" friction="0.1"/></joint>'
        )
    parts.append(
        '<link name="tool"><visual><geometry><sphere radius="0.03"/></geometry></visual></link>'
        '<joint name="tool" type="fixed"><parent link="link 6"/><child link="tool"/>'
        f'<origin xyz="0 0 0.15" rpy="0 0 1"/></joint>{extra}</robot>{last}'
    )
    return "".join(parts)


@pytest.fixture
def urdf(tmp_path):
    def write(text, name="arm.urdf"):
        path = tmp_path / name
        path.write_text(text, encoding="utf-8")
        return path

    return write


def forward(values):
    """Places (6, 3) and axes (6, 3, 3) of the links, by products of their own moves."""
    place, axes, found = np.zeros(3), np.eye(3), []
    for (xyz, rpy, axis, kind), value in zip(JOINTS, values, strict=True):
        place = place + axes @ np.array(xyz, dtype=float)
        axes = axes @ Rotation.from_euler("ZYX", rpy[::-1]).as_matrix()
        way = np.array((1, 0, 0) if axis is None else axis, dtype=float)
        way /= np.linalg.norm(way)
        if kind == "prismatic":
            place = place + axes @ way * value
        else:
            axes = axes @ Rotation.from_rotvec(value * way).as_matrix()
        found.append((place, axes))
    return found


def test_an_arm_of_six_joints_stands_and_moves_as_its_forward_kinematics_say(urdf):
    read = im.import_geometry(urdf(arm()))
    model = read.model
    assert read.notes == ()
    assert [j.name for j in model.of(im.Joint)] == [f"joint_{k}" for k in range(1, 7)]
    assert len(model["link_6"].shapes) == 2, "the tool went to the link that it is fixed to"
    values = (0.4, -0.7, 1.1, 0.2, 0.9, -1.0)
    for k, value in enumerate(values, start=1):
        joint = model[f"joint_{k}"]
        start = im.StartValue(freedom=joint.coordinates[0], position=value, speed=0)
        model = model.with_element(replace(joint, behaviours=(*joint.behaviours, start)))
    run = im.simulate(model, until=0.001)
    for k, (place, axes) in enumerate(forward(values), start=1):
        np.testing.assert_allclose(run.vector(f"link_{k}.position")[0], place, atol=1e-9)
        rotation = [[run[f"link_{k}.rotation.{a}{b}"][0] for b in "xyz"] for a in "xyz"]
        np.testing.assert_allclose(rotation, axes, atol=1e-9)


def test_it_runs_with_its_limits_masses_and_turned_inertias(urdf):
    model = im.import_geometry(urdf(arm())).model
    mass = im.masses(model)["link_3"]
    assert mass.mass == 4.0
    place, axes = forward([0] * 6)[2]
    turned = axes @ Rotation.from_euler("ZYX", (0.3, 0.2, 0.3)).as_matrix()
    own = np.array([[0.05, 0.004, -0.003], [0.004, 0.06, 0.002], [-0.003, 0.002, 0.04]])
    np.testing.assert_allclose(mass.inertia, turned @ own @ turned.T, atol=1e-12)
    np.testing.assert_allclose(mass.center, place + axes @ [0.02, 0.01, 0.3], atol=1e-12)
    acts = {part.title: part for part in model["joint_2"].behaviours}
    assert (acts["stops"].lower.si, acts["stops"].upper.si) == (-1.2, 1.5)
    assert "effort at most 60" in model["joint_2"].note
    whole = im.merged(im.Model("m", [im.Gravity(name="gravity")]), model)
    health = im.check(whole)
    assert health.free == 6
    run = im.simulate(whole, until=0.5, tol=1e-6)
    assert run["joint_2.turn_z.position"].max() < 1.5 + 0.01


def test_what_follows_another_joint_is_related_to_it_in_whatever_order(urdf):
    finger = (
        '<link name="finger"><inertial><mass value="0.1"/>'
        '<inertia ixx="1e-4" iyy="1e-4" izz="1e-4" ixy="0" ixz="0" iyz="0"/>'
        '</inertial></link><joint name="finger" type="prismatic">'
        '<parent link="link 6"/><child link="finger"/><axis xyz="0 1 0"/>'
        '<mimic joint="joint 5" multiplier="0.02"/></joint>'
    )
    model = im.import_geometry(urdf(arm(finger))).model
    relation = model["finger_follows"]
    assert [term.factor.text for term in relation.terms] == ["1", "-0.02 m/rad"]
    posing = Posing(model)
    posing.set("joint_5", "turn z", 1.0)
    assert posing.value("finger_2", "slide z") == pytest.approx(0.02, abs=1e-6)


def test_meshes_are_found_by_package_and_folder_and_what_is_missing_is_told_once(tmp_path):
    folder = tmp_path / "robot"
    (folder / "urdf").mkdir(parents=True)
    (folder / "meshes").mkdir()
    corners = ("0 0 0", "100 0 0", "0 100 0", "0 0 100")
    faces = ("1 3 2", "1 2 4", "2 3 4", "1 4 3")
    text = "".join(f"v {c}\n" for c in corners) + "".join(f"f {f}\n" for f in faces)
    (folder / "meshes" / "foot.obj").write_text(text)
    visual = "".join(
        f'<visual><origin xyz="{k} 0 0"/><geometry>'
        f'<mesh filename="{name}" scale="{scale}"/></geometry></visual>'
        for k, (name, scale) in enumerate((
            ("package://robot/meshes/foot.obj", "0.001 0.001 0.001"),
            ("../meshes/foot.obj", "-0.001 0.001 0.001"),
            ("package://robot/meshes/hand.stl", "1 1 1"),
            ("package://robot/meshes/hand.stl", "1 1 1"),
            ("../../../../etc/passwd", "1 1 1"), ("foot.dae", "1 1 1"),
        ))
    )  # fmt: skip
    file = folder / "urdf" / "robot.urdf"
    inertial = '<inertial><mass value="1"/></inertial>'
    file.write_text(f'<robot name="r"><link name="foot">{inertial}{visual}</link></robot>')
    read = im.import_geometry(file)
    assert len(read.model["foot"].shapes) == 2
    assert sum("hand.stl" in note for note in read.notes) == 1
    assert sum("passwd" in note for note in read.notes) == 1
    whole = im.Body(name="foot", shapes=read.model["foot"].shapes)
    free = im.Model("m", [whole], geometry=read.model.geometry)
    volume = 0.1**3 / 6
    both = im.masses(free)["foot"]
    assert both.mass == pytest.approx(2 * 7850 * volume, rel=1e-9)
    # The second is turned over in x: its middle lies at 1 − 0.025.
    assert both.center[0] == pytest.approx((0.025 + 1 - 0.025) / 2, abs=1e-9)
    out = tmp_path / "model"
    out.mkdir()
    assert main(["import", str(file), "--out", str(out / "robot")]) == 0
    again = im.load(out / "robot.impeto.json")
    assert (out / "meshes" / "foot.obj").is_file()
    assert again["foot"].shapes[0].file == "meshes/foot.obj"


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("<robot", "is not XML"),
        ("<body/>", "begins with 'body'"),
        ('<!DOCTYPE r [<!ENTITY a "b">]><robot/>', "declares entities"),
        ("<robot/>", "has no links"),
        ('<robot><link name="a"/><link name="b"/></robot>', "nothing leads to a, b"),
        ('<robot><link name="a"/><joint name="j"><parent link="a"/><child link="z"/></joint>'
         "</robot>", "has no child 'z'"),
        ('<robot><link name="a"/><link name="b"/>'
         '<joint name="j" type="fixed"><parent link="a"/><child link="b"/></joint>'
         '<joint name="k" type="fixed"><parent link="b"/><child link="a"/></joint></robot>',
         "go round in a circle"),
        ('<robot><link name="a"/><link name="b"/><joint name="j" type="helix"><parent link="a"/>'
         '<child link="b"/></joint></robot>', "'helix' is no type of joint"),
        ('<robot><link name="a"/><link name="b"/><joint name="j" type="revolute"><parent link="a"/>'
         '<child link="b"/><axis xyz="0 0 0"/></joint></robot>', "axis of no length"),
        ('<robot><link name="a"/><link name="b"/><joint name="j" type="revolute"><parent link="a"/>'
         '<child link="b"/><origin xyz="1 2"/></joint></robot>', "3 numbers are needed"),
        ('<robot><link name="a"/><link name="b"/><joint name="j" type="revolute"><parent link="a"/>'
         '<child link="b"/><origin xyz="1 nan 2"/></joint></robot>', "3 numbers are needed"),
        ('<robot><link name=""/></robot>', "link without a name"),
    ],
)  # fmt: skip
def test_a_damaged_file_ends_in_a_sentence(urdf, text, words):
    with pytest.raises(im.FileError) as caught:
        im.import_geometry(urdf(text))
    assert words in str(caught.value)
    assert "\n" not in str(caught.value)


def test_names_of_a_file_become_names_of_ours(urdf):
    names = ("ground", "t", "7 up", "Übergang–links", "a" * 300)
    links = "".join(f'<link name="{n}"><inertial><mass value="1"/><inertia ixx="1" iyy="1" izz="1" '
                    f'ixy="0" ixz="0" iyz="0"/></inertial></link>' for n in names)  # fmt: skip
    joints = "".join(
        f'<joint name="j" type="floating"><parent link="{names[0]}"/><child link="{n}"/></joint>'
        for n in names[1:]
    )
    model = im.import_geometry(urdf(f"<robot>{links}{joints}</robot>")).model
    assert {"part_ground", "part_t", "part_7_up", "Übergang_links", "a" * 80} <= set(model.elements)


def test_glb_is_in_metres_with_y_upwards(tmp_path):
    trimesh = pytest.importorskip("trimesh")
    scene = trimesh.Scene()
    move = trimesh.transformations.translation_matrix((0, 3, 1))
    scene.add_geometry(trimesh.creation.box((1, 2, 4)), transform=move)
    path = tmp_path / "block.glb"
    scene.export(path)
    read = im.import_geometry(path, unit="mm")
    mass = im.masses(read.model)["block"]
    assert mass.mass == pytest.approx(7850 * 8, rel=1e-6)
    np.testing.assert_allclose(mass.center, [0, -1, 3], atol=1e-6)
    (tmp_path / "bad.glb").write_bytes(b"glTF" + bytes(40))
    with pytest.raises(im.FileError):
        im.import_geometry(tmp_path / "bad.glb")
    with pytest.raises(im.FileError, match="no geometry that is read here"):
        im.import_geometry(Path("x.dwg"))
    with pytest.raises(im.FileError, match="no unit of a mesh file"):
        im.import_geometry(tmp_path / "bad.stl", unit="furlong")
