"""Pictures of a used tank: kept small and without where they were taken, noted, printed; what is no picture is refused."""

import io

import pytest
from PIL import Image
from pypdf import PdfReader
from PyQt6.QtWidgets import QPushButton

from bathyx.core.repair import Intake
from bathyx.desk.stages.brief.used import Pictures
from bathyx.files import ReadError
from bathyx.files.pictures import FOLDER, SIDE_PX, keep_picture, picture_at
from bathyx.papers.repair import write_repair
from tests.desk.test_parts import find


def taken(path, size=(3000, 2000), colour=(120, 90, 60), orientation=6):
    """A picture as a phone writes it: on its side, with the place where it was taken."""
    picture = Image.new("RGB", size, colour)
    exif = picture.getexif()
    exif[0x0112] = orientation
    exif[0x8825] = {1: "N", 2: (53.0, 12.0, 7.0)}
    picture.save(path, "JPEG", exif=exif)
    return path


def test_a_picture_is_turned_made_small_and_rid_of_its_place(tmp_path):
    source = taken(tmp_path / "crack.jpg")
    name = keep_picture(tmp_path / "home", source)
    kept = picture_at(tmp_path / "home" / FOLDER, name)
    with Image.open(kept) as shown:
        assert shown.size == (SIDE_PX * 2 // 3, SIDE_PX)  # upright
        assert not shown.getexif()
    assert keep_picture(tmp_path / "home", source) == name
    assert len(list(kept.parent.iterdir())) == 1
    assert picture_at(tmp_path / "elsewhere", name) is None
    assert picture_at(None, name) is None


@pytest.mark.parametrize("spoilt", ["text", "half", "empty", "svg", "bomb", "folder"])
def test_what_is_no_picture_is_refused_in_words(tmp_path, spoilt, monkeypatch):
    path = tmp_path / "thing.jpg"
    whole = io.BytesIO()
    Image.new("RGB", (400, 300)).save(whole, "PNG")
    if spoilt == "folder":
        path.mkdir()
    elif spoilt == "bomb":
        monkeypatch.setattr("bathyx.files.pictures.MOST_PIXELS", 1000)
        path.write_bytes(whole.getvalue())
    else:
        data = {
            "text": b"no picture",
            "half": whole.getvalue()[:60],
            "empty": b"",
            "svg": b"<svg xmlns='http://www.w3.org/2000/svg'/>",
        }
        path.write_bytes(data[spoilt])
    with pytest.raises(ReadError, match=r"thing\.jpg"):
        keep_picture(tmp_path / "home", path)
    assert not (tmp_path / "home").exists() or not list((tmp_path / "home").rglob("*.jpg"))


def test_pictures_are_taken_in_noted_printed_and_taken_off(window, settle, tmp_path):
    b = window.bench
    assert b.edit({"repair": Intake(what="a digger's tank", held="diesel").model_dump()})
    window.choose(0)
    window.finish()
    card = window.stage.card.findChild(Pictures)
    said = []
    b.said.connect(lambda _kind, text: said.append(text))
    (tmp_path / "notes.jpg").write_bytes(b"no picture")
    card.take(
        [taken(tmp_path / "left side.jpg"), tmp_path / "notes.jpg", taken(tmp_path / "mount.jpg", colour=(10, 20, 30))]
    )
    settle(lambda: not card.study.running)
    window.finish()
    assert [p.note for p in b.job.repair.pictures] == ["left side", "mount"]
    assert any("notes.jpg is no picture" in text for text in said)
    assert b.edit({"repair.pictures.1.note": "crack at the rear mount"})
    window.finish()
    assert len(card.rows) == 2
    record, e = b.record, b.evaluation
    paper = PdfReader(write_repair(e, record, "T-1", tmp_path / "repair.pdf", b.units, b.stationery))
    words = " ".join(" ".join(page.extract_text() for page in paper.pages).split())
    assert "2. crack at the rear mount" in words
    assert sum(len(page.images) for page in paper.pages) == 2
    for path in (window.home / FOLDER).iterdir():
        path.unlink()
    paper = PdfReader(write_repair(e, record, "T-1", tmp_path / "again.pdf", b.units, b.stationery))
    assert "not on this bench" in " ".join(page.extract_text() for page in paper.pages).replace("\n", " ")
    find(window, QPushButton, "drop picture 0").click()
    window.finish()
    assert [p.note for p in b.job.repair.pictures] == ["crack at the rear mount"]
