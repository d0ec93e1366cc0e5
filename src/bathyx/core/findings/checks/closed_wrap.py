"""Can a closed wrap leave the brake after its last bend?"""

from __future__ import annotations

from collections.abc import Iterator

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.findings.splitting import weld_instead
from bathyx.core.job import Job
from bathyx.core.results import Results
from bathyx.core.sheet.brake import CLOSING_DEG, turned_round


def check(job: Job, r: Results) -> Iterator[Finding]:
    """A piece bent round 270 degrees or more encloses the upper beam; only an open-ended brake lets it slide off."""
    if job.makeup.brake.open_ended:
        return
    edges = {role.edge.id: role.edge for role in r.roles}
    for blank in r.blanks:
        total = turned_round(edges[bend.edge] for bend in blank.bends if not bend.flange)
        if total < CLOSING_DEG - 1:
            continue
        bends = [bend for bend in blank.bends if not bend.flange]
        helps = [
            bend
            for k, bend in enumerate(bends)
            if turned_round(edges[b.edge] for b in (*bends[:k], *bends[k + 1 :])) < CLOSING_DEG - 1
        ]
        ways = (*weld_instead(job, r, helps), Remedy("Make it of two bent pieces", (("makeup.school", "two_l"),)))
        yield Finding(
            "sheet.closed",
            "stop",
            f"After its last bend {blank.name} encloses the brake's upper beam and cannot come off",
            "a piece that turns 270° or more needs a brake whose beam is open at one end",
            "common practice",
            "cut",
            f"blank:{blank.name}",
            f"{total:.0f}°",
            f"under {CLOSING_DEG:.0f}°",
            ways[0],
            ways[1:],
        )
