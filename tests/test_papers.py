"""Papers, read back: DXF with ezdxf, PDF with pypdf, CSV as text."""

import csv
import math

import ezdxf
import pytest
from pypdf import PdfReader

from bathyx.core.evaluate import evaluate
from bathyx.core.units import Family
from bathyx.demo import jobs
from bathyx.demo.seed import build_and_prove
from bathyx.files import WriteError, write_text
from bathyx.papers.dip_table import dip_rows, write_dip_csv, write_dip_pdf
from bathyx.papers.export import export_all
from bathyx.papers.folder import file_name, write_all
from bathyx.papers.machine.dxf import write_dxf
from bathyx.papers.plate import plate_data
from bathyx.register import JobRecord, Register


def text_of(path):
    return "\n".join(page.extract_text() for page in PdfReader(path).pages)


@pytest.mark.parametrize("school", ["plates", "two_l", "wrap", "perimeter"])
def test_a_dxf_has_the_blanks_outline_bends_and_holes_in_mm(tmp_path, school):
    e = evaluate(jobs.trolley().edited("makeup.school", school))
    for blank in e.results.blanks:
        drawing = ezdxf.readfile(write_dxf(blank, tmp_path / f"{file_name(blank.name)}.dxf"))
        space = drawing.modelspace()
        assert drawing.dxfversion == "AC1024"
        assert drawing.units == ezdxf.units.MM
        outline = space.query("LWPOLYLINE")[0]
        assert outline.dxf.layer == "CUT"
        assert outline.closed
        area = 0.0
        points = outline.get_points("xyb")
        for (x0, y0, b), (x1, y1, _) in zip(points, points[1:] + points[:1], strict=True):
            area += (x0 * y1 - x1 * y0) / 2
            if b:
                angle = 4 * math.atan(abs(b))
                radius = math.dist((x0, y0), (x1, y1)) / 2 / math.sin(angle / 2)
                area += math.copysign(radius**2 / 2 * (angle - math.sin(angle)), b)
        assert area == pytest.approx(blank.outline.area_mm2, rel=1e-9)
        assert len(space.query("CIRCLE")) == len(blank.holes)
        for layer, up in (("BEND_UP", True), ("BEND_DOWN", False)):
            assert len(space.query(f'LINE[layer=="{layer}"]')) == sum(b.up == up for b in blank.bends)
        assert all(t.dxf.layer == "TEXT" for t in space.query("TEXT"))


def test_the_dip_table_is_the_curve_in_both_families(tmp_path, trolley):
    rows = list(csv.DictReader(write_dip_csv(trolley, tmp_path / "dip.csv").open()))
    curve = trolley.results.capacity.curve
    for row in rows:
        level, litres = float(row["level_mm"]), float(row["volume_l"])
        assert litres == pytest.approx(float(curve.at(curve.low_mm + level)) / 1e6, abs=0.0006)
        assert float(row["volume_us_gal"]) == pytest.approx(litres / 3.785411784, abs=0.0006)
    assert dip_rows(trolley)[-1][1] == pytest.approx(trolley.results.capacity.net.value)
    assert "full 77.5 L" in text_of(write_dip_pdf(trolley, tmp_path / "dip.pdf", Family.METRIC))


@pytest.fixture
def proven(tmp_path):
    register = Register(tmp_path / "r.sqlite")
    job = jobs.sawmill()
    build_and_prove(register, job, "S2")
    yield evaluate(job), JobRecord.of(register.entries(job.uid)), register.serial(job.uid)
    register.close()


def test_the_whole_of_a_tank_goes_on_paper(tmp_path, proven):
    e, record, serial = proven
    written = {
        p.name: p for p in write_all(tmp_path / "out", lambda f: export_all(e, f, Family.METRIC, record, serial))
    }
    said = text_of(written["test-record.pdf"])
    for words in (
        serial,
        "Oddmar Timber",
        "S235 mild steel",
        "LEAKS",
        "TIGHT",
        "simulated gauge",
        "Marn Ostley",
        "Dip chart",
        "Hydraulic oil",
    ):
        assert words in said, words
    cut = text_of(written["cut-list.pdf"])
    assert all(b.name in cut for b in e.results.blanks)
    assert "% used" in cut
    traveller = text_of(written["traveller.pdf"])
    assert "HOLD: Fit check" in traveller
    assert "CAUTION" in traveller
    assert sum(name.endswith(".dxf") for name in written) == len(e.results.blanks)
    assert not list((tmp_path / "out").glob("*.part"))


def test_an_unproven_tank_says_so_in_its_head(tmp_path, trolley):
    export_all(trolley, tmp_path)
    assert "NOT PROVEN" in text_of(tmp_path / "test-record.pdf")
    assert plate_data(trolley, JobRecord(()), None).test == "not proven"


def test_the_plate_says_what_the_test_was(proven):
    e, record, serial = proven
    data = plate_data(e, record, serial)
    assert data.test.startswith("14.0 kPa (2.0 psi) 10 min")
    assert data.serial == serial
    assert "US gal" in data.capacity


def test_the_papers_are_a4_and_name_the_units_asked_for(tmp_path, trolley):
    export_all(trolley, tmp_path, Family.US)
    page = PdfReader(tmp_path / "cut-list.pdf").pages[0]
    assert float(page.mediabox.width) == pytest.approx(595.28, abs=0.5)
    assert '28 11/32"' in text_of(tmp_path / "cut-list.pdf")


def test_a_write_that_fails_leaves_what_stood_there(tmp_path, monkeypatch):
    path = write_text(tmp_path / "job.json", "first")

    def full(_fd):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr("os.fsync", full)
    with pytest.raises(WriteError, match="untouched"):
        write_text(path, "second")
    assert path.read_text() == "first"
    assert list(tmp_path.iterdir()) == [path]
