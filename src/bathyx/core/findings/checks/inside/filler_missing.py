"""Is there a way to fill the tank and to draw from it?"""

from __future__ import annotations

from collections.abc import Iterator

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.findings.placing import put, roof, within
from bathyx.core.inside.fittings import usual
from bathyx.core.job import Job
from bathyx.core.results import Results


def check(job: Job, r: Results) -> Iterator[Finding]:
    """A filler and a pickup (a drain serves as pickup for water); remedies put them on the top."""
    kinds = {f.does for f in job.inside.fittings}
    taken = {f.id for f in job.inside.fittings}
    face, low, high = roof(r)
    needs: list[tuple[str, float, bool]] = [
        ("filler", 0.25, "filler" in kinds),
        ("pickup", 0.75, "pickup" in kinds or ("drain" in kinds and not r.fluid.fuel)),
    ]
    for kind, share, there in needs:
        if there:
            continue
        name = kind if kind not in taken else f"{kind} 2"
        wish = usual(kind, name, face, *within(low, high, share, 0.5))
        added = put(job, r, wish)
        yield Finding(
            f"inside.{kind}",
            "stop",
            f"No {kind}: nothing can {'go in' if kind == 'filler' else 'be drawn out'}",
            "a tank is filled and drawn from",
            "common practice",
            "inside",
            f"face:{face}",
            "0",
            "1",
            None
            if added is None
            else Remedy(f"Add a {kind} on the top", (("inside.fittings", [*job.inside.fittings, added]),)),
        )
