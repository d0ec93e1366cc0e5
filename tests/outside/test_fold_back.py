"""Folding a blank up again from its DXF alone gives back the tank's profile.

Independent of how blanks are unfolded: only bend lines, their layer, the angle, r, t and K are used. Inside surfaces of
an up bend meet at r tan(a/2) from its tangents; a down bend shows the inside its outer radius, r + t.
"""

import itertools
import math

import ezdxf
import numpy as np
import pytest

from bathyx.core.evaluate import evaluate
from bathyx.core.tank.profile import Chamfer, Jog
from bathyx.papers.machine.dxf import write_dxf
from tests.conftest import box, job_with

REAR = Chamfer(corner="rear_bottom", along_mm=50, up_mm=50)
SHAPES = {
    "box": box(),
    "chamfered": box(chamfers=(Chamfer(corner="front_top", along_mm=60, up_mm=45), REAR)),
    "jogged": box(jog=Jog(end="rear", length_mm=110, rise_mm=50)),
    "leaning": box(length=400, jog=Jog(end="front", length_mm=160, rise_mm=60, run_mm=40)),
}


def corners_of(path, bends, t, k):
    """Corner points of the folded inside surface, walking along the blank from its left edge."""
    space = ezdxf.readfile(path).modelspace()
    lines = sorted(
        (
            (line.dxf.start.x, line.dxf.layer == "BEND_UP")
            for line in space
            if line.dxftype() == "LINE" and line.dxf.layer.startswith("BEND")
        ),
        key=lambda pair: pair[0],
    )
    points = [p[0] for p in space.query("LWPOLYLINE")[0].get_points("xy")]
    spot, heading, at = np.zeros(2), 0.0, min(points)
    corners = [spot]
    for (x, up), bend in zip(lines, sorted(bends, key=lambda b: b.start[0]), strict=True):
        angle = math.radians(bend.turn_deg)
        arc = angle * (bend.radius_mm + k * t)
        reach = (bend.radius_mm + (0 if up else t)) * math.tan(angle / 2)
        run = (x - arc / 2 - at) + reach
        spot = spot + run * np.array([math.cos(heading), math.sin(heading)])
        corners.append(spot)
        heading += angle if up else -angle
        at = x + arc / 2 - reach
    spot = spot + (max(points) - at) * np.array([math.cos(heading), math.sin(heading)])
    return [*corners, spot]


@pytest.mark.parametrize("shape", SHAPES)
@pytest.mark.parametrize("school", ["wrap", "perimeter", "two_l"])
@pytest.mark.parametrize("sheet", ["5083/3", "304/1.5"])
def test_the_folded_blank_is_the_profile_again(tmp_path, shape, school, sheet):
    job = job_with(SHAPES[shape], makeup__school=school, tank__sheet=sheet, inside__baffles__by_rule=False)
    r = evaluate(job).results
    for blank in (b for b in r.blanks if b.bends):
        corners = corners_of(write_dxf(blank, tmp_path / "b.dxf"), blank.bends, r.sheet.thickness_mm, r.rule.k_factor)
        lengths = [math.dist(a, b) for a, b in itertools.pairwise(corners)]
        faces = [r.panelled.by_id[name] for name in blank.faces]
        inside = sorted(face.area_mm2 / job.tank.width_mm for face in faces)
        assert sorted(lengths) == pytest.approx(inside, abs=1e-6)
        if len(faces) == len(r.panelled.faces) - 2:
            assert corners[-1] == pytest.approx(corners[0], abs=1e-6), "the wrap does not close"
            x, y = np.array(corners[:-1]).T
            area = 0.5 * abs((x * np.roll(y, -1) - np.roll(x, -1) * y).sum())
            assert area == pytest.approx(r.shell.by_id["left end"].area_mm2, rel=1e-9)
