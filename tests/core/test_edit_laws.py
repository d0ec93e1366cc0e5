"""Laws of editing: any sequence of edits can be undone exactly, and every job on the way survives its file."""

from hypothesis import given, settings
from hypothesis import strategies as st

from bathyx.core.evaluate import evaluate
from bathyx.core.job import JobError, read_job
from bathyx.demo import jobs

EDITS = st.one_of(
    st.tuples(st.just("tank.length_mm"), st.floats(250, 900)),
    st.tuples(st.just("tank.width_mm"), st.floats(200, 1500)),
    st.tuples(st.just("tank.height_mm"), st.floats(150, 600)),
    st.tuples(st.just("tank.sheet"), st.sampled_from(["5083/3", "5052/2", "304/1.5", "s235/4", "pp/6"])),
    st.tuples(st.just("makeup.school"), st.sampled_from(["plates", "two_l", "wrap", "perimeter"])),
    st.tuples(st.just("makeup.joint"), st.sampled_from(["corner", "lap"])),
    st.tuples(st.just("inside.baffles.max_bay_mm"), st.one_of(st.none(), st.floats(150, 900))),
    st.tuples(st.just("inside.baffles.limber_mm"), st.floats(0, 60)),
    st.tuples(st.just("brief.fluid"), st.sampled_from(["petrol", "diesel", "fresh_water"])),
    st.tuples(st.just("proving.tests.0.test_kpa"), st.floats(0, 60)),
    st.tuples(st.just("tank.jog"), st.one_of(st.none(), st.just({"end": "front", "length_mm": 90.0, "rise_mm": 40.0}))),
)


@settings(max_examples=40, deadline=None)
@given(st.lists(EDITS, min_size=1, max_size=6))
def test_edits_evaluate_or_are_refused_in_words_and_undo_exactly(edits):
    job = jobs.trolley()
    past, refusals = [job], []
    for path, value in edits:
        try:
            job = job.edited(path, value)
            results = evaluate(job).results
        except (JobError, ValueError) as error:
            refusals.append(str(error))
            job = past[-1]
            continue
        past.append(job)
        assert read_job(job.to_json()) == job
        cap = results.capacity
        assert cap.gross.value > cap.net.value > 0
        assert cap.net.value >= cap.usable.value >= cap.usable_tilted.value >= 0
        assert results.weight.full.value > results.weight.dry.value > 0
        assert abs(sum(s.length_mm for s in results.seams) - results.weld_length_mm) < 1e-9
        assert {b.name for b in results.blanks} == {b.name for b in results.blanks if b.area_mm2 > 0}
    assert all(len(words) > 15 for words in refusals)
    first = evaluate(jobs.trolley()).results.capacity.net.value
    assert evaluate(past[0]).results.capacity.net.value == first
