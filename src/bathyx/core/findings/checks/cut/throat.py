"""Does what stands behind a long bend go into the brake's throat?"""

from __future__ import annotations

from collections.abc import Iterator

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.findings.splitting import weld_instead
from bathyx.core.job import Job
from bathyx.core.results import Results
from bathyx.core.sheet.bending.brake import THROAT_ROOM, behind_mm
from bathyx.core.units import mm


def check(job: Job, r: Results) -> Iterator[Finding]:
    """One finding for each bend that is longer than the frames stand apart and has more behind it than the throat is deep."""
    brake = job.makeup.brake
    if not brake.between_mm or not brake.throat_mm:
        return
    for blank in r.blanks:
        for bend in blank.bends:
            long = float(((bend.end - bend.start) ** 2).sum() ** 0.5)
            deep = behind_mm([blank.outline.faceted], bend.start, bend.end)
            if long <= brake.between_mm or deep <= brake.throat_mm:
                continue
            plates = Remedy("Make it of sheared plates", (("makeup.school", "plates"), ("makeup.edges", [])))
            ways = (*weld_instead(job, r, [bend]), plates)
            yield Finding(
                "sheet.throat",
                "stop",
                f"A bend of {blank.name}, {mm(long)} long, does not go between the brake's frames, and {mm(deep)} is behind it",
                THROAT_ROOM.expression,
                THROAT_ROOM.source,
                "cut",
                f"blank:{blank.name}",
                mm(deep),
                f"throat {mm(brake.throat_mm)}",
                ways[0],
                ways[1:],
            )
