"""Repeats against the same models with every member written by hand."""

from dataclasses import replace

import numpy as np
import pytest

import impeto as im
from impeto.core.bodies.solid_features import HOLE
from impeto.core.model.scope import Scope
from impeto.services import model_file

DOWN = im.Gravity(name="gravity")
PITCH = 0.08


def link(name="link", position=(0, 0, 0), **about):
    bar = im.Capsule(radius=0.008, length=PITCH, orientation=("0 deg", "90 deg", "0 deg"))
    return im.Body(name=name, position=position, shapes=(bar,), **about)


def chain(count="5", **about):
    """Links with pins at both ends, the first hung up."""
    repeat = im.Repeat(name="chain", bodies=("link",), along="end to end", count=count,
                       between=("pin",), **about)  # fmt: skip
    return im.Model("chain", [
        DOWN, im.Parameter(name="number", value=5), link(),
        im.Frame(name="head", body="link", position=(-PITCH / 2, 0, 0)),
        im.Frame(name="tail", body="link", position=(PITCH / 2, 0, 0)),
        im.Joint(name="pin", frame_a="tail", frame_b="head", free=("turn y",)),
        im.Frame(name="hook", position=(-PITCH / 2, 0, 0)),
        im.Joint(name="hang", frame_a="hook", frame_b="head_1", free=("turn y",)),
        repeat,
    ])  # fmt: skip


def written_out(count=5):
    """The same without a Repeat."""
    elements = [DOWN, im.Frame(name="hook", position=(-PITCH / 2, 0, 0))]
    for k in range(1, count + 1):
        elements += [
            link(f"link_{k}", (PITCH * (k - 1), 0, 0)),
            im.Frame(name=f"head_{k}", body=f"link_{k}", position=(-PITCH / 2, 0, 0)),
            im.Frame(name=f"tail_{k}", body=f"link_{k}", position=(PITCH / 2, 0, 0)),
        ]
    for k in range(1, count):
        elements.append(
            im.Joint(name=f"pin_{k}", frame_a=f"tail_{k}", frame_b=f"head_{k + 1}",
                     free=("turn y",))
        )  # fmt: skip
    hang = im.Joint(name="hang", frame_a="hook", frame_b="head_1", free=("turn y",))
    return im.Model("chain", [*elements, hang])


def unfolded(model, case=None):
    return Scope(model, case).model


def poses(model, names, case=None):
    """(N, 3) positions and (N, 3, 3) axes of bodies as drawn."""
    from impeto.core.bodies.placement import pose_of

    scope = Scope(model, case)
    found = [pose_of(scope, scope.model[name]) for name in names]
    return np.array([p for p, _ in found]), np.array([r for _, r in found])


def test_a_chain_moves_as_one_whose_links_are_written_out():
    ours, theirs = (im.simulate(m, until=0.4) for m in (chain(), written_out()))
    for k in range(1, 6):
        for axis in "xz":
            np.testing.assert_allclose(
                ours[f"link_{k}.position.{axis}"], theirs[f"link_{k}.position.{axis}"], atol=1e-12
            )
    np.testing.assert_allclose(ours["pin_4.force.z"], theirs["pin_4.force.z"], rtol=1e-9)


def test_the_count_may_hang_on_the_case():
    few = im.Case(name="few", values={"number": "3"})
    model = chain("number").changed(cases=[im.Case(name="Base"), few])
    assert "link_5" in unfolded(model).elements
    short = unfolded(model, "few").elements
    assert "link_3" in short
    assert "link_4" not in short
    assert "pin_3" not in short
    assert im.simulate(model, "few", until=0.01).channels("link_3.position.x")


