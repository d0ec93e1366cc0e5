"""Does the tank get to its seat, by what was searched and kept with the job?"""

from __future__ import annotations

from collections.abc import Iterator

from bathyx.core.findings.finding import Finding
from bathyx.core.job import Job, way_in_of
from bathyx.core.results import Results
from bathyx.core.units import mm

RULE = "a path from outside to the seat, clear of every wall and thing"
SOURCE = "the search for a way in"


def check(job: Job, r: Results) -> Iterator[Finding]:
    """What was promised: that it goes in and comes out; whether that still belongs to the tank and the space as they are."""
    way = job.space.way_in
    if way is None:
        return
    names = way.words
    kept = way.promise
    if kept is None or kept.of != way_in_of(job):
        said = (
            f"Whether it goes in by the {names} is not looked at, or not kept"
            if kept is None
            else "Tank or space have changed since its way in was kept: look again"
        )
        yield Finding("way_in.open", "note" if kept is None else "warn", said, RULE, SOURCE, "space")
    elif kept.verdict == "cannot":
        yield Finding(
            "way_in.cannot", "stop", f"It cannot go in: {kept.reason}", RULE, "proven over all turns", "space"
        )
    elif kept.verdict == "not_found":
        yield Finding("way_in.not_found", "warn", f"No way in is known: {kept.reason}", RULE, SOURCE, "space")
    else:
        if kept.tightest_mm < way.keep_mm - 0.05:
            yield Finding(
                "way_in.tight",
                "warn",
                "On its way in it comes nearer than is to be kept",
                RULE,
                SOURCE,
                "space",
                "",
                mm(kept.tightest_mm, 1),
                f"at least {mm(way.keep_mm, 1)}",
            )
        if kept.out in ("cannot", "not_found"):
            cut = (
                "It goes in, but will not come out whole" if kept.out == "cannot" else "It goes in; no way out is known"
            )
            yield Finding("way_in.out", "warn", f"{cut}: {kept.out_reason}", "it comes out for repair", SOURCE, "space")
