"""The shop's paper: chosen once, on every paper that is written from the desk, and what cannot be printed is said."""

import json

import pytest
from pypdf import PdfReader
from PyQt6.QtWidgets import QLineEdit

from bathyx.core.units import Family
from tests.desk.test_shapes import choose
from tests.desk.test_window import find, press


@pytest.fixture
def handing(window):
    window.choose(7)
    window.stage.card.bring(window.stage.paper)
    return window


def test_sheet_address_and_inches_are_kept_and_printed(handing, qtbot):
    window = handing
    choose(window, "paper", "letter")
    line = find(window, QLineEdit, "address")
    line.setText("4 Kiln Lane, Tolmere")
    line.editingFinished.emit()
    choose(window, "inches", str(Family.US_DECIMAL))
    window.bench.turn_units()
    assert window.bench.units is Family.US_DECIMAL
    kept = json.loads((window.home / "desk.json").read_text())
    assert (kept["paper"], kept["address"], kept["units"]) == ("letter", "4 Kiln Lane, Tolmere", "us-decimal")
    said = []
    window.bench.said.connect(lambda _kind, words: said.append(words))
    press(window, "write all papers")
    qtbot.waitUntil(lambda: any("papers written" in words for words in said))
    folder = next(p for p in window.bench.papers_folder.rglob("blanks.pdf")).parent
    for name in ("blanks.pdf", "cut-list.pdf", "traveller.pdf", "test-record.pdf", "dip-table.pdf"):
        page = PdfReader(folder / name).pages[0]
        assert float(page.mediabox.width) == pytest.approx(612, abs=0.5)
        assert "4 Kiln Lane, Tolmere" in page.extract_text()
    assert '28.346"' in PdfReader(folder / "blanks.pdf").pages[0].extract_text()


def test_settings_of_another_kind_are_no_crash(handing):
    handing.bench.settings.kept |= {"paper": 5, "address": 7.5, "mark": 1}
    handing.stage.card.refresh()
    assert "no sheet that papers are made for" in handing.stage.paper.wrong.text()
    assert handing.bench.stationery.sheet == "a4"


def test_a_mark_that_is_gone_is_said_and_papers_are_written_without_it(handing, tmp_path):
    window = handing
    line = find(window, QLineEdit, "mark")
    line.setText(str(tmp_path / "gone.png"))
    line.editingFinished.emit()
    assert "name a PNG or JPEG that is there" in window.stage.paper.wrong.text()
    assert window.stage.paper.wrong.isVisibleTo(window.stage.paper)
    assert window.bench.stationery.mark is None
    line.setText("")
    line.editingFinished.emit()
    assert not window.stage.paper.wrong.isVisibleTo(window.stage.paper)
