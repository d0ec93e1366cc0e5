"""Solids for other programs are closed, hold what the tank holds, and come back from their files; labels and machine files say
what a piece is."""

import re

import ezdxf
import pytest
import trimesh
from pypdf import PdfReader
from PyQt6.QtWidgets import QPushButton

from bathyx.cli import main
from bathyx.core.evaluate import evaluate
from bathyx.core.job import Job
from bathyx.core.sheet.cutting.rack import OffCut
from bathyx.core.space.free import FreeSpace
from bathyx.core.units import Family
from bathyx.demo import jobs
from bathyx.errors import Refusal
from bathyx.papers.export import piece_words
from bathyx.papers.machine.dxf import write_dxf
from bathyx.papers.machine.labels import MARK, blank_labels, rack_labels, write_labels
from bathyx.papers.machine.solid import meshes, write_solid
from bathyx.papers.machine.svg import write_svg
from bathyx.papers.page.stationery import Stationery, stationery
from tests.outside.test_integral import tank as hull_tank


@pytest.mark.parametrize("name", jobs.ALL)
def test_every_body_is_closed_and_the_metal_is_what_lies_between(name):
    e = evaluate(jobs.ALL[name]())
    inside, outside = meshes(e, "inside")["inside"], meshes(e, "outside")["outside"]
    assert inside.is_watertight
    assert outside.is_watertight
    assert inside.volume / 1e6 == pytest.approx(e.results.capacity.gross.value, rel=1e-4)
    parts = meshes(e, "parts")
    shell = {n: m for n, m in parts.items() if not n.startswith("baffle ")}
    assert all(m.is_watertight and m.is_winding_consistent and m.volume > 0 for m in parts.values())
    assert sum(m.volume for m in shell.values()) == pytest.approx(outside.volume - inside.volume, rel=2e-3)
    for plate in e.results.plates:
        mesh = parts[f"baffle {plate.name}"]
        assert mesh.is_watertight
        assert mesh.volume == pytest.approx(plate.metal_mm2 * e.results.sheet.thickness_mm, rel=5e-3)
    if not e.job.space.free:
        hole = meshes(e, "hole")["hole"]
        assert hole.is_watertight
        assert hole.volume == pytest.approx(e.job.space.cavity.volume_mm3, rel=2e-3)


def test_a_face_that_a_seam_parts_is_not_in_both_of_its_parts():
    moved = {"edge": "front/front top chamfer", "onto": "front", "by_mm": 70.0}
    e = evaluate(jobs.ALL["trolley"]().edited("makeup.moved", [moved]))
    assert sum("front:" in face for b in e.results.blanks for face in b.faces) == 2
    inside, outside = meshes(e, "inside")["inside"], meshes(e, "outside")["outside"]
    shell = [m for name, m in meshes(e, "parts").items() if not name.startswith("baffle ")]
    assert sum(m.volume for m in shell) == pytest.approx(outside.volume - inside.volume, rel=2e-3)


def test_panels_of_their_own_thickness_are_as_thick_in_the_parts():
    job = jobs.ALL["trolley"]().edited("makeup.school", "plates")
    e = evaluate(job.edited("makeup.panels", [{"face": "bottom", "thickness_mm": 6.0}]))
    inside, outside = meshes(e, "inside")["inside"], meshes(e, "outside")["outside"]
    shell = [m for name, m in meshes(e, "parts").items() if not name.startswith("baffle ")]
    assert sum(m.volume for m in shell) == pytest.approx(outside.volume - inside.volume, rel=2e-3)
    assert outside.bounds[0][2] == pytest.approx(inside.bounds[0][2] - 6.0, abs=1e-3)


def test_parts_of_a_tank_that_has_the_hull_for_a_wall_are_closed():
    e = evaluate(Job(tank=hull_tank()))
    parts = meshes(e, "parts")
    assert {f"baffle {p.name}" for p in e.results.plates} <= set(parts)
    for name, mesh in parts.items():
        assert mesh.is_winding_consistent, name
        assert mesh.volume > 0, name


def test_a_solid_comes_back_from_its_file(tmp_path, capsys):
    job = jobs.ALL["vineyard"]()
    e = evaluate(job)
    (tmp_path / "job.json").write_text(job.to_json())
    assert main(["solid", str(tmp_path / "job.json"), "--out", str(tmp_path / "in.stl"), "--inside"]) in (0, None)
    assert re.search(r"inside: 52\.72\d L, \d+ triangles, closed", capsys.readouterr().out)
    assert trimesh.load(tmp_path / "in.stl").volume / 1e6 == pytest.approx(e.results.capacity.gross.value, rel=1e-4)
    scene = trimesh.load(write_solid(e, tmp_path / "parts.3mf", "parts"))
    assert set(scene.geometry) == set(meshes(e, "parts"))
    assert scene.units in ("mm", "millimeter")
    assert sum(g.volume for g in scene.geometry.values()) == pytest.approx(
        sum(m.volume for m in meshes(e, "parts").values()), rel=1e-4
    )


