"""The chain of steps: what is worked out again after an edit, what is kept, for how many tanks, and for how long."""

import gc
import json
import random
import subprocess
import sys
import weakref
from collections import OrderedDict
from dataclasses import replace

import pytest

from bathyx.core import evaluate as chain_of_tanks
from bathyx.core.evaluate import CHAIN, evaluate
from bathyx.core.memory import Answers, Chain, Store, digest, remembered, store, store_of
from bathyx.core.results import Results
from bathyx.demo import jobs
from bathyx.papers.figures import figures
from tests.conftest import box, job_with


@pytest.fixture
def worked(monkeypatch):
    """Names of the steps that are worked out from here on, from stores that no other test has filled."""
    monkeypatch.setattr(store, "_stores", OrderedDict())
    seen = []

    def watched(step):
        def run(*first, **read):
            seen.append(step.name)
            return step.run(*first, **read)

        return replace(step, run=run)

    monkeypatch.setattr(CHAIN, "_steps", {name: watched(step) for name, step in CHAIN._steps.items()})
    return seen


def everything(e):
    """Every result and finding asked for."""
    for name in Results.__annotations__:
        getattr(e.results, name)
    return e.findings


def test_what_nobody_asked_for_is_not_worked_out(worked):
    """An edit is taken by the shape, what is cut of it and its capacity; strength, weight and findings wait."""
    e = evaluate(jobs.trolley().edited("tank.height_mm", 252.0))
    assert not {"strength", "weight", "findings", "approaches", "litres_per_mm", "sure"} & set(worked)
    assert not e.judged
    assert e.findings
    assert e.judged
    assert {"strength", "weight", "findings"} <= set(worked)
    worked.clear()
    assert e.results.strength
    assert worked == []
    with pytest.raises(AttributeError, match="no result is called 'shells'"):
        _ = e.results.shells


@pytest.mark.parametrize(
    ("path", "value", "again", "kept"),
    [
        ("brief.customer", "Else", set(), {"capacity", "findings", "results"}),
        ("inside.baffles.limber_mm", 31.0, {"plates", "capacity", "weight"}, {"shell", "roles", "strength", "outside"}),
        ("brief.slope_deg", 11.0, {"capacity", "findings", "strength"}, {"shell", "plates", "blanks", "seams"}),
        ("proving.tests.0.hold_min", 46.0, {"findings"}, {"capacity", "strength", "results"}),
        ("makeup.both_sides", False, {"weight", "strength"}, {"shell", "litres_per_mm"}),
        ("tank.height_mm", 251.0, {"shell", "capacity", "strength", "findings"}, {"sheet", "room", "wanted"}),
    ],
)
def test_an_edit_works_out_again_what_reads_it_and_nothing_else(worked, path, value, again, kept):
    job = jobs.trolley()
    everything(evaluate(job))
    worked.clear()
    edited = job.edited(path, value)
    assert edited != job
    everything(evaluate(edited))
    assert again <= set(worked)
    assert not kept & set(worked)
    worked.clear()
    assert evaluate(jobs.trolley()) is evaluate(job)
    assert worked == []


DOUBLER = {
    "face": "left end", "u_mm": 150.0, "v_mm": 150.0, "width_mm": 60.0, "height_mm": 40.0, "thickness_mm": 4.0
}  # fmt: skip


def test_what_is_kept_is_what_would_be_worked_out():
    """A walk of edits, some taken back: every figure and finding from the store is that of an empty one."""
    dice = random.Random(7)
    edits = [
        ("tank.height_mm", lambda: dice.uniform(230, 300)), ("tank.width_mm", lambda: dice.uniform(650, 760)),
        ("inside.baffles.by_rule", lambda: dice.random() < 0.5), ("inside.baffles.limber_mm", lambda: dice.uniform(5, 60)),
        ("makeup.both_sides", lambda: dice.random() < 0.5), ("makeup.joint", lambda: dice.choice(["corner", "lap"])),
        ("makeup.bend_radius_mm", lambda: dice.choice([None, 2.0, 6.0])), ("tank.sheet", lambda: dice.choice(["5083/3", "s235/4"])),
        ("brief.slope_deg", lambda: dice.uniform(0, 25)), ("brief.moving", lambda: dice.random() < 0.5),
        ("brief.fluid", lambda: dice.choice(["diesel", "petrol", "water"])), ("brief.customer", lambda: str(dice.random())),
        ("proving.tests.0.test_kpa", lambda: dice.uniform(1, 40)), ("inside.fittings.0.u_mm", lambda: dice.uniform(150, 200)),
        ("makeup.panels", lambda: dice.choice([[], [{"face": "left end", "thickness_mm": 5.0, "flush": "outside"}]])),
        ("makeup.moved", lambda: dice.choice([[], [{"edge": "rear/top", "onto": "top", "by_mm": 80.0}]])),
        ("makeup.doublers", lambda: dice.choice([[], [DOUBLER]])),
        ("makeup.edges", lambda: dice.choice([[], [{"edge": "bottom/front", "role": "weld", "joint": "tee", "past_mm": 9.0}]])),
    ]  # fmt: skip
    walk, compared = [jobs.trolley()], 0
    for _ in range(36):
        path, value = dice.choice(edits)
        job = walk[-1].edited(path, value())
        try:
            kept = evaluate(job)
        except chain_of_tanks.Refusal:
            continue
        fresh = replace(kept, answers=Answers(CHAIN, job, Store()))
        said, anew = (json.loads(json.dumps(figures(e), default=str)) for e in (kept, fresh))
        assert said == anew, path
        assert [(f.code, f.message, f.remedy) for f in kept.findings] == [
            (f.code, f.message, f.remedy) for f in fresh.findings
        ]
        compared += 1
        walk = [*walk, job] if dice.random() < 0.7 else walk[: max(1, len(walk) - 2)]
    assert compared > 24


