"""Nests on several sheets: nothing overlaps or hangs over, the shear can make every cut, no worse than the libraries alone."""

import json
from itertools import combinations
from types import SimpleNamespace

import numpy as np
import pytest
import rectpack
import spyrrow
from PyQt6.QtWidgets import QComboBox, QPushButton
from shapely.geometry import Polygon
from shapely.geometry import box as rectangle

from bathyx.cli.main import main
from bathyx.core.evaluate import evaluate
from bathyx.core.sheet.cutting.cut_plan import Cutting, Part, common_mm, cut_plan, parts_of, taken_mm2
from bathyx.core.sheet.cutting.guillotine import cuts_of, on_one_sheet
from bathyx.core.sheet.cutting.nest import NestError
from bathyx.core.sheet.cutting.order import steps_of
from bathyx.core.sheet.cutting.rack import OffCut, kept, next_number, of_sheet, rack_after, rack_of, written
from bathyx.demo import jobs
from bathyx.desk.settings import DeskSettings
from bathyx.draft.picture import Poly
from tests.conftest import job_with
from tests.desk.test_parts import find

STOCK = (2500.0, 1250.0)


def cut_up(rng, count):
    """A sheet cut from edge to edge into pieces, shuffled and turned."""
    rects = [STOCK]
    while len(rects) < count:
        w, h = rects.pop(int(np.argmax([a * b * rng.uniform(0.3, 1) for a, b in rects])))
        share = round(float(rng.uniform(0.25, 0.75)), 3)
        rects += (
            [(w * share, h), (w - w * share, h)]
            if w * rng.uniform(0.6, 1.4) > h
            else [(w, h * share), (w, h - h * share)]
        )
    return [(w, h) if rng.random() < 0.5 else (h, w) for w, h in (rects[k] for k in rng.permutation(len(rects)))]


def test_a_sheet_cut_into_pieces_goes_back_into_one_sheet():
    """The known optimum: all of one sheet; 97 of 100 at least."""
    rng = np.random.default_rng(5)
    back = sum(on_one_sheet(cut_up(rng, int(rng.integers(5, 16))), STOCK, 1.0) is not None for _ in range(100))
    assert back >= 97


def plate(name, w, h):
    return Part(name, np.array([[0, 0], [w, 0], [w, h], [0, h]], float))


def sound(plan, parts, how):
    """Looked over by shapely: within the margin, a kerf apart."""
    by_name = {p.name: p for p in parts}
    assert sorted(p.part for p in plan.places) == sorted(by_name)
    shapes = [(p.sheet, Polygon(p.laid(by_name[p.part].outline))) for p in plan.places]
    for n, shape in shapes:
        w, h = plan.sheets[n].size
        m = how.margin_mm - 0.05
        assert rectangle(m, m, w - m, h - m).contains(shape)
    for (n, a), (k, b) in combinations(shapes, 2):
        if n == k:
            assert a.distance(b) >= how.kerf_mm - 0.05
    area = sum(Polygon(p.outline).area for p in parts)
    assert plan.density == pytest.approx(area / sum(s.size[0] * s.size[1] for s in plan.sheets))


def replayed(used, rects):
    """The shear's cuts made one after another: each goes through a region that is there; every piece is one of what is left."""
    regions = [(0.0, 0.0, *used.size)]
    for cut in used.cuts:
        found = next(k for k, r in enumerate(regions) if np.allclose(r, cut.region, atol=1e-6))
        x, y, w, h = regions.pop(found)
        if cut.axis == "x":
            assert x < cut.at < x + w
            regions += [(x, y, cut.at - x, h), (cut.at, y, x + w - cut.at, h)]
        else:
            assert y < cut.at < y + h
            regions += [(x, y, w, cut.at - y), (x, cut.at, w, y + h - cut.at)]
    for rect in rects:
        assert any(np.allclose(rect, region, atol=1e-3) for region in regions)


