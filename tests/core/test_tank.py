"""The profile family: shapes that close, shapes that cannot, and filling the space."""

import pytest
from pydantic import ValidationError

from bathyx.core.geometry.shell import ShellError, close_shell
from bathyx.core.space import Room
from bathyx.core.tank.families import litres_per_mm
from bathyx.core.tank.fit import NoRoomError, fill_room
from bathyx.core.tank.profile import CORNERS, Chamfer, Jog
from tests.conftest import box


@pytest.mark.parametrize("corner", CORNERS)
def test_a_chamfer_takes_its_triangle(corner):
    shell = box(chamfers=(Chamfer(corner=corner, along_mm=40, up_mm=30),)).shell()
    assert shell.volume_mm3 == pytest.approx((300 * 200 - 600) * 400)


@pytest.mark.parametrize("end", ["front", "rear"])
def test_a_jog_takes_its_step_and_makes_one_reflex_edge(end):
    shell = box(jog=Jog(end=end, length_mm=80, rise_mm=30)).shell()
    assert shell.volume_mm3 == pytest.approx((300 * 200 - 80 * 30) * 400)
    assert [e.id for e in shell.edges if e.reflex] == ["jog floor/jog riser"]


def test_all_corners_and_a_jog_together_close():
    tank = box(
        chamfers=tuple(Chamfer(corner=c, along_mm=20, up_mm=20) for c in CORNERS),
        jog=Jog(end="rear", length_mm=80, rise_mm=30, run_mm=10),
    )
    assert len(tank.shell().faces) == 2 + 4 + 4 + 2


def test_angles_inside_a_profile_add_up_like_a_polygon():
    shell = box(
        chamfers=(Chamfer(corner="front_top", along_mm=40, up_mm=30),), jog=Jog(end="rear", length_mm=80, rise_mm=30)
    ).shell()
    corners = [e.angle_deg for e in shell.edges if not {"left end", "right end"} & {e.a, e.b}]
    assert sum(corners) == pytest.approx((len(corners) - 2) * 180)


@pytest.mark.parametrize(
    "more",
    [
        {
            "chamfers": (
                Chamfer(corner="front_top", along_mm=200, up_mm=30),
                Chamfer(corner="rear_top", along_mm=120, up_mm=30),
            )
        },
        {"jog": Jog(end="front", length_mm=298, rise_mm=30)},
        {"jog": Jog(end="front", length_mm=80, rise_mm=198)},
    ],
)
def test_sizes_that_collide_are_refused_with_how_much_to_give_back(more):
    with pytest.raises(ValidationError, match="make them smaller by"):
        box(**more)


def test_two_chamfers_on_one_corner_are_refused():
    twice = (Chamfer(corner="front_top", along_mm=20, up_mm=20),) * 2
    with pytest.raises(ValidationError, match="one at most"):
        box(chamfers=twice)


def test_an_unknown_thickness_names_what_is_stocked():
    with pytest.raises(ValidationError, match=r"1\.5, 2, 3, 4"):
        box(sheet="5083/7")


def test_an_open_shell_is_refused_by_name():
    faces = box().faces()[:-1]
    with pytest.raises(ShellError, match="not closed"):
        close_shell(faces)


def test_a_millimetre_is_worth_its_face():
    worth = litres_per_mm(box())
    assert worth["length_mm"] == pytest.approx(400 * 200 / 1e6)
    assert worth["height_mm"] == pytest.approx(400 * 300 / 1e6)


def test_filling_the_space_leaves_sheet_all_round_in_whole_millimetres():
    tank = fill_room(box(chamfers=(Chamfer(corner="front_top", along_mm=40, up_mm=30),)), Room(700.6, 400.2, 300.9), 3)
    assert (tank.width_mm, tank.length_mm, tank.height_mm) == (694, 394, 294)
    assert tank.chamfers[0].along_mm == 40


def test_no_room_is_said_with_the_side_that_is_short():
    with pytest.raises(NoRoomError, match="height"):
        fill_room(box(), Room(700, 400, 20), 3)


def test_positions_on_faces_go_there_and_back():
    shell = box(chamfers=(Chamfer(corner="front_top", along_mm=40, up_mm=30),)).shell()
    for name in ("top", "bottom", "front top chamfer"):
        face = shell.by_id[name]
        x, y, _ = face.place(12.0, 34.0)
        assert face.over(x, y) == pytest.approx((12.0, 34.0))
    with pytest.raises(ValueError, match="upright"):
        shell.by_id["rear"].over(1, 1)
