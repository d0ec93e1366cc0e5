"""Is a laid-up tank made up with bends?"""

from __future__ import annotations

from collections.abc import Iterator

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.job import Job
from bathyx.core.results import Results


def check(job: Job, r: Results) -> Iterator[Finding]:
    """A cured laminate is not bent: every edge is a joint, or is laid over the hull."""
    if job.layup is None:
        return
    bent = [role.edge.id for role in r.roles if role.kind == "bend"]
    if not bent:
        return
    plates = ("makeup.school", "plates"), ("makeup.edges", ())
    yield Finding(
        "laminate.bent",
        "stop",
        f"{bent[0]} is bent: a cured laminate is not. Panels are laid flat, put together and tabbed",
        "a laminate has the shape that it was laid in",
        "common practice",
        "cut",
        f"edge:{bent[0]}",
        f"{len(bent)} bends",
        "none",
        Remedy("Panels, every edge tabbed", plates) if "plates" in job.tank.schools() else None,
    )