@pytest.mark.parametrize("name", ["trolley", "dryer", "dairy"])
def test_the_shears_cuts_part_every_blank(name):
    r = evaluate(jobs.ALL[name]()).results
    parts, how = parts_of(r.blanks), Cutting(shear=True, kerf_mm=0.0)
    plan = cut_plan(parts, r.sheet.material.stock, how=how, seconds=1.5)
    sound(plan, parts, how)
    by_name = {p.name: p for p in parts}
    for n, used in enumerate(plan.sheets):
        rects = []
        for place in plan.places:
            if place.sheet == n:
                ring = place.laid(by_name[place.part].outline)
                rects.append((*ring.min(axis=0), *np.ptp(ring, axis=0)))
        replayed(used, rects)


def test_five_round_one_are_no_cuts_of_a_shear():
    """The windmill: four round a fifth, no cut from edge to edge parts them."""
    wheel = [(0, 0, 2, 1), (2, 0, 1, 2), (1, 2, 2, 1), (0, 1, 1, 2), (1, 1, 1, 1)]
    assert cuts_of([tuple(map(float, r)) for r in wheel], (0.0, 0.0, 3.0, 3.0)) is None
    assert cuts_of([(0.0, 0.0, 2.0, 1.0), (0.0, 1.0, 1.0, 1.0)], (0.0, 0.0, 3.0, 3.0)) is not None


def test_no_worse_than_the_libraries_used_directly():
    """`rectpack`'s default packer, and `spyrrow` in one strip at equal time, on the blanks of a demo tank."""
    for name in ("dryer",):
        r = evaluate(jobs.ALL[name]()).results
        stock = r.sheet.material.stock
        parts, how = parts_of(r.blanks), Cutting(shear=False, kerf_mm=3.0, margin_mm=5.0)
        plan = cut_plan(parts, stock, how=how, seconds=2)
        sound(plan, parts, how)
        direct = []
        for w, h in stock:
            packer = rectpack.newPacker()
            for p in parts:
                packer.add_rect(p.size[0] + 3, p.size[1] + 3)
            packer.add_bin(w - 7, h - 7, count=20)
            packer.pack()
            if len(packer.rect_list()) == len(parts):
                direct.append(len(packer) * w * h)
            items = [
                spyrrow.Item(str(k), [tuple(map(float, q)) for q in p.outline], 1, [0.0, 90.0, 180.0, 270.0])
                for k, p in enumerate(parts)
            ]
            try:
                strip = spyrrow.StripPackingInstance("strip", h - 10, items)
                config = spyrrow.StripPackingConfig(
                    min_items_separation=3.0, total_computation_time=1, num_workers=1, seed=1
                )
                direct.append(int(np.ceil(strip.solve(config).width / (w - 10))) * w * h)
            except ValueError:
                pass
        assert plan.new_mm2 <= min(direct) + 1


def test_offcuts_are_used_first_and_what_is_left_is_said():
    parts = [plate("a", 500, 300), plate("b", 380, 280), plate("c", 900, 600)]
    how = Cutting(shear=True, kerf_mm=0.0)
    plan = cut_plan(parts, [STOCK], [(400.0, 300.0), (520.0, 320.0)], how, 1.0)
    sound(plan, parts, how)
    assert [s.offcut for s in plan.sheets] == [True, True, False]
    new = plan.sheets[-1]
    assert new.left == pytest.approx((STOCK[0] - 605, STOCK[1]))
    grain = cut_plan([plate("a", 300, 1000)], [(1250.0, 2500.0)], how=Cutting(grain=True, kerf_mm=0.0), seconds=0.3)
    assert grain.places[0].turn_deg == 0


