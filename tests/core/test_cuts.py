"""The hole's own ledges and chamfers, room out of fittings, layers, and solids from meshes."""

import json

import numpy as np
import pytest
import trimesh

from bathyx.core.evaluate import evaluate
from bathyx.core.inside.fittings import usual
from bathyx.core.job import JobError, job_of
from bathyx.core.propose import propose
from bathyx.core.space import MeasuredBox, Seat, StationSpace
from bathyx.core.space.said import parts_of, text_of
from bathyx.core.units import Reading
from bathyx.errors import Refusal
from bathyx.files.scans import solids_of
from tests.conftest import box, job_with

SEAT = Seat(x_mm=6, y_mm=6, z_mm=6)


def hole(text="", **more):
    space = MeasuredBox(width=Reading.of(500), depth=Reading.of(400), height=Reading.of(300), **more)
    return MeasuredBox.model_validate(space.model_dump(mode="json") | parts_of(text, box=True))


@pytest.mark.parametrize("edge", ["front low", "rear high", "left low", "right high", "front left", "rear right"])
def test_a_chamfer_is_the_wedge_between_its_walls_and_a_step_the_box(edge):
    """Volumes of the solids: a b long / 2 and a b long; and each lies in the corner of its walls."""
    long = {"low": 500, "high": 500, "left": 300, "right": 300}[edge.split()[1]]
    long = 400 if edge in ("left low", "right high") else long
    for kind, share in (("chamfer", 0.5), ("step", 1.0)):
        (solid,) = hole(f"c: {kind} {edge} 60 x 40").things
        assert trimesh.convex.convex_hull(solid.hull()).volume == pytest.approx(60 * 40 * long * share, rel=1e-9)
        low, high = solid.hull().min(axis=0), solid.hull().max(axis=0)
        for word, off in zip(edge.split(), (60, 40), strict=True):
            axis, far = {
                "front": (0, 0),
                "rear": (0, 400),
                "left": (1, 0),
                "right": (1, 500),
                "low": (2, 0),
                "high": (2, 300),
            }[word]
            assert (low[axis], high[axis]) == ((0, off) if far == 0 else (far - off, far))


def test_a_tank_is_kept_off_a_ledge_by_the_walls_own_clearance():
    """A box 200 high stands 6 mm over the floor; a ledge 30 high by the rear wall reaches under its end."""
    tank = box(300, 300, 200)
    tight = evaluate(job_with(tank, space=hole("ledge: step rear low 100 x 30", seat=SEAT)))
    ledge = next(a for a in tight.results.approaches if a.what == "ledge")
    # outside runs from 6 to 6 + 306 along; the ledge begins at 300: 12 mm stand over it, 6 mm up: 24 into it by height.
    assert ledge.mm < 0
    clear = evaluate(job_with(tank, space=hole("ledge: step rear low 80 x 30", seat=SEAT)))
    ledge = next(a for a in clear.results.approaches if a.what == "ledge")
    assert ledge.mm == pytest.approx(320 - 312, abs=1e-6)
    assert ledge.wants_mm == 6
    room = hole("ledge: step rear low 80 x 30").room  # more is left above the ledge than before it
    assert (room.origin[2], room.height_mm, room.depth_mm) == pytest.approx((36, 300 - 25 - 36, 388))


def test_a_proposal_keeps_off_a_chamfer():
    """The largest tank of seven panels leans along the chamfer: it holds more than the best box beside it."""
    job = job_with(box(), space=hole("c: chamfer rear low 200 x 150"))
    boxed = propose(job, ("box",))[0]
    seven = max(propose(job, ("panels",), (7,)), key=lambda p: p.gross_l)
    assert seven.gross_l > boxed.gross_l * 1.02
    skin = np.array(seven.outside).reshape(-1, 3)
    normal = np.array([150.0, 0, -200]) / 250  # out of the hole, into the chamfer: from (200, 0) to (400, 150) in x, z
    assert ((skin - [200, 0, 0]) @ normal).max() <= -6 + 0.02


