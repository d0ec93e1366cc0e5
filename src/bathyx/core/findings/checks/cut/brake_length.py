"""Is every bend within the length of the shop's brake?"""

from __future__ import annotations

from collections.abc import Iterator

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.job import Job
from bathyx.core.results import Results
from bathyx.core.units import mm


def check(job: Job, r: Results) -> Iterator[Finding]:
    """One finding for the longest bend past the brake."""
    limit = job.makeup.brake.length_mm
    longest = max((role.edge.length_mm for role in r.roles if role.kind == "bend"), default=0.0)
    if longest <= limit:
        return
    over = [role.edge for role in r.roles if role.kind == "bend" and role.edge.length_mm > limit]
    names = {edge.id for edge in over}
    kept = [choice.model_dump() for choice in job.makeup.edges if choice.edge not in names]
    yield Finding(
        "sheet.brake",
        "stop",
        f"A bend of {mm(longest)} is longer than the brake",
        "each bend is made in one stroke",
        "the shop's brake, as set in the make-up",
        "cut",
        "",
        f"{mm(longest)}",
        f"{mm(limit)}",
        Remedy(
            f"Weld what is longer: {mm(sum(edge.length_mm for edge in over))} more weld",
            (("makeup.edges", [*kept, *({"edge": edge.id, "role": "weld"} for edge in over)]),),
        ),
        (Remedy("Make it of sheared plates", (("makeup.school", "plates"),)),),
    )
