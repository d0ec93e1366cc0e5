"""Text of the maker on paper and in files: letters drawn or numbered, long names wrapped, nothing taken for a code."""

import os
import subprocess
import sys

import ezdxf
import pytest
from pypdf import PdfReader

from bathyx.cli import main
from bathyx.core.evaluate import evaluate
from bathyx.core.units import Family
from bathyx.demo import jobs
from bathyx.desk.display import trouble
from bathyx.files import WriteError
from bathyx.papers.export import export_all
from bathyx.papers.folder import DEVICES, FolderError, dated, file_name, file_names, write_all
from bathyx.papers.machine.dxf import plain, write_dxf
from bathyx.papers.page.lettering import REGULAR, fitting, spelled, split, use_fonts, width
from bathyx.register import JobRecord
from tests.test_paper_layout import HEIGHT, WIDTH, placed_words


def said(path):
    return "".join(page.extract_text() for page in PdfReader(path).pages)


@pytest.mark.parametrize("name", ["Żółć Łąka", "Передний бак", "Δεξαμενή", "Ærø Þór Čapek", "Tank № 5 ≥ 3 Ω"])
def test_letters_of_europe_are_drawn_and_can_be_read_back(tmp_path, name):
    e = evaluate(jobs.dairy().edited_many({"brief.name": name, "brief.customer": name}))
    for path in write_all(tmp_path / "out", lambda f: export_all(e, f)):
        if path.suffix == ".pdf":
            assert name in said(path).replace("\n", " ")
            assert "[U+" not in said(path)


def test_letters_that_no_font_has_are_numbered_and_the_paper_says_so(tmp_path):
    e = evaluate(jobs.dairy().edited_many({"brief.name": "水箱 tank שלום", "brief.customer": "🛢 & Co"}))
    text = said(write_all(tmp_path / "out", lambda f: export_all(e, f))[-2])
    assert "[U+6C34][U+7BB1] tank [U+05E9]" in text
    assert "[U+1F6E2]" in text
    assert "lack stand as their Unicode number" in text
    assert spelled("e\u0301") == "é"
    assert spelled("a\u202eb") == "a[U+202E]b"


def test_the_longest_names_stay_on_the_sheet_whole(tmp_path):
    long = "Wagenschmieröltankentleerungsvorrichtung" * 3
    e = evaluate(jobs.dairy().edited_many({"brief.name": long[:120], "brief.customer": "W" * 120, "maker": "M" * 120}))
    for path in write_all(tmp_path / "out", lambda f: export_all(e, f, Family.US, JobRecord(()), "TT-2026-0001")):
        if path.suffix == ".pdf":
            for _, x, y, _text in placed_words(path):
                assert 5 < x < WIDTH - 15
                assert 15 < y < HEIGHT - 15
            assert "W" * 120 in said(path).replace("\n", "") or "cut-list" in path.name or "dip" in path.name


def test_splitting_and_shrinking():
    use_fonts()
    assert all(width(line, REGULAR, 9) <= 100 for line in split("x" * 300 + " y " + "z" * 90, REGULAR, 9, 100))
    assert "".join(split("x" * 300, REGULAR, 9, 100)) == "x" * 300
    assert width("long words here", REGULAR, fitting("long words here", REGULAR, 20, 60)) <= 60.01
    assert fitting("x", REGULAR, 20, 60) == 20


def test_a_mark_on_a_blank_is_no_code(tmp_path):
    job = jobs.trolley()
    job = job.edited("inside.fittings.0.id", "%%c\\P^x")
    for k, blank in enumerate(evaluate(job).results.blanks):
        drawing = ezdxf.readfile(write_dxf(blank, tmp_path / f"b{k}.dxf"))
        for text in drawing.modelspace().query("TEXT"):
            assert "%%" not in text.dxf.text
            assert "\\" not in text.dxf.text
    assert plain("%%d\\U+00D8") == "% %d/U+00D8"


def test_file_names_are_safe_and_no_two_are_the_same():
    assert file_names(["Baffle 1", "baffle  1", "BAFFLE-1", "Боковина", "水"]) == [
        "baffle-1", "baffle-1-2", "baffle-1-3", "blank", "blank-2"
    ]  # fmt: skip
    assert file_name("../../etc/passwd") == "etc-passwd"
    assert len(file_name("a" * 500)) <= 60
    assert all(file_name(d) not in DEVICES for d in ("con", "NUL", "com1"))
    assert file_name("Łódź Émile") == "odz-emile"


# -- exports --------------------------------------------------------------------------------------------------------------


def writes(names, then=None):
    def write(folder):
        for name in names:
            (folder / name).write_text(name)
        if then:
            then()
        return [folder / name for name in names]

    return write


def full():
    raise OSError(28, "No space left on device")


