"""What commands print as JSON keeps its form: schemas that are published, and that validators hold it to."""

import json
from pathlib import Path

import jsonschema
import pytest

from bathyx.core.job import schema
from bathyx.demo import jobs
from tools.answers import COMMANDS, answer
from tools.answers import WITH_A_HATCH as HATCH
from tools.answers import WITH_A_LID as LID
from tools.answers import WITH_A_SKIN as SKIN
from tools.run_lock import run_lock

ROOT = Path(__file__).parents[1]


@pytest.mark.parametrize(
    ("command", "job"),
    [
        ("figures", "barge"),
        ("figures", "trolley"),
        ("order", "orchard"),
        ("needs", "vineyard"),
        ("nest", "trolley"),
        ("propose", "dairy"),
        ("skin", SKIN),
        ("way-in", HATCH),
        ("way-in", LID),
        ("tables", "trolley"),
        ("hold", "trolley"),
        ("rods", "orchard"),
        ("laminate", "punt"),
        ("cloth", "punt"),
    ],
)
def test_an_answer_has_the_fields_that_are_promised(tmp_path, command, job):
    published = json.loads((ROOT / f"docs/answers/{command}.schema.json").read_text("utf-8"))
    jsonschema.Draft202012Validator.check_schema(published)
    said = answer(command, job, tmp_path)
    jsonschema.validate(said, published)
    rows = published.get("items", published)
    first = next(iter(rows["properties"]))
    del (said[0] if isinstance(said, list) else said)[first]
    with pytest.raises(jsonschema.ValidationError, match=first):
        jsonschema.validate(said, published)
    assert set(COMMANDS) == {path.name.split(".")[0] for path in (ROOT / "docs/answers").iterdir()}


@pytest.mark.parametrize(
    ("path", "value"),
    [
        ("brief.fluid", "lemonade"),
        ("tank.sheet", "unobtainium/3"),
        ("tank.sheet", "5083"),
        ("makeup.brake.punch", "swan"),
        ("no_such", 1),
    ],
)
def test_a_validator_rejects_what_bathyx_does(path, value):
    document = json.loads(jobs.trolley().to_json())
    jsonschema.validate(document | {"$schema": schema()["$id"]}, schema())
    at = document
    *way, last = path.split(".")
    for key in way:
        at = at[key]
    at[last] = value
    with pytest.raises(jsonschema.ValidationError):
        jsonschema.validate(document, schema())


def test_a_job_that_names_its_schema_is_read():
    from bathyx.core.job import read_job

    document = json.loads(jobs.trolley().to_json()) | {"$schema": schema()["$id"]}
    assert read_job(json.dumps(document)) == jobs.trolley()


def test_what_is_needed_to_run_is_what_is_pinned():
    assert run_lock((ROOT / "requirements.lock").read_text("utf-8")) == (ROOT / "requirements-run.lock").read_text(
        "utf-8"
    )