def test_what_no_sheet_takes_and_names_that_are_twice_are_refused():
    with pytest.raises(NestError, match="a is 2600 × 300 mm and no stock sheet takes it"):
        cut_plan([plate("a", 2600, 300)], [STOCK])
    with pytest.raises(NestError, match="margin"):
        cut_plan([plate("a", 2495, 300)], [STOCK])
    with pytest.raises(NestError, match="two parts are called a"):
        cut_plan([plate("a", 100, 100), plate("a", 100, 100)], [STOCK])


def test_the_search_stops_and_tells_the_best_so_far():
    heard = []

    def stop(share, best):
        heard.append(best)
        return False

    plan = cut_plan(
        [plate("a", 500, 300), plate("b", 380, 280)], [STOCK], how=Cutting(shear=False), seconds=30, heard=stop
    )
    assert heard[0] is not None
    assert len(plan.sheets) == 1


def test_the_command_nests_a_batch_of_jobs(tmp_path, capsys):
    paths = []
    for name in ("dairy", "dryer"):
        path = tmp_path / f"{name}.json"
        path.write_text(jobs.ALL[name]().to_json(), "utf-8")
        paths.append(str(path))
    assert main(["nest", *paths, "--guillotine", "--seconds", "0.5", "--times", "2", "--offcut", "600x400 s235/3"]) == 0
    told = json.loads(capsys.readouterr().out)["nests"]
    assert len(told) == 2
    for one in told:
        assert len(one["places"]) == one["parts"]
        assert 0 < one["density"] < 1
    assert main(["nest", paths[0], "--offcut", "large"]) == 1
    assert "no off-cut" in capsys.readouterr().err


def test_the_desk_nests_for_the_shear_and_with_the_rack(window, qtbot):
    window.choose(4)
    find(window, QComboBox, "nest way")
    window.stage.nesting.take_way("shear")
    rack = window.stage.nesting.door.table
    rack.grid.paste("600\t400\t5083/3\nlarge\t300\t5083/3")
    assert "row 2, long: 'large' is not a length" in rack.trouble.text()
    rack.grid.item(1, 0).setText("700")
    assert window.stage.nesting.cut_inputs().offcuts == ((600.0, 400.0), (700.0, 300.0))
    find(window, QPushButton, "run nest").click()
    qtbot.waitUntil(lambda: not window.stage.nesting.cutting.running)
    qtbot.wait(20)
    assert "cuts from edge to edge" in window.stage.nesting.words.text()
    picture = window.stage.flat()
    assert any("sheet" in getattr(item, "text", "") for item in picture.items)
    nesting = window.stage.nesting
    steps = nesting.steps()
    nesting.slider.setValue(1)
    assert nesting.step_words.text().startswith(f"1 of {len(steps)}, ")
    assert "gauge at" in nesting.step_words.text()
    nesting.slider.setValue(len(steps))
    freed = sum(item.fill == "sheet" for item in window.stage.flat().items if isinstance(item, Poly))
    assert freed == len(nesting.plan().places)
    window.grab()
    window.bench.edit({"tank.height_mm": 250.0}, "lower")
    assert "Out of date" in window.stage.nesting.words.text()
    window.bench.undo()
    find(window, QPushButton, "print cut plan").click()
    qtbot.waitUntil(lambda: bool(list(window.bench.papers_folder.rglob("cut-plan.pdf"))))
    qtbot.waitUntil(lambda: "1 papers written" in window.message.text())
    find(window, QPushButton, "put on rack").click()
    (_, *mine), plan = [line for line in nesting.rack if line.sheet == "5083/3"], nesting.cutting.result
    assert len(mine) == sum(len(s.rest) for s in plan.sheets) - sum(s.offcut for s in plan.sheets) + 1
    assert len({o.number for o in nesting.rack}) == len(nesting.rack)
    before = nesting.rack
    nesting.put_on_rack()  # once
    assert nesting.rack == before
    assert "It is cut" in nesting.words.text()
    find(window, QPushButton, "print rack labels").click()
    qtbot.waitUntil(lambda: "1 papers written" in window.message.text())