def test_a_ring_of_rollers_lies_evenly_about_an_axis_and_each_turns_its_own_way():
    centre = im.Frame(name="centre", position=(0, 0, 1), orientation=("0 deg", "90 deg", "0 deg"))
    roller = im.Body(name="roller", position=(0, 0, 1.5), velocity=(0, 1, 0),
                     shapes=(im.Cylinder(),))  # fmt: skip
    pivot = im.Frame(name="pivot", position=(0, 0, 1.5))
    own = im.Frame(name="own", body="roller")
    turn = im.Joint(name="turn", frame_a="pivot", frame_b="own")
    spread = im.Repeat(name="ring", bodies=("roller",), along="a circle", count=24, centre="centre")
    model = im.Model("ring", [centre, roller, pivot, own, turn, spread])
    places, axes = poses(model, [f"roller_{k}" for k in range(1, 25)])
    angles = 2 * np.pi * np.arange(24) / 24
    # The frame's z axis is the world's x: the top goes towards −y.
    expected = np.stack([0 * angles, -0.5 * np.sin(angles), 1 + 0.5 * np.cos(angles)], axis=1)
    np.testing.assert_allclose(places, expected, atol=1e-11)
    np.testing.assert_allclose(axes[6] @ [0, 0, 1], [0, -1, 0], atol=1e-11)
    whole = unfolded(model)
    assert {joint.frame_a for joint in whole.of(im.Joint)} == {f"pivot_{k}" for k in range(1, 25)}
    scope = Scope(model)
    np.testing.assert_allclose(
        scope.vector(whole["pivot_7"], "position", "length"), places[6], atol=1e-11
    )
    np.testing.assert_allclose(
        scope.vector(whole["roller_7"], "velocity", "speed"), [0, 0, 1], atol=1e-11
    )


def test_links_on_a_line_are_turned_further_or_to_and_fro():
    for turning, rolls in (("further each time", [0, 30, 60, 90]), ("to and fro", [0, 30, 0, 30])):
        row = im.Repeat(name="row", bodies=("link",), count=4, step=(0.1, 0, 0.02),
                        turn=("30 deg", 0, 0), turning=turning)  # fmt: skip
        places, axes = poses(im.Model("row", [link(), row]), [f"link_{k}" for k in range(1, 5)])
        np.testing.assert_allclose(places[:, 0], 0.1 * np.arange(4), atol=1e-12)
        np.testing.assert_allclose(
            np.degrees(np.arctan2(axes[:, 2, 1], axes[:, 1, 1])), rolls, atol=1e-9
        )


def test_members_follow_a_path_at_even_spacing_and_turn_with_it():
    quarter = "0 m, 0 m, 0 m; 1 m, 0 m, 0 m round 0.5 m; 1 m, 1 m, 0 m"
    row = im.Repeat(name="row", bodies=("link",), along="a path", count=3, path=quarter)
    places, axes = poses(im.Model("row", [link(), row]), ["link_1", "link_2", "link_3"])
    np.testing.assert_allclose(places[0], 0, atol=1e-12)
    np.testing.assert_allclose(places[2], [1, 1, 0], atol=1e-12)
    middle = [1 - 0.5 + 0.5 * np.sin(np.pi / 4), 0.5 - 0.5 * np.cos(np.pi / 4), 0]
    np.testing.assert_allclose(places[1], middle, atol=1e-12)
    np.testing.assert_allclose(axes[2] @ [1, 0, 0], [0, 1, 0], atol=1e-12)
    rolled = replace(
        row, turn=im.Repeat(name="x", turn=("90 deg", 0, 0)).turn, turning="to and fro"
    )
    _, axes = poses(im.Model("row", [link(), rolled]), ["link_1", "link_2", "link_3"])
    np.testing.assert_allclose(axes[2] @ [0, 1, 0], [-1, 0, 0], atol=1e-12)
    np.testing.assert_allclose(axes[1] @ [0, 1, 0], [0, 0, 1], atol=1e-12)
    square = "0 m, 0 m, 0 m; 1 m, 0 m, 0 m; 1 m, 1 m, 0 m; 0 m, 1 m, 0 m"  # sharp corners
    ring = replace(row, path=im.Repeat(name="x", path=square).path, closed_path=True, count="8")
    start = link(position=(0, 0.5, 0))
    places, _ = poses(im.Model("row", [start, ring]), [f"link_{k}" for k in range(1, 9)])
    steps = np.linalg.norm(np.diff(np.vstack([places, places[:1]]), axis=0), axis=1)
    np.testing.assert_allclose(np.sort(steps)[4:], 0.5, atol=1e-12)


def test_springs_to_what_stays_are_repeated_with_their_frames_there():
    base = im.Body(name="base", position=(0, 0, 1), orientation=("0 deg", "0 deg", "90 deg"),
                   shapes=(im.Box(),))  # fmt: skip
    model = im.Model("feet", [
        base, link("foot", (0.5, 0, 0)), im.Frame(name="low", body="foot"),
        im.Frame(name="high", body="base", position=(0, -0.5, -0.1)),
        im.Spring(name="strut", frame_a="low", frame_b="high"),
        im.Load(name="push", frame="low"),
        im.Repeat(name="feet", bodies=("foot",), count=3, step=(0, "0.3 m", 0)),
    ])  # fmt: skip
    scope = Scope(model)
    assert scope.model["strut_3"].frame_b == "high_3"
    assert scope.model["push_2"].frame == "low_2"
    # The base is turned by 90° about z: 0.6 m along the world's y are 0.6 m along its x.
    np.testing.assert_allclose(
        scope.vector(scope.model["high_3"], "position", "length"), [0.6, -0.5, -0.1], atol=1e-12
    )