def test_papers_go_into_a_new_folder_all_or_none(tmp_path):
    target = tmp_path / "deep" / "out"
    assert write_all(target, writes(["a", "b"])) == [target / "a", target / "b"]
    with pytest.raises(FolderError, match="is not empty"):
        write_all(target, writes(["c"]))
    assert sorted(p.name for p in target.iterdir()) == ["a", "b"]
    with pytest.raises(WriteError, match=r"no papers were written .* no space left"):
        write_all(tmp_path / "other", writes(["a"], full))
    assert [p.name for p in tmp_path.iterdir()] == ["deep"]
    write_all(target, writes(["c"]), instead=True)
    assert [p.name for p in target.iterdir()] == ["c"]
    before = next(p for p in target.parent.iterdir() if ".before-" in p.name)
    assert sorted(p.name for p in before.iterdir()) == ["a", "b"]
    assert dated(tmp_path).parent == tmp_path


def test_a_link_is_not_followed_out_of_its_folder(tmp_path):
    (tmp_path / "mine").mkdir()
    (tmp_path / "out").symlink_to(tmp_path / "mine")
    with pytest.raises(FolderError, match="is a link"):
        write_all(tmp_path / "out", writes(["a"]))
    (tmp_path / "file").write_text("x")
    with pytest.raises(FolderError, match="is a file"):
        write_all(tmp_path / "file", writes(["a"]))
    assert list((tmp_path / "mine").iterdir()) == []


def test_two_baffles_of_one_name_do_not_share_a_drawing(tmp_path):
    e = evaluate(jobs.sawmill())
    every = write_all(tmp_path / "out", lambda f: export_all(e, f))
    assert sum(p.suffix == ".dxf" for p in every) == len(e.results.blanks)
    assert len({p.name for p in every}) == len(every)


# -- the command line -----------------------------------------------------------------------------------------------------


@pytest.fixture
def job_file(tmp_path):
    path = tmp_path / "job.json"
    path.write_text(jobs.dairy().to_json())
    return path


def run(*arguments, **more):
    return subprocess.run(
        [sys.executable, "-m", "bathyx.cli", *map(str, arguments)], capture_output=True, timeout=60, **more
    )


def test_a_full_device_and_a_closed_pipe_end_quietly_with_the_right_code(job_file):
    for to, code, says in (("/dev/full", 1, "no space left on device"), (None, 141, "")):
        if to:
            with open(to, "w") as out:
                done = subprocess.run(
                    [sys.executable, "-m", "bathyx.cli", "figures", str(job_file)], stdout=out, stderr=subprocess.PIPE, timeout=60
                )  # fmt: skip
        else:
            near, far = os.pipe()
            os.close(near)
            done = subprocess.run(
                [sys.executable, "-m", "bathyx.cli", "figures", str(job_file)],
                stdout=far,
                stderr=subprocess.PIPE,
                timeout=60,
            )
            os.close(far)
        assert done.returncode == code
        assert says in done.stderr.decode()
        assert b"Traceback" not in done.stderr
        assert done.stderr.count(b"\n") <= 1


def test_export_asks_before_it_touches_what_is_there(job_file, tmp_path, capsys):
    out = tmp_path / "out"
    out.mkdir()
    (out / "cut-list.pdf").write_text("mine")
    assert main(["export", str(job_file), str(out)]) == 1
    assert "is not empty" in capsys.readouterr().err
    assert (out / "cut-list.pdf").read_text() == "mine"
    assert main(["export", str(job_file), str(out), "--instead"]) == 0
    assert next(tmp_path.glob("out.before-*/cut-list.pdf")).read_text() == "mine"


@pytest.mark.parametrize(
    ("environment", "says"),
    [
        ({}, "no display"),
        ({"DISPLAY": ":77"}, "does not answer"),
        ({"DISPLAY": "bogus"}, "does not answer"),
        ({"WAYLAND_DISPLAY": "gone", "XDG_RUNTIME_DIR": "/nowhere"}, "does not answer"),
        ({"QT_QPA_PLATFORM": "nonsense"}, "there are"),
        ({"QT_QPA_PLATFORM": "offscreen"}, ""),
        ({"QT_QPA_PLATFORM": "xcb", "DISPLAY": ":77"}, "does not answer"),
    ],
)
def test_a_dead_or_bogus_display_is_said(environment, says):
    found = trouble(environment)
    assert says in found
    assert bool(found) == bool(says)


def test_what_a_killed_writer_left_is_taken_away_after_an_hour(tmp_path):
    import time

    from bathyx.files import FileHold, sweep_holds, sweep_parts

    old, new, mine = tmp_path / ".job.json.x.part", tmp_path / ".job.json.y.part", tmp_path / "job.part"
    for path in (old, new, mine):
        path.write_text("half")
    folder = tmp_path / ".out.z.part"
    folder.mkdir()
    (folder / "cut-list.pdf").write_text("half")
    beside = [
        tmp_path / f".r.sqlite.x.part-{tail}" for tail in ("journal", "wal", "shm")
    ]  # what SQLite keeps beside a copy
    for path in beside:
        path.write_text("half")
    for path in (old, mine, folder, *beside):
        os.utime(path, (time.time() - 4000, time.time() - 4000))
    assert sweep_parts(tmp_path) == 5
    assert sorted(p.name for p in tmp_path.iterdir()) == [".job.json.y.part", "job.part"]
    held = FileHold(tmp_path / "a.json", "Marn")
    (tmp_path / ".b.json.held").write_text("{}")
    assert sweep_holds(tmp_path) == 1
    assert held.path.exists()
    held.leave()