def test_a_part_as_high_as_the_sheet_is_laid_by_its_rectangle():
    """The library that nests true shapes gives up with a panic of its own there; the plan by rectangles stands."""
    how = Cutting(shear=False, kerf_mm=8.0, margin_mm=5.0)
    parts = [plate("tall", 400, 1240), plate("low", 300, 200)]
    plan = cut_plan(parts, [STOCK], how=how, seconds=1.5)
    sound(plan, parts, how)
    assert len(plan.sheets) == 1


def test_cuts_that_two_parts_share_are_counted_once():
    parts = [Part(name, np.array([[0, 0], [200, 0], [200, 100], [0, 100.0]])) for name in ("a", "b")]
    plan = cut_plan(parts, [(400.0, 100.0)], how=Cutting(True, 0.0, 0.0), seconds=0.5)
    assert common_mm(plan, parts) == pytest.approx(100.0, abs=0.2)
    apart = cut_plan(parts, [(420.0, 120.0)], how=Cutting(True, 4.0, 5.0), seconds=0.5)
    assert common_mm(apart, parts) == pytest.approx(0.0, abs=0.01)
    assert common_mm(apart, parts, 4.0) == pytest.approx(100.0, abs=0.2)  # a kerf apart, one cut does for both


def test_the_rack_after_a_nest_has_what_was_left_and_not_what_was_taken():
    part = Part("a", np.array([[0, 0], [290, 0], [290, 190], [0, 190.0]]))
    rack = rack_of("300x200 5083/3 #4; 150x90 5083/3; 300x200 5083/5 #9 from a cask; 310x210")[0]
    sizes = [offcut.size for offcut in of_sheet(rack, "5083/3")]
    assert sizes == [(300.0, 200.0), (150.0, 90.0)]
    plan = cut_plan([part], [(2500.0, 1250.0)], sizes, Cutting(True, 0.0, 5.0), seconds=0.5)
    assert [s.offcut for s in plan.sheets] == [True]
    assert rack_after(plan, rack, "5083/3", "a") == rack[1:]
    new = cut_plan([part], [(2500.0, 1250.0)], [], Cutting(True, 0.0, 5.0), seconds=0.5)
    after = rack_after(new, rack, "5083/3", "the rail; trolley, its tank", given=11)
    assert after[:4] == rack
    assert [o.name for o in after[4:]] == [f"R{12 + n}" for n in range(len(new.sheets[0].rest))]
    assert sorted(after[4].size) == sorted(map(np.floor, new.sheets[0].left))
    assert rack_of(kept(after)) == (after, "")
    assert next_number(rack) == 10
    assert next_number((), 11) == 12


def test_two_windows_share_one_rack_and_keep_their_own_choices(tmp_path):
    """What one wrote the other once overwrote with what it had read at its start."""
    one, two = DeskSettings(tmp_path), DeskSettings(tmp_path)
    one.keep("offcuts", "600x400 5083/3 #1")
    two.keep("dark", True)
    assert two["offcuts"] == "600x400 5083/3 #1"
    two.keep("offcuts", two["offcuts"] + "; 300x200 5083/3 #2")
    one.keep("text", 1.2)
    assert one["offcuts"].endswith("#2")
    assert not one["dark"]  # its own light
    again = DeskSettings(tmp_path)
    assert (again["offcuts"], again["dark"], again["text"]) == (two["offcuts"], True, 1.2)
    (tmp_path / "desk.json").write_text("{broken")
    assert one["offcuts"].endswith("#2")
    one.keep("rack_number", 2)
    assert DeskSettings(tmp_path)["offcuts"].endswith("#2")