def test_room_out_of_a_fitting_goes_with_the_tank():
    sender = usual("sender", "sender", "top", 150, 150)
    space = hole("pull: out of sender 260, dia 50\nfoam: layer below 10\nbead: layer all 2")
    e = evaluate(job_with(box(300, 300, 100), space=space, inside__fittings=[sender]))
    pull = next(a for a in e.results.approaches if "pull" in a.what)
    # 6 air + 12 of layers + 106 outside + 6 ring + 260 out of it; the roof is at 300.
    assert pull.mm == pytest.approx(300 - (6 + 12 + 106 + 6 + 260), abs=1e-6)
    assert any(f.code == "fit.walls" and "room for pull" in f.message for f in e.findings)
    floor = next(a for a in e.results.approaches if a.what == "floor")
    assert (floor.mm, floor.wants_mm) == (pytest.approx(18), 18)
    lost = evaluate(job_with(box(300, 300, 100), space=space))
    assert any(f.code == "fit.reach" for f in lost.findings)


def test_lines_come_back_as_they_were_taken_and_old_files_read_the_same():
    text = (
        "ledge: step rear low 100 x 30\ncorner: chamfer front left 20.5 x 40\nbox: box at 10, 20, 30, 40 x 50 x 60, keep 5\n"
        "lump: solid 0, 0, 0; 50, 0, 0; 0, 50, 0; 0, 0, 50, keep 10\npull: out of sender 260, dia 50\nfoam: layer below above 10"
    )
    space = hole(text)
    assert text_of(space) == text
    job = job_with(box(), space=space)
    assert job_of(json.loads(job.to_json())) == job
    assert not {"cuts", "reaches", "layers"} & set(json.loads(job_with(box()).to_json())["space"])


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("c: chamfer low front 10 x 20", "is it 'front low'"), ("c: step front low 400 x 20", "takes all of the 400 mm"),
        ("f: layer under 5", "names no sides"), ("s: solid 0,0,0; 1,0,0; 0,1,0; 1,1,0", "lie in one plane"),
        ("c: chamfer front low 10 x 20, keep 5", "leave out 'keep'"), ("r: out of sender, dia 5", "is not understood"),
    ],
)  # fmt: skip
def test_what_is_none_is_said(text, said):
    with pytest.raises((Refusal, ValueError), match=said):
        hole(text)


def test_stations_have_no_edges_to_cut():
    rows = [{"z_mm": z, "left_mm": 200, "right_mm": 200} for z in (0, 300)]
    space = StationSpace.model_validate({"stations": [{"x_mm": x, "rows": rows} for x in (0, 500)]})
    with pytest.raises(Refusal, match="stations measure it themselves"):
        parts_of("c: chamfer front low 10 x 20", box=False)
    assert space.things == ()
    with pytest.raises(JobError):
        job_with(box(), space=space).edited("space.cuts", [])


def test_solids_of_a_mesh_hold_all_of_it(tmp_path):
    """Two parts, one of them a ball of many corners and a cup that is taken as full: every vertex lies in its hull."""
    ball = trimesh.creation.icosphere(subdivisions=4, radius=90)
    ball.apply_translation([300, 100, 200])
    cup = trimesh.creation.annulus(30, 60, 80)
    path = tmp_path / "bracket.stl"
    trimesh.util.concatenate([ball, cup]).export(path)
    solids = sorted(solids_of(path, "mm"), key=lambda s: len(s["corners"]))
    assert len(solids) == 2
    for solid, part in zip(solids, (cup, ball), strict=True):
        hull = trimesh.convex.convex_hull(np.array(solid["corners"]))
        assert len(solid["corners"]) <= 200
        planes = np.einsum("ij,nij->ni", hull.face_normals, part.vertices[:, None] - hull.triangles[None, :, 0])
        assert planes.max() < 0.02
        assert hull.volume < part.convex_hull.volume * 1.15
    flat = trimesh.Trimesh([[0, 0, 0], [90, 0, 0], [0, 90, 0], [90, 90, 0]], [[0, 1, 2], [1, 3, 2]])
    flat.export(tmp_path / "flat.stl")
    with pytest.raises(Refusal, match="is flat"):
        solids_of(tmp_path / "flat.stl", "mm")
