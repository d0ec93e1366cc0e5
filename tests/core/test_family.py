"""A family is one file: a wedge written here goes through everything with no edit elsewhere."""

from json import dumps as json_text
from typing import ClassVar, Literal

import ezdxf
import numpy as np
import pytest

from bathyx.core.evaluate import evaluate
from bathyx.core.findings.placing import floor, roof
from bathyx.core.geometry.shell import Face
from bathyx.core.job import Job, read_job
from bathyx.core.sheet.makeup.roles import MakeUpError
from bathyx.core.tank import families
from bathyx.core.tank.family import LiveDim, MakeUpPlan, TankFamily, size
from bathyx.core.tank.fit import fill_room
from bathyx.core.tank.rolled import End, RolledTank
from bathyx.core.units import Family
from bathyx.demo import jobs
from bathyx.draft.picture import Dim
from bathyx.draft.tank_views import tank_view
from bathyx.errors import Refusal
from bathyx.papers.export import export_all
from bathyx.papers.figures import figures


class Wedge(TankFamily):
    """A right-angled wedge: full height at the rear, an edge at the front."""

    title: ClassVar[str] = "Wedge"
    words: ClassVar[str] = "a wedge"
    plans: ClassVar[dict[str, MakeUpPlan]] = {"plates": MakeUpPlan(), "wrap": MakeUpPlan(None, ("rear",), "ring")}

    family: Literal["wedge"] = "wedge"
    length_mm: float = size("Length", ways=("length",))
    width_mm: float = size("Width", ways=("width",))
    height_mm: float = size("Height at the rear", ways=("height",))

    def faces(self, split=None):
        n, w, h = self.length_mm, self.width_mm, self.height_mm
        near = np.array([(0, 0, 0), (n, 0, 0), (n, 0, h)], float)
        far = near + [0, w, 0]
        found = [
            Face(name, np.array([near[i], far[i], far[(i + 1) % 3], near[(i + 1) % 3]]), name, role)
            for i, (name, role) in enumerate((("floor", "floor"), ("rear", "wall"), ("slope", "roof")))
        ]
        return [*found, Face("left end", near, "left end", "end"), Face("right end", far[::-1], "right end", "end")]

    def dims(self):
        return [LiveDim("side", np.array([self.length_mm, 0, 0]), np.zeros(3), "length_mm")]


@pytest.fixture
def wedge(monkeypatch):
    monkeypatch.setitem(families.FAMILIES, "wedge", Wedge)
    return Job(tank={"family": "wedge", "length_mm": 500, "width_mm": 400, "height_mm": 300, "sheet": "5083/3"})


def test_a_wedge_goes_through_capacity_blanks_seams_drawing_and_papers(wedge, tmp_path):
    e = evaluate(wedge)
    r = e.results
    assert r.capacity.gross.value == pytest.approx(500 * 400 * 300 / 2 / 1e6)
    assert {b.name for b in r.blanks if b.role == "shell"} == {"floor", "rear", "slope", "left end", "right end"}
    assert len([s for s in r.seams if s.joint != "stitch"]) == 9
    assert any(isinstance(i, Dim) and i.tag == "edit:tank.length_mm" for i in tank_view(e, Family.METRIC).items)
    paths = export_all(e, tmp_path, Family.METRIC, None, None)
    assert sum(p.suffix == ".dxf" for p in paths) == len(r.blanks)
    assert all(list(ezdxf.readfile(p).modelspace()) for p in paths if p.suffix == ".dxf")
    assert read_job(wedge.to_json()) == wedge
    assert set(r.litres_per_mm) == {"length_mm", "width_mm", "height_mm"}
    assert {roof(r)[0], floor(r)[0]} == {"slope", "floor"}
    for finding in e.advice:
        if finding.remedy is not None:
            evaluate(finding.remedy.apply(wedge))


def test_a_school_that_does_not_suit_is_refused_with_those_that_do(wedge):
    with pytest.raises(MakeUpError, match=r"choose Sheared plates \(plates\), One wrap \(wrap\)"):
        evaluate(wedge.edited("makeup.school", "rolled"))


def test_an_unknown_family_is_refused_with_those_there_are(wedge):
    with pytest.raises(Refusal, match="its family should be one of profile, outline, rolled, saddle, hopper, halves"):
        wedge.edited("tank.family", "egg")