def test_every_cut_of_the_shear_frees_what_it_says_and_the_first_frees_the_rack():
    """The rest across the top once was cut through by the first cut of the order, though it was told as one piece."""
    parts = [plate(f"p{k}", 300 + 40 * k, 400) for k in range(5)]
    how = Cutting(True, 0.0, 0.0)
    plan = cut_plan(parts, [STOCK], how=how, seconds=0.5)
    (used,) = plan.sheets
    steps = steps_of(plan, parts, how)
    regions = {(0.0, 0.0, *used.size)}
    for step in steps:
        assert step.piece in regions
        regions.remove(step.piece)
        x, y, w, h = step.piece
        assert step.gauge_mm == pytest.approx(step.at - (x if step.axis == "x" else y))
        assert 0 < step.gauge_mm < (w if step.axis == "x" else h)
        across = step.axis == "x"
        regions |= (
            {(x, y, step.at - x, h), (step.at, y, x + w - step.at, h)}
            if across
            else {(x, y, w, step.at - y), (x, step.at, w, y + h - step.at)}
        )
    for rest in used.rest:
        assert any(np.allclose(rest, region) for region in regions)
    assert sorted(name for step in steps for name in step.frees) == sorted(p.name for p in parts)
    assert sorted(rest for step in steps for rest in step.racked) == sorted(used.rest)
    assert steps[0].racked == used.rest[:1]
    assert used.left[0] * used.left[1] >= 0.3 * STOCK[0] * STOCK[1]


def test_along_the_outlines_every_part_is_cut_out_once_and_the_rack_last():
    parts, how = [plate(f"p{k}", 300, 200 + 10 * k) for k in range(6)], Cutting(False, 3.0, 5.0)
    plan = cut_plan(parts, [STOCK], how=how, seconds=0.5)
    steps = steps_of(plan, parts, how)
    assert sorted(name for step in steps for name in step.frees) == sorted(p.name for p in parts)
    assert steps[-1].racked == plan.sheets[0].rest
    assert all(not step.racked for step in steps[:-1])


def test_a_rack_says_what_is_wrong_with_an_off_cut():
    assert written("600 x 400 5083/3 #7 from the trolley's tank") == OffCut(600, 400, "5083/3", 7, "the trolley's tank")
    assert rack_of("600x400; 900x300")[0] == (OffCut(600, 400), OffCut(900, 300))  # as it was kept before it had metals
    assert "no off-cut" in rack_of("600 by 400")[1]
    assert "no sheet material 'tin'" in rack_of("600x400 tin/3")[1]


def test_what_is_left_in_one_piece_counts_half():
    parts = [plate("a", 990, 490)]
    plan = cut_plan(parts, [(1000.0, 1000.0)], how=Cutting(False, 0.0, 5.0), seconds=0.3)
    assert taken_mm2(plan) == pytest.approx(1e6 - 0.5 * 1000 * 505)


def test_an_off_cut_of_another_thickness_is_not_laid_on(tmp_path, capsys):
    """A rack of one thickness once served every thickness of a batch, and each of its pieces several times."""
    job = job_with(makeup__panels=[{"face": "bottom", "thickness_mm": 5.0}], inside__baffles__by_rule=False)
    path = tmp_path / "a.json"
    path.write_text(job.to_json())
    base = ["nest", str(path), "--guillotine", "--seconds", "0.4"]
    assert main([*base, "--offcut", "600x500"]) == 1
    assert "say which it is of, like '600x500 5083/" in capsys.readouterr().err
    assert main([*base, "--offcut", "600x500 5083/5"]) == 0
    nests = {n["sheet"]: n for n in json.loads(capsys.readouterr().out)["nests"]}
    assert main([*base, "--plan", str(tmp_path / "plans")]) == 0
    assert sorted(p.name for p in (tmp_path / "plans").iterdir()) == ["cut-plan-5083-3.pdf", "cut-plan-5083-5.pdf"]
    assert main([*base, "--times", "2", "--plan", str(tmp_path / "plans")]) == 1
    assert "of one tank" in capsys.readouterr().err
    assert [s["offcut"] for s in nests["5083/5"]["sheets"]] == [True]
    assert not any(s["offcut"] for s in nests["5083/3"]["sheets"])