def test_a_closed_ring_ties_the_last_to_the_first_and_drives_on_ties_go_along():
    model = chain("4", ring=True)
    assert unfolded(model)["pin_4"].frame_b == "head_1"
    drive = im.Drive(name="crank", joint="pin", freedom="turn y")
    whole = unfolded(chain("4").with_element(drive)).elements
    assert whole["crank_3"].joint == "pin_3"
    assert "crank_4" not in whole


def test_rules_that_name_the_original_hold_for_all_and_a_switch_is_for_all():
    rule = im.ContactRule(name="rule", first=("link.1",), second=("ground",))
    heavy = im.Case(name="off", switches={"pin": False, "link_2": False})
    model = chain().with_element(rule).changed(cases=[im.Case(name="Base"), heavy])
    assert unfolded(model)["rule"].first == tuple(f"link_{k}.1" for k in range(1, 6))
    scope = Scope(model, "off")
    assert not scope.on(scope.model["pin_3"])
    assert not scope.on(scope.model["link_2"])
    assert scope.on(scope.model["link_3"])


def test_a_member_that_stands_alone_takes_its_place_and_may_differ():
    model = im.detached(chain(), "link_3")
    heavy = replace(model["link_3"], mass=im.Body(name="x", mass="2 kg").mass)
    masses = im.masses(model.with_element(heavy))
    assert masses["link_3"].mass == 2.0
    assert masses["link_2"].mass == pytest.approx(masses["link_4"].mass) != 2.0
    with pytest.raises(im.ModelError, match="is no member"):
        im.detached(model, "link_3")
    clash = chain().with_element(im.Parameter(name="link_2", value=1))
    with pytest.raises(im.ModelError, match="would be called 'link_2', which is parameter"):
        unfolded(clash)


def test_what_two_features_of_a_body_are_tied_by_is_a_pin_or_a_ball():
    shape = im.Plate(length=0.1, width=0.03, thickness=0.01)
    holes = [im.Tube(position=(x, 0, 0), radius=0.01, inner_radius=0.005, length=0.01)
             for x in (-0.04, 0.04)]  # fmt: skip
    model = im.Model("m", [im.Body(name="bar", shapes=(shape, *holes))])
    ends = [f for f in im.features(model, "bar") if f.kind == HOLE]
    ends.sort(key=lambda f: f.point[0])
    made, repeat = im.chained(model, ends[1], ends[0], 6)
    assert made[repeat.between[0]].free == ("turn z",)
    places, axes = poses(made, [f"bar_{k}" for k in range(1, 7)])
    np.testing.assert_allclose(places[:, 0], 0.08 * np.arange(6), atol=1e-9)
    np.testing.assert_allclose(axes, np.broadcast_to(np.eye(3), axes.shape), atol=1e-9)
    with pytest.raises(im.ModelError, match="made of one body"):
        im.chained(model, ends[0], replace(ends[1], body="ground"), 6)


def test_a_repeat_of_a_repeat_makes_rows_of_rows():
    row = im.Repeat(name="row", bodies=("link",), count=3, step=(0.1, 0, 0))
    grid = im.Repeat(name="grid", bodies=("link",), count=2, step=(0, "1 m", 0))
    places, _ = poses(im.Model("g", [link(), row, grid]), ["link_3_2", "link_1_1"])
    np.testing.assert_allclose(places, [[0.2, 1, 0], [0, 0, 0]], atol=1e-12)


def test_renaming_and_removing_take_members_along():
    names = Scope(chain()).members
    model = chain().renamed("head", "front", names["head"])
    assert model["hang"].frame_b == "front_1"
    im.simulate(model, until=0.01)
    from impeto.core.model.removing import hanging_on

    assert "chain" in hanging_on(chain(), ["link"])