def test_what_is_no_solid_is_refused_in_words(tmp_path):
    e = evaluate(jobs.ALL["trolley"]())
    with pytest.raises(Refusal, match=r"name it \.stl or \.3mf"):
        write_solid(e, tmp_path / "tank.obj")
    free = evaluate(e.job.model_copy(update={"space": FreeSpace()}))
    with pytest.raises(Refusal, match="no space is measured"):
        write_solid(free, tmp_path / "hole.stl", "hole")
    assert not list(tmp_path.iterdir())


@pytest.mark.parametrize("sheet", ["a4", "letter"])
def test_a_label_for_every_blank_and_off_cut(tmp_path, sheet):
    e = evaluate(jobs.ALL["trolley"]())
    rack = (OffCut(300.0, 200.0), OffCut(600.0, 400.0, "5083/3", 7, "the dryer's tank"))
    labels = (*blank_labels(e), *rack_labels(rack, Family.US))
    assert [x.lines[0] for x in labels[:5]] == [b.name for b in e.results.blanks]
    assert labels[0].code.startswith(f"{MARK};{e.job.uid};")
    assert labels[-1].lines[:2] == ('R7  23 5/8" × 15 3/4"', '0.118" 5083-H111 aluminium')
    assert labels[-1].code == f"{MARK};off-cut;R7;5083/3;600x400"
    assert "measure it" in labels[-2].lines[1]
    reader = PdfReader(write_labels(labels, tmp_path / "labels.pdf", Stationery(sheet)))
    text = "\n".join(page.extract_text() for page in reader.pages)
    assert all(b.name in text for b in e.results.blanks)
    assert sum(len(page.images) for page in reader.pages) == len(labels)
    with pytest.raises(Refusal, match="none to print"):
        write_labels((), tmp_path / "none.pdf")


def test_a_machine_file_has_a_layer_a_tool_its_extents_and_its_name(tmp_path):
    e = evaluate(jobs.ALL["trolley"]())
    blank = e.results.blanks[0]
    document = ezdxf.readfile(write_dxf(blank, tmp_path / "x.dxf", piece_words(e, blank)))
    assert not document.audit().errors
    assert document.header["$EXTMAX"][:2] == pytest.approx(blank.size_mm)
    by = {layer: document.modelspace().query(f'*[layer=="{layer}"]') for layer in ("CUT", "HOLES", "TEXT", "BEND_UP")}
    assert [len(by[x]) for x in ("CUT", "HOLES", "BEND_UP")] == [1, len(blank.holes), len(blank.bends)]
    said = [x.dxf.text for x in by["TEXT"]]
    assert blank.name in said
    assert any("3 mm 5083-H111 aluminium, 1 off" in x for x in said)
    svg = write_svg(blank, tmp_path / "x.svg", piece_words(e, blank)).read_text()
    assert re.search(r'<g id="TEXT" fill="#[0-9a-f]{6}"', svg)
    assert "1 off" in svg


def test_stationery_that_cannot_be_printed_is_refused_in_words(tmp_path):
    with pytest.raises(Refusal, match="there are a4, a3, letter, tabloid"):
        stationery("a5")
    with pytest.raises(Refusal, match="name a PNG or JPEG that is there"):
        stationery("a4", "", str(tmp_path / "none.png"))
    (tmp_path / "mark.png").write_bytes(b"no picture")
    with pytest.raises(Refusal, match="no picture that can be read"):
        stationery("a4", "", str(tmp_path / "mark.png"))
    assert stationery("Letter", "4 Kiln Lane,\n Tolmere").address == "4 Kiln Lane, Tolmere"


SOLIDS = ["hole.stl", "inside.stl", "outside.stl", "parts.3mf"]


@pytest.mark.parametrize(("name", "written"), [("write blank labels", ["labels.pdf"]), ("write solids", SOLIDS)])
def test_the_desk_writes_labels_and_solids(window, qtbot, name, written):
    window.choose(4)
    window.findChild(QPushButton, name).click()
    qtbot.waitUntil(lambda: f"{len(written)} papers written" in window.message.text())
    assert sorted(path.name for path in window.bench.papers_folder.rglob("*.*") if path.is_file()) == written