@pytest.mark.parametrize("name", families.FAMILIES)
def test_every_family_begins_fills_a_room_and_says_its_settings(name):
    family = families.FAMILIES[name]
    box = {"length": 600.0, "width": 500.0, "height": 400.0}
    tank = family.started(box, "304/2")
    assert [f for name, f in family.model_fields.items() if f.is_required() and name not in ("family", "sheet")]
    assert all(s.label and "_" not in s.label for s in family.settings())
    r = evaluate(Job(tank=tank, makeup={"school": tank.schools()[0]})).results
    low, high = tank.shell().bounds
    room = r.room.__class__(width_mm=520.0, depth_mm=620.0, height_mm=420.0)
    if not tank.built_in:
        filled = fill_room(tank, room, 2.0).shell().bounds
        assert np.all(filled[1] - filled[0] <= [616.0, 516.0, 416.0])
        assert float(np.prod(filled[1] - filled[0])) >= 0.6 * float(np.prod(high - low))
    for setting in tank.main_sizes():
        assert r.litres_per_mm[setting.path] > 0
    for dim in tank.dims():
        assert np.isfinite([*dim.start, *dim.end]).all()
    json = figures(evaluate(Job(tank=tank, makeup={"school": tank.schools()[0]})), tilt_deg=(6.0, -3.0))
    assert json["dip_at"]["volume_l"][-1] == pytest.approx(json["capacity_l"]["net"], rel=1e-6)


@pytest.mark.parametrize(
    ("more", "why"),
    [
        ({"diameter_mm": 0}, "needs a diameter of 20 mm or more"),
        ({"section": "d", "width_mm": 400, "height_mm": 150}, "make it 200 mm high"),
        ({"section": "obround", "width_mm": 400, "height_mm": 402}, "has no flats"),
        ({"section": "radiused", "width_mm": 400, "height_mm": 300, "corner_mm": 160}, "between 0 and 147.5 mm"),
        (
            {"section": "obround", "width_mm": 400, "height_mm": 200, "front": End(kind="dished")},
            "needs a round section",
        ),
        ({"front": End(kind="dished", knuckle_mm=260)}, "knuckle of 260 mm is larger"),
        ({"rear": End(kind="dished", crown_mm=240)}, "does not span 500 mm; it is at least 250 mm"),
        ({"rear": End(kind="flanged", knuckle_mm=249)}, "leaves no flat"),
    ],
)
def test_a_rolled_tank_that_cannot_be_says_what_would_be_right(more, why):
    with pytest.raises(ValueError, match=why):
        RolledTank(**{"length_mm": 800, "diameter_mm": 500, "sheet": "304/2", **more})


def test_a_job_of_the_first_release_is_written_as_it_was():
    """Its frozen revisions are told from changed ones by their text: a new field must not change it."""
    text = jobs.trolley().to_json()
    tank = text[text.index('"tank"') : text.index('"makeup"')]
    names = [line.split('"')[1] for line in tank.splitlines()[1:] if line.startswith('    "')]
    assert names == ["family", "length_mm", "width_mm", "height_mm", "sheet", "chamfers", "jog"]
    document = jobs.trolley().model_dump(mode="json")
    document["tank"] = {name: document["tank"][name] for name in names}
    space = ("width", "depth", "height", "clearance", "floor_diagonals")
    document["space"] = {name: document["space"][name] for name in space}
    document["brief"] = {k: v for k, v in document["brief"].items() if k not in ("cornering_g", "most_kg", "warn_l")}
    del document["second"], document["makeup"]["strips"], document["makeup"]["brake"]["pan_mm"]
    del document["makeup"]["brake"]["beam_mm"]
    for later in ("own_parts", "formed", "other_rows", "layup", "repair"):
        del document[later]
    for test in document["proving"]["tests"]:
        del test["stand_off_m"]
    for later in [
        "die_mm",
        "between_mm",
        "throat_mm",
        "punch",
        "punch_mm",
        "ram_mm",
        "die_high_mm",
        "open_mm",
        "by_hand_mm",
    ]:
        del document["makeup"]["brake"][later]
    del document["inside"]["straps"]
    for fitting in document["inside"]["fittings"]:
        del fitting["thread"], fitting["duty"], fitting["stands_mm"]
    for later in (
        "k_rule",
        "table",
        "panels",
        "moved",
        "doublers",
        "grain",
        "relief_mm",
        "trim_mm",
        "shrink_mm",
        "weld_process",
        "lid",
        "bands",
    ):
        del document["makeup"][later]
    for later in ("panel_layups", "donors"):
        del document[later]
    del document["brief"]["flat_base"]
    assert text == json_text(document, indent=2, ensure_ascii=False) + "\n"
    deep = jobs.trolley().edited(
        "tank.sump", {"x_mm": 120, "y_mm": 300, "length_mm": 90, "width_mm": 90, "depth_mm": 30}
    )
    assert read_job(deep.to_json()) == deep
