"""The document: edits, reading, and refusing with a reason."""

import json

import jsonschema
import pytest

from bathyx.core.job import SCHEMA_VERSION, Job, JobError, read_job, schema
from bathyx.demo import jobs
from tests.conftest import job_with


@pytest.mark.parametrize("name", jobs.ALL)
def test_a_job_written_and_read_is_the_same_job(name):
    job = jobs.ALL[name]()
    assert read_job(job.to_json()) == job


def test_the_published_schema_accepts_what_is_written():
    for make in jobs.ALL.values():
        jsonschema.validate(json.loads(make().to_json()), schema())


def test_an_edit_makes_a_new_job_and_leaves_the_old_one():
    job = job_with()
    longer = job.edited("tank.length_mm", 420.0)
    assert (job.tank.length_mm, longer.tank.length_mm) == (300, 420)
    assert longer.edited("tank.length_mm", 300.0) == job


def test_a_list_item_can_be_edited_by_its_place():
    job = jobs.trolley().edited("space.floor_diagonals.1", {"typed": "34 in"})
    assert job.space.floor_diagonals[1].mm == pytest.approx(863.6)


@pytest.mark.parametrize("path", ["tank.depth_mm", "nowhere", "space.floor_diagonals.7", "inside.fittings.x"])
def test_an_edit_of_no_field_is_refused(path):
    with pytest.raises(JobError, match="no field"):
        jobs.trolley().edited(path, 1)


@pytest.mark.parametrize(
    ("path", "value", "says"),
    [
        ("tank.length_mm", -5, "above 20"),
        ("brief.fluid", "honey", "petrol"),
        ("tank.sheet", "gold/3", "5052"),
        ("brief.demand", {"kind": "wish"}, "capacity"),
        ("tank.length_mm", float("nan"), "finite|valid number"),
        ("makeup.k_factor", 0.9, "0.5 at most"),
    ],
)
def test_a_wrong_value_is_refused_with_field_value_and_what_is_right(path, value, says):
    with pytest.raises(JobError, match=says) as refused:
        job_with().edited(path, value)
    assert path.split(".")[0] in str(refused.value)


def test_a_truncated_file_is_refused():
    text = jobs.trolley().to_json()
    with pytest.raises(JobError, match="cut off"):
        read_job(text[: len(text) // 2])


def test_a_newer_file_is_refused_with_a_clear_word():
    document = json.loads(jobs.trolley().to_json()) | {"schema_version": SCHEMA_VERSION + 1}
    with pytest.raises(JobError, match="update Bathyx"):
        read_job(json.dumps(document))


@pytest.mark.parametrize("text", ["[]", "{}", '{"schema_version": "one"}', '{"schema_version": 0}'])
def test_a_file_that_is_no_job_is_refused(text):
    with pytest.raises(JobError, match="schema_version"):
        read_job(text)


def test_an_unknown_field_is_refused_by_name():
    document = json.loads(jobs.trolley().to_json())
    document["tank"]["colour"] = "red"
    with pytest.raises(JobError, match=r"tank\.profile\.colour|tank\.colour"):
        read_job(json.dumps(document))


def test_each_new_job_has_its_own_uid():
    tank = jobs.trolley().tank
    assert Job(tank=tank).uid != Job(tank=tank).uid
