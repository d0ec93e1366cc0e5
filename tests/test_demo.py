"""The demo shop: laid out once, left alone after, and made up throughout."""

from bathyx.core.evaluate import evaluate
from bathyx.demo import jobs
from bathyx.demo.seed import lay_out
from bathyx.register import JobRecord, Register


def test_laying_out_twice_leaves_what_was_changed(tmp_path):
    first = lay_out(tmp_path)
    first.write_text(jobs.trolley().edited("tank.height_mm", 250.0).to_json())
    assert lay_out(tmp_path) == first
    assert '"height_mm": 250.0' in first.read_text()


def test_the_sample_register_tells_a_leak_its_repair_and_a_tight_test(tmp_path):
    lay_out(tmp_path)
    register = Register(tmp_path / "register.sqlite")
    record = JobRecord.of(register.entries(jobs.sawmill().uid))
    assert [t.payload["verdict"] for t in record.tests] == ["leaks", "tight"]
    assert record.seam_state("rear end/wall") == "repaired"
    assert record.proven is not None
    assert all(t.payload["simulated"] for t in record.tests)
    assert {f.serial for f in register.find()} == {"TT-2026-0001", "TT-2026-0002"}
    assert register.verify() == ()
    register.close()


def test_every_sample_holds_about_what_its_customer_asked():
    for name, make in jobs.ALL.items():
        r = evaluate(make()).results
        assert r.capacity.usable.value > 0.9 * r.wanted.value, name
        assert make().maker == "Tolmere Tankworks"
