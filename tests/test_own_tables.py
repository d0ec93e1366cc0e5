"""The shop's own rows over the tables that ship: validated, carried with the job, told, known in every process."""

import json
from queue import Queue
from threading import Event, Thread, current_thread

import pytest
from PyQt6.QtWidgets import QPushButton, QWidget

from bathyx.cli.main import main
from bathyx.core.evaluate import evaluate
from bathyx.core.job import read_job, schema
from bathyx.core.material import fluids, materials, sheet
from bathyx.core.material.fluids import FLUIDS
from bathyx.core.tables import TABLES, own_now
from bathyx.errors import Refusal
from bathyx.files.own_tables import OWN, begin_own, looked_over, read_own
from bathyx.studies.kinds import KINDS, ProposeInputs
from bathyx.studies.running import Running
from tests.conftest import box, job_with
from tests.desk.test_parts import find

NEW = [
    "new",
    "--name",
    "Churn tank",
    "--sheet",
    "ours/3",
    "--length-mm",
    "500",
    "--width-mm",
    "400",
    "--height-mm",
    "300",
]
SHEET = """
[ours]
name = "Ours, half hard"
group = "aluminium"
thicknesses = [3.0, 4.0]
density = 2700
modulus = 70000
poisson = 0.33
yield_delivered = 140
yield_weld = 100
bend_radius_t = 1.0
k_factor = 0.4
price_per_kg = 9.5
stock = [[1000, 2000]]
filler = "5356"
source = "certificate of the lot, 2026"
"""


@pytest.fixture(autouse=True)
def _bare():
    yield
    for table in OWN:
        table.bare()


def laid(folder, **files):
    folder.mkdir(exist_ok=True)
    for name, text in files.items():
        (folder / f"{name}.toml").write_text(text, "utf-8")
    return read_own(folder)


def test_a_sheet_of_the_shops_own_is_cut_weighed_and_said(tmp_path):
    assert laid(tmp_path / "tables", sheets=SHEET) == []
    e = evaluate(job_with(box(sheet="ours/3")))
    ours, shipped = e.results.weight.dry.value, evaluate(job_with(box(sheet="5083/3"))).results.weight.dry.value
    assert ours / shipped == pytest.approx(2700 / 2660, rel=0.01)
    told = next(f for f in e.findings if f.code == "brief.own_figures")
    assert "ours" in told.message
    assert told.source == "certificate of the lot, 2026"


def test_of_a_shipped_row_what_differs_is_enough_and_is_named(tmp_path):
    assert laid(tmp_path / "t", sheets='[5083]\nprice_per_kg = 8.25\nsource = "our yard, May"') == []
    assert materials()["5083"].price_per_kg == 8.25
    assert materials()["5083"].density == 2660
    assert sheet("5083/3").material.price_per_kg == 8.25
    told = next(f for f in evaluate(job_with(box())).findings if f.code == "brief.own_figures")
    assert "changed in price_per_kg" in told.message


@pytest.mark.parametrize(
    ("name", "text", "said"),
    [
        (
            "sheets",
            SHEET.replace("density = 2700", "density = 2.7"),
            "density is 2.7; it should be from 300 to 20000 kg/m3",
        ),
        ("sheets", SHEET.replace("density = 2700\n", ""), "density: field required"),
        ("sheets", SHEET.replace('group = "aluminium"', 'group = "wood"'), "should be one of aluminium, stainless"),
        ("sheets", SHEET.replace("thicknesses = [3.0, 4.0]", "thicknesses = []"), "a thickness"),
        ("sheets", SHEET.replace("modulus = 70000", "modulus = nan"), "modulus is nan"),
        ("sheets", SHEET + "colour = 3\n", "colour"),
        ("sheets", "[5083]\nprice_per_kg = 8\n", "needs a source"),
        ("sheets", '["Big Key"]\nsource = "x"\n', "small letters"),
        ("sheets", "[5083\n", "cannot be read as TOML"),
        ("sheets", "a = 3\n", "a row is a table"),
        ("fluids", '[petrol]\nsource = "x"\nsuits = { plastic = "maybe" }\n', "suits"),
        ("kinds", '[filler]\nsource = "x"\nhole_mm = 6000\n', "hole_mm is 6000; it should be from 0 to 600 mm"),
        ("kinds", '[filler]\nsource = "x"\nsizes = [3]\n', "kinds.toml, filler"),
        ("kinds", '[filler]\nsource = "x"\nsizes = [{ name = "G 2", hole_mm = "wide" }]\n', "kinds.toml, filler"),
        ("punches", '[straight]\nsource = "x"\nhigh_mm = "tall"\n', "high_mm"),
    ],
)
def test_a_wrong_row_is_left_out_with_its_reason_and_the_rest_holds(tmp_path, name, text, said):
    before = own_now()
    wrong = laid(tmp_path / "t", **{name: text}, fitting_metals='[brass]\nname = "Our brass"\nsource = "the box"')
    assert len(wrong) == 1
    assert said in wrong[0], wrong
    assert json.loads(own_now()).keys() == {"fitting_metals"}
    assert before == "{}"
    evaluate(job_with(box()))