def test_every_step_says_what_it_reads_and_reads_only_what_stands_before_it():
    before = set(CHAIN._parts)
    for name in CHAIN:
        assert CHAIN.reads(name)
        assert set(CHAIN.reads(name)) <= before
        before.add(name)
    assert CHAIN.parts_read("shell") == {"tank", "panels", "thickness_mm"}  # panels flush outside
    assert "brief" not in CHAIN.parts_read("shell_blanks")
    with pytest.raises(LookupError, match="reads 'nowhere'"):
        CHAIN.step("lost", lambda nowhere: nowhere)
    assert "lost" not in list(CHAIN)


def test_tanks_in_hand_do_not_push_each_other_out(worked):
    """Six tanks, each edited more often than its store is deep: the others are still there."""
    first = evaluate(job_with())
    for number in range(5):
        job = job_with(uid=f"tank-number-{number}")
        for k in range(20):
            evaluate(job.edited("tank.length_mm", 300.0 + k))
    worked.clear()
    assert evaluate(job_with()) is first
    assert worked == []


def test_a_store_is_bounded_and_keeps_what_was_used_last():
    store = Store(most=3)
    for k in range(5):
        store.put("step", bytes([k]), k)
        store.get("step", b"\x02")
    assert len(store) == 3
    assert store.get("step", b"\x02") == 2
    oldest = store_of("an owner")
    for k in range(8):
        store_of(f"owner {k}")
    assert store_of("an owner") is not oldest


def test_a_plain_step_hides_changes_that_do_not_come_through():
    runs = []
    chain = Chain()
    chain.part("x", lambda d: d["x"])
    chain.plain("half", lambda x: x // 2)
    chain.step("shown", lambda half: runs.append(half) or str(half))
    store = Store()
    assert [Answers(chain, {"x": x}, store)["shown"] for x in (4, 5, 6, 4)] == ["2", "2", "3", "2"]
    assert runs == [2, 3]


def test_a_step_that_refuses_is_not_kept_and_refuses_again():
    job = job_with(box(), makeup__school="pressed")
    for _ in range(2):
        with pytest.raises(chain_of_tanks.Refusal, match="not made as"):
            evaluate(job)


def test_keys_are_those_of_the_content_in_every_process():
    code = (
        "from bathyx.demo.jobs import trolley; from bathyx.core.evaluate import CHAIN; "
        "from bathyx.core.memory import Answers, Store; "
        "print(Answers(CHAIN, trolley(), Store()).key('blanks').hex())"
    )
    there = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True).stdout.strip()
    assert there == Answers(CHAIN, jobs.trolley(), Store()).key("blanks").hex()
    assert digest(1.5) != digest(1)
    assert digest(("a", "b")) != digest(("ab",))
    assert digest(None) != digest("None")


def test_what_is_remembered_of_an_object_goes_with_it():
    class Thing:
        pass

    runs = []

    @remembered(2)
    def twice(of, n):
        runs.append(n)
        return [n, n]

    thing, other = Thing(), Thing()
    assert twice(thing, 1) is twice(thing, 1)
    assert twice(other, 1) is not twice(thing, 1)
    twice(thing, 2), twice(thing, 3), twice(thing, 1)
    assert runs == [1, 1, 2, 3, 1]
    gone = weakref.ref(thing)
    del thing
    gc.collect()
    assert gone() is None