def test_panels_of_another_thickness_are_nested_on_sheets_of_their_own(tmp_path, capsys):
    job = job_with(makeup__panels=[{"face": "bottom", "thickness_mm": 5.0}], inside__baffles__by_rule=False)
    path = tmp_path / "a.json"
    path.write_text(job.to_json())
    assert main(["nest", str(path), "--guillotine", "--seconds", "0.2"]) == 0
    nests = json.loads(capsys.readouterr().out)["nests"]
    assert {n["sheet"]: n["parts"] for n in nests} == {"5083/3": 5, "5083/5": 1}


def test_the_seconds_are_for_all_sheets_together(tmp_path, capsys, monkeypatch):
    """Three thicknesses share what is asked for; what one does not use is the others'. The clock is the test's own."""
    thick = [{"face": "bottom", "thickness_mm": 5.0}, {"face": "top", "thickness_mm": 4.0}]
    job = job_with(makeup__panels=thick, inside__baffles__by_rule=False)
    path = tmp_path / "a.json"
    path.write_text(job.to_json())
    clock, shares = [0.0], []

    def counted(parts, stock, rack, how, seconds):
        shares.append(seconds)
        clock[0] += seconds if len(shares) > 1 else 1.0
        return cut_plan(parts, stock, rack, how, 0.05)

    monkeypatch.setattr("bathyx.core.sheet.cutting.cut_plan.cut_plan", counted)
    monkeypatch.setattr("bathyx.cli.nests.time", SimpleNamespace(monotonic=lambda: clock[0]))
    assert main(["nest", str(path), "--guillotine", "--seconds", "6"]) == 0
    assert shares == [pytest.approx(share) for share in (2.0, 2.5, 2.5)]
    assert clock[0] == pytest.approx(6.0)


@pytest.mark.parametrize("seed", range(6))
def test_every_sheet_of_a_plan_for_the_shear_can_be_cut_from_edge_to_edge(seed):
    """Random parts on few sheets: 23 of 345 sheets once had cuts that no shear makes, and were printed without an order."""
    dice = np.random.default_rng(seed)
    parts = [
        Part(f"p{k}", np.array([(0, 0), (w, 0), (w, h), (0, h)], float))
        for k, (w, h) in enumerate(np.round(dice.uniform(60, 900, (18 + 6 * seed, 2))))
    ]
    how = Cutting(shear=True, kerf_mm=float(dice.choice([0, 2])), margin_mm=5.0)
    plan = cut_plan(parts, ((1250.0, 2500.0), (1500.0, 3000.0)), (), how, seconds=1.5)
    by_name = {p.name: p for p in parts}
    assert sorted(p.part for p in plan.places) == sorted(by_name)
    for n, used in enumerate(plan.sheets):
        rects = []
        for place in (p for p in plan.places if p.sheet == n):
            ring = place.laid(by_name[place.part].outline)
            rects.append((*ring.min(axis=0), *np.ptp(ring, axis=0)))
        assert used.cuts
        replayed(used, rects)


def test_an_order_of_many_parts_is_found_without_trying_every_one():
    """Seventy-five parts in rows, and a wheel of five somewhere among them that no cut parts: told at once, either way."""
    rows = [(10.0 * k, 10.0 * j, 10.0, 10.0) for k in range(15) for j in range(5)]
    assert cuts_of(rows, (0.0, 0.0, 150.0, 50.0)) is not None
    wheel = [(0, 0, 2, 1), (2, 0, 1, 2), (1, 2, 2, 1), (0, 1, 1, 2), (1, 1, 1, 1)]
    mixed = [*rows, *((200.0 + 10 * x, 10.0 * y, 10.0 * w, 10.0 * h) for x, y, w, h in wheel)]
    assert cuts_of(mixed, (0.0, 0.0, 300.0, 50.0)) is None
