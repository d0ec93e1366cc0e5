"""Can every part be laid flat and cut?"""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from bathyx.core.findings.finding import Finding, Remedy, with_search
from bathyx.core.job import Job
from bathyx.core.results import Results
from bathyx.core.sheet.flat.blanks import pieces_of
from bathyx.core.sheet.makeup.roles import EdgeChoice, roles_of
from bathyx.errors import Refusal

MOST_TRIED = 24


def check(job: Job, r: Results) -> Iterator[Finding]:
    """One finding with the reason that the unfolding gives; the remedy is looked for when there is time."""
    if not r.uncut:
        return
    found = Finding(
        "sheet.uncut",
        "stop",
        f"It cannot be cut: {r.uncut}",
        "every part is laid flat in one piece that lies beside itself and has its holes within it",
        "the unfolding",
        "cut",
        "",
        "no blanks",
        "a blank for every part",
    )
    yield with_search(found, partial(_welded, job, r))


def _welded(job: Job, r: Results) -> Remedy | None:
    """The bent edge whose weld lets everything be laid flat: one that the make-up chose by hand first, then the shortest."""
    by_hand = [choice.edge for choice in job.makeup.edges if choice.role == "bend"]
    bent = sorted((role.edge for role in r.roles if role.kind == "bend"), key=lambda e: e.length_mm)
    names = dict.fromkeys([*reversed(by_hand), *(edge.id for edge in bent)])
    for name in list(names)[:MOST_TRIED]:
        kept = tuple(choice for choice in job.makeup.edges if choice.edge != name)
        for edges in (kept, (*kept, EdgeChoice(edge=name, role="weld"))):
            makeup = job.makeup.model_copy(update={"edges": edges})
            try:
                if pieces_of(r.panelled, roles_of(r.panelled, makeup, job.tank, r.skins, r.rule), r.skins, r.rule):
                    said = "Take back what was chosen for" if edges is kept else "Weld"
                    return Remedy(f"{said} {name}", (("makeup.edges", [choice.model_dump() for choice in edges]),))
            except Refusal:
                continue
    return None
