"""`./run docs`: docs/answers/, a JSON schema of what each command prints as JSON, inferred from its answers for the demo's jobs.

    python -m tools.answers [FOLDER]

What is printed for other jobs may have fields that these have not; none of these is taken away or changes its kind within a
version.
"""

from __future__ import annotations

import contextlib
import io
import json
import sys
import tempfile
from pathlib import Path
from typing import Any

from genson import SchemaBuilder

from bathyx.cli import main
from bathyx.core.job import DRAFT, SCHEMA_HOME, Job
from bathyx.demo import jobs
from bathyx.files.own_tables import OWN

WITH_A_HATCH, WITH_A_LID, WITH_A_SKIN = "dryer", "frost-fan", "vineyard"
LOOKED_S = "0.1"  # so long is looked for a way in: the one with a lid goes in at once, the other not

COMMANDS: dict[str, tuple[list[str], tuple[str, ...]]] = {
    "figures": (["figures", "{job}", "--pitch", "4", "--roll", "-2"], tuple(jobs.ALL)),
    "order": (["order", "{job}"], tuple(jobs.ALL)),
    "needs": (["needs", "{job}"], tuple(jobs.ALL)),
    "nest": (["nest", "{job}"], ("trolley", "dairy")),
    "make-ups": (["make-ups", "{job}", "--top", "2"], ("trolley",)),
    "propose": (["propose", "{job}", "--family", "box"], ("trolley", "dairy")),
    "way-in": (["way-in", "{job}", "--seconds", LOOKED_S], (WITH_A_HATCH, WITH_A_LID)),
    "skin": (["skin", "{job}"], (WITH_A_SKIN,)),
    "tables": (["tables", "--folder", "{folder}"], ("trolley",)),
    "rods": (["rods", "{job}"], ("orchard",)),
    "laminate": (["laminate", "{job}"], ("punt",)),
    "cloth": (["cloth", "{job}"], ("punt",)),
    "hold": (
        ["hold", "{folder}/trace.csv", "--volume-l", "60", "--test-kpa", "20", "--limit-ml-min", "5"],
        ("trolley",),
    ),
}


def answer(command: str, job: str, folder: Path) -> Any:
    """What a command prints for a job of the demo; `hold` for a trace that stands still, `tables` for a row of each kind."""
    path = folder / f"{job}.json"
    made = jobs.ALL[job]()
    if command == "way-in" and job == WITH_A_LID:
        made = made.edited("space.way_in", {"openings": [_lid(made)]})
    path.write_text(made.to_json(), "utf-8")
    (folder / "trace.csv").write_text(
        "t_s,gauge_kpa,temp_c\n" + "".join(f"{10 * k},{20 + 0.002 * (k % 3):.3f},18.0\n" for k in range(181)), "utf-8"
    )
    (folder / "fluids.toml").write_text('[diesel]\nsource = "delivery note"\n[petrol]\ndensity = 1\n', "utf-8")
    line, _ = COMMANDS[command]
    out = io.StringIO()
    try:
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(io.StringIO()):
            main([word.format(job=path, folder=folder) for word in line])
    finally:
        for table in OWN:
            table.bare()
    return json.loads(out.getvalue())


def _lid(job: Job) -> dict[str, Any]:
    """An opening over all of a space, above it."""
    room = job.space.room
    x, y = room.depth_mm + 100, room.width_mm + 100
    corners = [(-100, -100), (x, -100), (x, y), (-100, y)]
    return {"name": "lid", "axis": "z", "at_mm": room.height_mm + 20, "corners": corners}


def inferred(command: str, answers: list[Any]) -> dict[str, Any]:
    """The schema of several answers of a command."""
    builder = SchemaBuilder(DRAFT)
    for one in answers:
        builder.add_object(one)
    found: dict[str, Any] = builder.to_schema()
    return {"$schema": found.pop("$schema"), "$id": f"{SCHEMA_HOME}/answer-{command}.schema.json", **found}


def answers_of(command: str) -> list[Any]:
    """Its answers for the jobs that stand for all."""
    with tempfile.TemporaryDirectory() as folder:
        return [answer(command, job, Path(folder)) for job in COMMANDS[command][1]]


def write(folder: Path) -> None:
    """All schemas."""
    folder.mkdir(parents=True, exist_ok=True)
    for command in COMMANDS:
        text = json.dumps(inferred(command, answers_of(command)), indent=1, sort_keys=False)
        (folder / f"{command}.schema.json").write_text(text + "\n", "utf-8")


if __name__ == "__main__":
    write(Path(sys.argv[1] if sys.argv[1:] else "docs/answers"))
