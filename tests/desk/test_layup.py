"""The lay-up on the card, and the log of plastics and laminates, on the real desk."""

from PyQt6.QtWidgets import QComboBox, QPushButton

from bathyx.core.evaluate import evaluate
from bathyx.core.laminate import LayUp
from bathyx.core.making.laminate import Laminate
from bathyx.demo import jobs
from bathyx.desk.stages.tank.layup import LayUpCard
from bathyx.draft.picture import Label
from tests.desk.test_parts import find


def at(window, name, stage):
    window.bench.open(window.home / "jobs" / f"{name}.bathyx.json")
    window.finish()
    window.choose(stage)
    window.finish()


def pick(window, name, key):
    box = find(window, QComboBox, name)
    choice = next(c for c in window.stage.card.findChildren(type(box.parent())) if getattr(c, "box", None) is box)
    k = [option for option, _ in choice.options].index(key)
    box.setCurrentIndex(k)
    box.activated.emit(k)
    window.finish()


def test_a_lay_up_is_chosen_put_on_foam_and_undone(window):
    at(window, "punt", 2)
    card = window.stage.card.findChild(LayUpCard)
    assert not card.isHidden()
    before = window.bench.job
    pick(window, "lay-up", "seal")
    assert window.bench.job.layup.plies == LayUp.preset("seal").plies
    pick(window, "layup core", ("pvc80", 10.0))
    assert window.bench.job.layup.core_mm == 10
    assert window.bench.evaluation.results.sheet.thickness_mm > 10
    names = {getattr(item, "text", "") for item in card.section.picture.items}
    assert any("light PVC foam" in name for name in names)
    pick(window, "layup.resin", "epoxy")
    assert window.bench.job.layup.catalyst_pct == 30
    for _ in range(3):
        window.bench.undo()
    assert window.bench.job == before


def test_its_cloth_is_drawn_on_the_rolls_and_put_away_again(window):
    at(window, "punt", 2)
    before = window.stage.flat()
    find(window, QPushButton, "show cloth").click()
    window.finish()
    e = window.bench.evaluation
    rolls = Laminate().rolls(e.job, e.results)
    labels = [item.text for item in window.stage.flat().items if isinstance(item, Label)]
    assert sum(text.isdigit() for text in labels) == sum(len(roll.places) for roll in rolls)
    find(window, QPushButton, "show cloth").click()
    assert [type(i) for i in window.stage.flat().items] == [type(i) for i in before.items]


def test_every_search_is_made_with_walls_as_thick_as_they_are_laid(window):
    """A job that is put together for a search without its lay-up would be laid of the usual one: thinner, and it would fit."""
    at(window, "punt", 2)
    thick = window.bench.job.tank.sheet
    assert window.stage._inputs().job.tank.sheet == thick
    window.choose(1)
    window.finish()
    parts = window.stage.parts
    held = [*vars(window.stage).values(), *vars(parts).values()]
    searches = [x for x in held if callable(getattr(x, "inputs", None))]
    found = set()
    for search in searches:
        try:
            made = search.inputs()
        except TypeError:
            made = search.inputs(None)
        assert made.job.tank.sheet == thick, type(search).__name__
        assert made.job.layup == window.bench.job.layup
        found.add(type(made).__name__)
    assert {"WayInputs", "ProposeInputs"} <= found
    window.choose(4)
    window.finish()
    made = window.stage.make_ups.inputs()
    assert made.job.tank.sheet == thick


def test_it_is_there_for_laminates_only_and_one_comes_with_the_material(window):
    at(window, "trolley", 2)
    card = window.stage.card.findChild(LayUpCard)
    assert card.isHidden()
    pick(window, "material", "laminate")
    assert window.bench.job.layup is not None
    assert not card.isHidden()
    pick(window, "material", "5083")
    assert window.bench.job.layup is None
    assert card.isHidden()


def test_the_log_of_plastic_asks_for_the_nozzle_keeps_it_metric_and_refuses_what_is_none(window, qtbot):
    at(window, "orchard", 5)
    stage = window.stage
    find(window, QPushButton, "leaf weld log").click()
    window.finish()
    assert {"nozzle_c", "lot", "room_c", "test_weld"} <= set(stage.inputs)
    assert "amps" not in stage.inputs
    assert stage.inputs["nozzle_c"].text() == stage.inputs["test_weld"].text() == ""  # nothing is measured beforehand
    window.bench.who = "Marn Ostley"
    stage.inputs["nozzle_c"].setText("20")
    stage.log_weld()
    assert "from 150 to 700" in window.message.text()
    stage.inputs["nozzle_c"].setText("312")
    stage.inputs["lot"].setText("R 77")
    stage.log_weld()
    entry = window.bench.record.of_kind("weld")[-1]
    assert entry.payload["nozzle_c"] == "312"
    assert entry.payload["lot"] == "R 77"
    window.bench.turn_units()
    window.finish()
    stage.inputs["nozzle_c"].setText("600")
    stage.log_weld()
    assert window.bench.record.of_kind("weld")[-1].payload["nozzle_c"] == "315.6"
    at(window, "punt", 5)
    find(window, QPushButton, "leaf weld log").click()
    window.finish()
    assert {"catalyst_pct", "barcol", "tap"} <= set(window.stage.inputs)


def test_extrusion_is_chosen_in_cut(window):
    at(window, "orchard", 4)
    pick(window, "makeup.weld_process", "extrusion")
    assert window.bench.job.makeup.weld_process == "extrusion"
    assert (
        evaluate(jobs.orchard()).results.sheet.material.creep_weld
        < window.bench.evaluation.results.sheet.material.creep_weld
    )
    assert find(window, QPushButton, "undo") is not None
