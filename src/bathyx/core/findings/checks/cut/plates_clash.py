"""Do the joints let any plate stand in another, or a bend stand in a plate?"""

from __future__ import annotations

from collections.abc import Iterator

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.job import Job
from bathyx.core.results import Results
from bathyx.core.sheet.flat.blanks import pieces_of
from bathyx.core.sheet.flat.clash import CLASH, clashes
from bathyx.core.sheet.flat.eased import EASED


def check(job: Job, r: Results) -> Iterator[Finding]:
    """One stop for each pair, where edges have joints of their own; the remedy is the school's joints round it."""
    if r.uncut:
        return
    yield from _bends(job, r)
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


def _bends(job: Job, r: Results) -> Iterator[Finding]:
    """One stop for each bend that stands deeper in a plate than its corner; the remedy welds that edge."""
    for bend, face in [pair for piece in pieces_of(r.panelled, r.roles, r.skins, r.rule) for pair in piece.stood_in]:
        kept = [choice.model_dump() for choice in job.makeup.edges if choice.edge != bend]
        a, b = bend.split("#")[0].split("/")
        yield Finding(
            "sheet.clash",
            "stop",
            f"The bend between {a} and {b} runs through the plate of {face}: they lie too flat to one another for a corner that is "
            "cut off",
            EASED.expression,
            EASED.source,
            "cut",
            f"face:{face}",
            f"{bend} in {face}",
            "no room shared",
            Remedy(f"Weld {a} to {b}", (("makeup.edges", [*kept, {"edge": bend, "role": "weld"}]),)),
        )
