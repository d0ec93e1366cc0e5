"""Transition pieces against closed forms, and against themselves in space."""

import itertools
import json
import math

import ezdxf
import numpy as np
import pytest
from shapely.geometry import Polygon

from bathyx.cli.main import main
from bathyx.core.sheet.flat.transition import End, end_of, transition
from bathyx.errors import Refusal


def test_from_circle_to_circle_it_is_the_sector_of_a_cone():
    """Slant L = hypot(h, r1 - r2); area pi (r1 + r2) L: the frustum of a cone, geometry."""
    low, high, h = 150.0, 60.0, 120.0
    found = transition(End(2 * low, 0, 0), End(2 * high, 0, h), 0.0)
    area = math.pi * (low + high) * math.hypot(h, low - high)
    exact = Polygon(found.outline).area * (1 + found.area_off)
    assert Polygon(found.outline).area == pytest.approx(area, rel=3e-3)
    assert exact == pytest.approx(area, rel=2e-4)
    assert found.below_mm * (1 + found.girth_off) == pytest.approx(2 * math.pi * low, rel=2e-4)
    apex = math.hypot(h, low - high) * low / (low - high)
    # Every corner of the lower border lies on a circle about one apex.
    spots = found.outline
    far = spots[[0, len(spots) // 4, len(spots) // 2 - 1]]
    a, b, c = far
    d = 2 * (a[0] * (b[1] - c[1]) + b[0] * (c[1] - a[1]) + c[0] * (a[1] - b[1]))
    ux = ((a @ a) * (b[1] - c[1]) + (b @ b) * (c[1] - a[1]) + (c @ c) * (a[1] - b[1])) / d
    uy = ((a @ a) * (c[0] - b[0]) + (b @ b) * (a[0] - c[0]) + (c @ c) * (b[0] - a[0])) / d
    radius = math.dist(a, (ux, uy))
    assert min(abs(radius - apex), abs(radius - apex * high / low)) < 0.01 * apex


def test_from_a_square_to_a_round_of_no_size_it_is_a_pyramid():
    found = transition(End(200, 200, 0), End(1e-6, 0, 100), 0.0)
    slant = math.hypot(100, 100)
    assert Polygon(found.outline).area == pytest.approx(4 * 100 * slant, rel=1e-6)
    assert found.below_mm == pytest.approx(800)


def test_the_flat_has_the_true_girths_and_does_not_cover_itself_with_any_offset():
    for offset in ((0, 0), (60, -30), (200, 0)):
        found = transition(End(300, 200, 0), End(120, 0, 150, *offset), 2.0)
        ring = Polygon(found.outline)
        assert ring.is_valid
        assert found.below_mm == pytest.approx(2 * (302 + 202), rel=1e-9)
        assert found.above_mm * (1 + found.girth_off) <= math.pi * 122 * 1.001
        assert found.above_mm == pytest.approx(math.pi * 122, rel=2e-3)
        assert 0 <= found.area_off < 5e-3
    # The sum of all turns round the piece is what its corners turn.
    straight = transition(End(300, 200, 0), End(120, 0, 150), 0.0)
    assert len(straight.turns) >= 4 * 12
    assert np.all(straight.turns < 60)


@pytest.mark.parametrize(
    ("below", "above", "words"),
    [
        (End(300, 200, 0), End(100, 80, 100), "use the hopper"),
        (End(300, 200, 0), End(100, 0, 0), "at least 1 mm above"),
        (End(-3, 0, 0), End(100, 0, 50), "an end is a circle"),
    ],
)
def test_ends_that_are_none_are_refused(below, above, words):
    with pytest.raises(Refusal, match=words):
        transition(below, above, 1.5)
    with pytest.raises(Refusal, match="300x200"):
        end_of("300xnan", 0)


def test_the_command_writes_its_dxf_and_says_its_error(tmp_path, capsys):
    out = tmp_path / "neck.dxf"
    call = [
        "transition",
        "300x200",
        "120",
        "--height",
        "150",
        "--offset",
        "20,0",
        "--thickness",
        "2",
        "--out",
        str(out),
    ]
    assert main(call) == 0
    said = json.loads(capsys.readouterr().out)
    document = ezdxf.readfile(out)
    assert not document.audit().errors
    assert len(document.modelspace().query('LINE[layer=="BEND_UP"]')) == said["bends"]
    (cut,) = document.modelspace().query('LWPOLYLINE[layer=="CUT"]')
    with cut.points("xy") as points:
        assert Polygon(list(points)).area == pytest.approx(said["area_mm2"], rel=1e-9)
    assert 0 <= said["area_off"] < 5e-3
    assert main(["transition", "300x200", "100x80", "--height", "150", "--thickness", "2", "--out", str(out)]) != 0


def folded(found):
    """Ends (k, 3) of the bend lines, below and above, of the flat that lies inside up and is folded along them."""
    low, high = (np.column_stack([found.lines[:, i : i + 2], np.zeros(len(found.lines))]) for i in (0, 2))
    for k, turn in enumerate(np.radians(found.turns)):
        a, way = low[k].copy(), high[k] - low[k]
        way /= np.linalg.norm(way)
        # The part that follows lies to the left of the line; bent up, it turns about the line toward the eye.
        angle = turn
        for spots in (low, high):
            rest = spots[k + 1 :] - a
            spots[k + 1 :] = (
                a
                + rest * np.cos(angle)
                + np.cross(way, rest) * np.sin(angle)
                + np.outer(rest @ way, way) * (1 - np.cos(angle))
            )
    return low, high


@pytest.mark.parametrize("offset", [(0, 0), (60, -30), (-80, 45), (200, 0)])
def test_folded_up_it_is_the_piece_and_not_its_mirror_image(offset):
    """The corners of 300 x 200 come out in one plane and in order; the circle stands 150 above it, set over as said."""
    found = transition(End(300, 200, 0), End(120, 0, 150, *offset), 0.0)
    low, high = folded(found)
    corners = np.array([low[0], *(q for p, q in itertools.pairwise(low) if math.dist(p, q) > 1)])[:4]
    assert [math.dist(corners[k], corners[k + 1]) for k in range(3)] == pytest.approx([200, 300, 200], abs=1e-6)
    x, y = (corners[3] - corners[0]) / 300, (corners[1] - corners[0]) / 200
    x = -x  # from the back right corner the piece goes on to the front: y; and the back left lies at -x
    up = np.cross(x, y)
    middle = corners.mean(axis=0)
    told = np.column_stack([(high - middle) @ axis for axis in (x, y, up)])
    assert told[:, 2] == pytest.approx(150, abs=1e-6)
    assert np.hypot(*(told[:, :2] - offset).T) == pytest.approx(60, abs=1e-6)


def test_the_girth_that_is_off_is_said_though_the_longer_one_is_exact():
    found = transition(End(300, 200, 0), End(120, 0, 150), 2.0)
    true = math.pi * 122
    assert found.girth_off * found.above_mm == pytest.approx(true - found.above_mm, rel=0.08)
    assert true - found.above_mm > 0.25
