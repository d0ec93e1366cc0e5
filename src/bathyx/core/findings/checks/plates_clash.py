"""Do the joints let any plate stand in another?"""

from __future__ import annotations

from collections.abc import Iterator

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.job import Job
from bathyx.core.results import Results
from bathyx.core.sheet.clash import CLASH, clashes


def check(job: Job, r: Results) -> Iterator[Finding]:
    """One stop for each pair, where edges have joints of their own; the remedy is the school's joints round it."""
    if not any(choice.joint is not None for choice in job.makeup.edges):
        return
    for a, b in clashes(r.panelled, r.roles, r.skins, r.rule):
        kept = [
            choice.model_dump()
            for choice in job.makeup.edges
            if choice.joint is None or not {a, b} & set(choice.edge.split("#")[0].split("/"))
        ]
        yield Finding(
            "sheet.clash",
            "stop",
            f"The plates of {a} and {b} would stand in one another where their joints meet in a corner",
            CLASH.expression,
            CLASH.source,
            "cut",
            f"face:{a}",
            f"{a} and {b}",
            "no room shared",
            Remedy(f"Take back the joints chosen round {a} and {b}", (("makeup.edges", kept),)),
        )