def test_what_is_no_file_or_too_large_is_said(tmp_path):
    folder = tmp_path / "t"
    (folder / "sheets.toml").mkdir(parents=True)
    (folder / "fluids.toml").write_bytes(b"\xff\xfe\x00")
    (folder / "kinds.toml").write_text("# " + "x" * 500_000)
    wrong = read_own(folder)
    assert len(wrong) == 3
    assert "a folder" in wrong[0]


def test_a_job_carries_the_rows_it_uses_and_reads_the_same_where_they_are_not_known(tmp_path):
    laid(
        tmp_path / "t", sheets=SHEET, fluids='[diesel]\ndensity = 900\nsource = "ours"', kinds='[filler]\nsource = "x"'
    )
    job = job_with(box(sheet="ours/4"), **{"brief.fluid": "fresh_water"})
    text = job.to_json()
    assert json.loads(text)["tables"].keys() == {"sheets"}  # diesel and filler are not used
    heavy = evaluate(job).results.weight.dry.value
    for table in OWN:
        table.bare()
    with pytest.raises(Refusal, match="no sheet material 'ours'"):
        sheet("ours/4")
    again = read_job(text)
    assert evaluate(again).results.weight.dry.value == heavy
    assert again.to_json() == text
    assert "came with the job" in next(f.message for f in evaluate(again).findings if f.code == "brief.own_figures")


def test_rows_of_one_home_do_not_hold_in_another(tmp_path):
    laid(tmp_path / "one", sheets=SHEET, fluids='[diesel]\ndensity = 900\nsource = "ours"')
    assert fluids()["diesel"].density == 900
    laid(tmp_path / "two", fluids='[petrol]\ndensity = 750\nsource = "theirs"')
    assert fluids()["diesel"].density == 835
    assert "ours" not in materials()


def test_a_job_that_is_opened_changes_no_other(tmp_path):
    laid(tmp_path / "t", sheets='[5083]\nyield_weld = 900\nsource = "wishful"')
    text = job_with(box()).to_json()
    for table in OWN:
        table.bare()
    e = evaluate(read_job(text))
    assert materials()["5083"].yield_weld == 125
    told = next(f for f in e.findings if f.code == "brief.other_figures")
    assert told.severity == "warn"
    assert "5083" in told.message
    assert "tables" not in json.loads(e.job.to_json())
    assert told.remedy is not None
    taken = e.job.edited_many(dict(told.remedy.changes))
    assert not {f.code for f in evaluate(taken).findings} & {"brief.other_figures", "brief.own_figures"}


@pytest.mark.parametrize("carried", [3, {"sheets": 3}, {"nothing": {}}, {"sheets": {"mine": {"name": "x"}}}])
def test_broken_rows_in_a_job_are_refused_in_words(carried):
    document = json.loads(job_with(box()).to_json()) | {"tables": carried}
    with pytest.raises(Refusal, match=r"tables|sheets"):
        read_job(json.dumps(document))


def test_without_own_rows_a_job_reads_as_it_always_did():
    assert "tables" not in json.loads(job_with(box()).to_json())
    assert schema()["properties"]["tables"]["propertyNames"]["enum"] == sorted(TABLES)


