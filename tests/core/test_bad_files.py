"""Files that are no jobs, or jobs that make no sense: refused in words, at most three lines, never an exception of Python's."""

import json
import os

import pytest

from bathyx.core.build.steps import steps
from bathyx.core.evaluate import cuttable, evaluate
from bathyx.core.job import JobError, job_of, read_job
from bathyx.demo import jobs
from bathyx.errors import MOST_LETTERS, MOST_LINES, Refusal, brief
from bathyx.files import ReadError, read_text

SOUND = jobs.trolley().to_json()


def changed(path, value):
    document = json.loads(SOUND)
    *way, last = path
    spot = document
    for step in way:
        spot = spot[step]
    spot[last] = value
    return json.dumps(document)


FITTING = json.loads(SOUND)["inside"]["fittings"][0]


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("", "not a whole JSON document"),
        ("[" * 5000 + "]" * 5000, "lists within lists"),
        ('{"schema_version": 2, "a": ' * 3000 + "1" + "}" * 3000, "lists within lists"),
        ('{"schema_version": ' + "9" * 5001 + "}", "a number of 5001 digits"),
        (SOUND.replace('"schema_version": 2', '"schema_version": 1e400'), "whole number"),
        (SOUND.replace('"schema_version": 2', '"schema_version": 2, "schema_version": 2'), "stands twice"),
        (changed(["brief", "slope_deg"], 10**17), "should be 60 at most"),
        (changed(["brief", "slope_deg"], float("nan")), "finite"),
        (changed(["brief", "slope_deg"], "S").replace('"S"', "1e999"), "brief.slope_deg"),
        (changed(["brief", "colour"], "x" * 5_000), "brief.colour"),
        (changed(["tank", "chamfers"], 7), "should be a list in square brackets"),
        (changed(["brief", "moving"], "perhaps"), "should be true or false"),
        (changed(["brief", "demand"], {"kind": "wish"}), "its kind should be one of"),
        (
            changed(["brief", "demand"], {"kind": "capacity", "litres": -1}),
            "brief.demand.litres is -1: should be above 0",
        ),
        (changed(["inside", "fittings"], [FITTING | {"id": f"f{k}"} for k in range(20_000)]), "should hold 60 at most"),
        (changed(["inside", "fittings", 0, "u_mm"], 1e12), "inside.fittings.0.u_mm"),
        (changed(["inside", "baffles", "by_hand"], [{"axis": "x", "at_mm": 90}] * 2), "0 mm apart"),
        (changed(["space", "width"], {"typed": "700", "mm": 7000}), "'700' is 700 mm, but mm says 7000"),
        (changed(["space", "width"], "9" * 400), "400 letters are no length"),
        (changed(["tank", "sheet"], "\x00\x1b[31m"), "tank.sheet"),
        ("\x00" * 40, "not a whole JSON document"),
    ],
)
def test_a_bad_job_is_refused_with_its_place(text, says):
    with pytest.raises(JobError) as caught:
        read_job(text, "x.json")
    said = str(caught.value)
    assert says in said
    assert said.startswith("x.json: ")
    assert said.count("\n") < MOST_LINES
    assert len(said) < 3 * MOST_LETTERS
    assert "valid tuple" not in said
    assert "Extra inputs" not in said
    assert said.replace("\n", "").isprintable()


def test_a_byte_order_mark_is_read(tmp_path):
    path = tmp_path / "marked.json"
    path.write_bytes(b"\xef\xbb\xbf" + SOUND.encode())
    assert read_job(read_text(path)) == jobs.trolley()


def _pipe(path):
    os.mkfifo(path)


def _link(path):
    path.symlink_to("nowhere")


@pytest.mark.parametrize(
    ("make", "says"),
    [
        (_pipe, "is a pipe"),
        (lambda p: p.mkdir(), "is a folder"),
        (_link, "a link to nowhere, which is not there"),
        (lambda p: p.symlink_to("/dev/zero"), "is a device"),
        (lambda p: p.symlink_to(p.name), "cannot be read"),
        (lambda p: p.write_bytes(b"\xff\xfe{\x00"), "is UTF-16 text; save it as UTF-8"),
        (lambda p: p.write_bytes(b'{"a": "\xe9"}'), "byte 7 is 0xe9"),
        (lambda p: p.write_bytes(b"1" * 5_000_000), "is 5 MB; Bathyx reads up to 4 MB"),
        (lambda p: None, "no such file"),
    ],
)
def test_only_plain_files_of_text_are_read_and_nothing_is_waited_for(tmp_path, make, says):
    path = tmp_path / "job.json"
    make(path)
    with pytest.raises(ReadError, match=says):
        read_text(path)


def test_a_hole_wider_than_its_face_is_refused():
    job = jobs.trolley()
    narrow = {f"inside.fittings.{k}.hole_mm": 600.0 for k in range(len(job.inside.fittings))}
    with pytest.raises(Refusal, match="a hole of 600 mm does not fit"):
        evaluate(job.edited_many(narrow | {"tank.width_mm": 300.0}))


def test_holes_that_take_a_whole_blank_are_a_stop():
    fitting = jobs.trolley().inside.fittings[0]
    many = [fitting.model_copy(update={"id": f"f{k}", "hole_mm": 200.0}) for k in range(60)]
    e = evaluate(jobs.trolley().edited("inside.fittings", many))
    (stop,) = [f for f in e.stops if f.code == "sheet.uncut"]
    assert "its holes take more than its whole area" in stop.message
    assert e.results.blanks == ()
    assert e.results.weight.dry.value > 5  # not the weight of its fittings alone
    assert e.findings
    assert [s.id for s in steps(e)]
    with pytest.raises(Refusal, match=r"cannot be cut: .*its holes take more"):
        cuttable(e)


@pytest.mark.parametrize(("size", "sheet"), [(25.0, "5083/8"), (25.0, "5083/3"), (9_990.0, "5083/3")])
def test_no_figure_comes_out_below_zero_at_either_end(size, sheet):
    tank = {"family": "profile", "length_mm": size, "width_mm": size, "height_mm": size, "sheet": sheet}
    r = evaluate(job_of({"tank": tank})).results
    assert min(b.area_mm2 for b in r.blanks) > 0
    assert 0 < r.capacity.usable.value <= r.capacity.net.value <= r.capacity.gross.value
    assert r.weight.dry.value > 0


def test_a_fault_of_numpy_is_not_taken_for_a_mistake_of_the_maker(monkeypatch):
    monkeypatch.setattr("bathyx.core.evaluate._refuse_nothing_left", lambda *_: [1, 2][5])
    with pytest.raises(IndexError):
        evaluate(jobs.trolley().edited("tank.height_mm", 291.25))


def test_a_message_is_cut_to_what_a_person_reads():
    assert brief("a\nb\nc\nd") == "a\nb\nc"
    assert len(brief("x" * 5_000_000)) <= MOST_LETTERS
    assert brief("a\x1b[31m") == "a\\x1b[31m"


def test_job_of_takes_any_plain_data():
    for junk in (None, 7, [], "text", {"tank": []}, {"schema_version": 2, "tank": None}):
        with pytest.raises(JobError):
            job_of(junk)