@pytest.mark.parametrize(
    ("about", "words"),
    [
        ({"count": 0}, "0 members cannot be made"),
        ({"count": 2.5}, "2.5 members cannot be made"),
        ({"count": 10_000}, "10000 members cannot be made"),
        ({"count": 4_000}, "would make 16000 elements"),
        ({"bodies": ()}, "stands for nothing"),
        ({"bodies": ("nobody",)}, "no body called 'nobody'"),
        ({"bodies": ("ground",)}, "ground stays where it is"),
        ({"between": ("hang",)}, "'hang' does not tie"),
        ({"between": ()}, "needs something between"),
        ({"along": "a line", "step": (0, 0, 0)}, "all members would lie in one place"),
        ({"along": "a circle", "angle": 0}, "all members would lie in one place"),
        ({"along": "a path", "spacing": "1 m"}, "5 members do not fit on its path"),
    ],
)
def test_what_cannot_be_repeated_is_said(about, words):
    model = chain()
    wrong = model.with_element(replace(model["chain"], **_quantities(about)))
    health = im.check(wrong)
    assert [f.severity for f in health.findings] == ["bad"]
    assert words in health.findings[0].message
    assert health.findings[0].element == "chain"


def _quantities(about):
    made = im.Repeat(name="x", **about)
    return {name: getattr(made, name) for name in about}


def test_a_name_of_what_is_repeated_is_answered_by_that_of_a_member():
    model = chain()
    lost = model.with_element(replace(model["hang"], frame_b="link_end"))
    with pytest.raises(im.ModelError, match="no frame called 'link_end'"):
        im.simulate(lost, until=0.01)
    pose = im.Pose(name="pose", bodies=(im.BodyState(body="link"),))
    with pytest.raises(im.ModelError, match="It is repeated: name a member, such as link_1"):
        im.simulate(model.with_element(pose), until=0.01)


def test_the_shipped_chain_is_one_link_and_one_repeat_in_under_200_lines():
    model = model_file.load_demo("drag_chain")
    assert len(model_file.to_text(model).splitlines()) < 200
    places, axes = poses(model, [f"link_{k}" for k in range(1, 41)])
    np.testing.assert_allclose(places[:, 0], 1.85 - 0.064 * np.arange(40), atol=1e-12)
    rolls = np.degrees(np.arctan2(axes[:, 2, 1], axes[:, 1, 1]))
    np.testing.assert_allclose(rolls, [45, -45] * 20, atol=1e-9)


def test_edits_elsewhere_leave_the_members_the_same_objects():
    before = unfolded(chain())
    model = chain()
    first = unfolded(model)["link_4"]
    assert unfolded(model.with_element(replace(DOWN, note="seen")))["link_4"] is first
    assert before["link_4"] == first


def test_the_drawing_is_kept_as_a_pose_of_the_members():
    from impeto.core.posing import as_drawn

    pose = as_drawn(chain(), "drawn")
    assert [state.body for state in pose.bodies] == [f"link_{k}" for k in range(1, 6)]
    model = chain().with_element(pose).changed(settings=im.RunSettings(pose="drawn"))
    assert im.simulate(model, until=0.01).channels("link_5.position.x")


def test_a_gap_at_a_member_is_told_and_mended_at_what_is_written():
    high = chain().with_element(im.Frame(name="hook", position=(-PITCH / 2, 0, 0.3)))
    taut = high.with_element(replace(high["hang"], free=()))
    far = taut.with_element(im.Frame(name="floor", position=(0.9, 0, -0.4)))
    tied = im.Joint(name="end", frame_a="tail_5", frame_b="floor", free=())
    health = im.check(far.with_element(tied))
    assert [finding.severity for finding in health.findings] == ["bad"]
    assert all(mend.text for finding in health.findings for mend in finding.mends)
    other = im.Joint(name="end", frame_a="floor", frame_b="tail_5", free=())
    assert [f.mends for f in im.check(far.with_element(other)).findings] == [()]


def test_rows_of_rows_count_in_rules_and_groups():
    pad = im.Body(name="pad", mass="2 kg", inertia=(1, 1, 1), shapes=(im.Sphere(),))
    row = im.Repeat(name="row", bodies=("pad",), count=3, step=(0.5, 0, 0))
    rows = im.Repeat(name="rows", bodies=("pad",), count=2, step=(0, 1, 0))
    rule = im.ContactRule(name="rule", first=("pad",), second=("ground",))
    model = im.Model("pads", [pad, row, rows, rule, im.Group(name="all", members=("pad",))])
    names = {f"pad_{i}_{j}" for i in (1, 2, 3) for j in (1, 2)}
    whole = unfolded(model)
    assert set(whole["rule"].first) == set(whole["all"].members) == names
    assert Scope(model).members["pad"] == whole["rule"].first
    assert {name for name in im.masses(model) if name.startswith("pad")} == names