def test_the_command_lists_begins_and_warns(tmp_path, monkeypatch, capsys):
    monkeypatch.setenv("BATHYX_HOME", str(tmp_path))
    assert main(["tables", "--begin"]) == 0
    said = json.loads(capsys.readouterr().out)
    assert said["rows"] == {}
    assert said["left_out"] == []
    begun = {path.name for path in (tmp_path / "tables").iterdir()}
    assert begun == {f"{table.name}.toml" for table in OWN}
    (tmp_path / "tables/sheets.toml").write_text(SHEET + '\n[5083]\nprice_per_kg = "dear"\nsource = "x"\n')
    assert main(["tables"]) == 1
    said = json.loads(capsys.readouterr().out)
    assert said["rows"] == {"sheets": ["ours"]}
    assert "price_per_kg" in said["left_out"][0]
    path = tmp_path / "job.json"
    assert main([*NEW, str(path)]) == 0
    assert main(["figures", str(path)]) == 0
    out = capsys.readouterr()
    assert "left out: sheets.toml, 5083" in out.err


def test_the_examples_in_the_files_that_are_begun_are_right(tmp_path):
    begin_own(tmp_path)
    for path in tmp_path.iterdir():
        head, _, example = path.read_text("utf-8").partition("For instance:\n#\n")
        assert head
        path.write_text("\n".join(line.removeprefix("# ") for line in example.splitlines()), "utf-8")
    held, wrong = looked_over(tmp_path)
    assert wrong == []
    assert held.keys() == {table.name for table in OWN}


@pytest.fixture
def tables_there(tmp_path):
    (tmp_path / "tables").mkdir()
    (tmp_path / "tables/fluids.toml").write_text(
        '[whey]\nname = "Whey"\ndensity = 1025\nexpansion = 0.0003\nflammable = false\nfuel = false\nsource = "our dairy"\n'
        'suits = { aluminium = "no", stainless = "yes", steel = "no", plastic = "yes", laminate = "yes" }\n'
        'why = { aluminium = "acid", steel = "acid" }\n[lye]\nsource = "x"\n'
    )


def test_the_desk_reads_them_when_it_starts_and_says_what_it_left_out(tables_there, window):
    find(window, QPushButton, "put tables away").click()
    assert window.bench.edit({"brief.fluid": "whey"})
    window.finish()
    assert window.bench.evaluation.results.fluid.name == "Whey"
    window.hands.show_settings()
    page = find(window, QWidget, "settings page")
    assert "whey" in page.own.text()
    (window.home / "tables/sheets.toml").write_text(SHEET, "utf-8")
    find(window, QPushButton, "look tables over").click()
    assert "sheets: ours" in page.own.text()
    assert "Left out: fluids.toml, lye" in page.own.text()
    assert "ours" not in materials()  # from the next start on


def test_a_slow_search_in_a_process_of_its_own_knows_them_and_what_was_kept_before_does_not_stand(tmp_path):
    laid(tmp_path / "t", sheets=SHEET)
    inputs = ProposeInputs(job_with(box(sheet="ours/3")), ("box",), ())
    said, kind = Queue(), KINDS["propose"]
    key = kind.key(inputs)
    Running(kind, inputs, lambda word, value: said.put((word, value)))
    word = value = ""
    while word not in ("result", "refused", "fault"):
        word, value = said.get(timeout=180)
    assert word == "result", value
    for table in OWN:
        table.bare()
    assert kind.key(inputs) != key


def test_rows_laid_over_by_the_shelf_while_the_desk_makes_them_are_not_lost(monkeypatch):
    row = {
        "name": "Whey", "density": 1025, "expansion": 0.0003, "flammable": False, "fuel": False, "source": "our dairy",
        "suits": dict.fromkeys(("aluminium", "stainless", "steel", "plastic", "laminate"), "yes"), "why": {},
    }  # fmt: skip
    making, laid_over = Event(), Event()

    def slow(key, entries, make=FLUIDS._make):
        if current_thread().name == "desk" and not making.is_set():
            making.set()
            laid_over.wait(0.3)  # the other either lays over now, or has to wait for its turn
        return make(key, entries)

    monkeypatch.setattr(FLUIDS, "_make", slow)
    FLUIDS.changed()
    desk = Thread(target=FLUIDS.rows, name="desk")
    desk.start()
    assert making.wait(60)
    assert FLUIDS.lay_over({"whey": row}, carried=True) == []
    laid_over.set()
    desk.join()
    assert fluids()["whey"].density == 1025
