"""A used tank: refused always, and what will be hurt next."""

from __future__ import annotations

from collections.abc import Iterator

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.job import Job
from bathyx.core.proving.plan import METHODS, USUAL_HOLD_MIN, PlannedTest
from bathyx.core.repair.intake import of_donors
from bathyx.core.repair.mending import next_hurt
from bathyx.core.results import Results


def check(job: Job, _: Results) -> Iterator[Finding]:
    """Pressure vessels, road tankers and aircraft are refused; the causes of the hurts are said again as what comes next."""
    yield from _donors(job)
    if job.repair is None:
        return
    if job.repair.refused_always:
        yield Finding(
            "repair.refused",
            "stop",
            f"{job.repair.refused_always[0].upper()}{job.repair.refused_always[1:]}. Send it to those who are",
            "pressure vessels, road transport of dangerous goods, aircraft: never here",
            "laws on pressure equipment, dangerous goods and aircraft; Bathyx's own line",
            "brief",
            "",
            job.repair.kind,
            "an open or vented tank",
        )
    unsound = [h for h in job.repair.hurts if h.what in ("rust", "pinhole") and h.way == "weld"]
    if unsound:
        yield Finding(
            "repair.thin",
            "warn",
            f"{unsound[0].where} is thin where it is hurt: welded over it blows through and leaks beside. Cut it out and let "
            f"in a patch",
            "what is rusted through is cut to sound metal",
            "common practice",
            "brief",
            "",
            "welded over",
            "a patch",
        )
    air = [t for t in job.proving.tests if t.what == "tank" and t.uses_air]
    if air and job.repair.burns and not job.repair.refused_always:
        water = PlannedTest(method="water_fill", test_kpa=0.0, hold_min=USUAL_HOLD_MIN["water_fill"])
        kept = [t for t in job.proving.tests if t not in air]
        yield Finding(
            "repair.air",
            "warn",
            "Air pumped into a tank that held fuel makes what is left in it burn the better, and old walls give way at once. "
            "Fill it with "
            "water; air only when the gate is open and the reading fresh",
            "water before air in a used tank",
            "common practice; NFPA 326, from memory",
            "prove",
            "",
            METHODS[air[0].method].lower(),
            "water",
            Remedy(
                "Fill it with water and leave it standing",
                (("proving.tests", tuple(t.model_dump() for t in (water, *kept))),),
            ),
        )
    for said in next_hurt(job.repair):
        yield Finding(
            "repair.next",
            "note",
            said[0].upper() + said[1:],
            "the same cause hurts the next place",
            "common practice: find what flexed",
            "brief",
        )


def _donors(job: Job) -> Iterator[Finding]:
    """Parts out of used tanks: the same care; out of some tanks none are taken."""
    if not job.donors:
        return
    worst = of_donors(job.donors)
    if worst.refused_always:
        rest = tuple(d.model_dump() for d in job.donors if d.kind == "plain")
        yield Finding(
            "donor.refused", "stop", f"Nothing is cut out of it: {worst.refused_always}",
            "pressure vessels, road transport of dangerous goods, aircraft: never here",
            "laws on pressure equipment, dangerous goods and aircraft; Bathyx's own line", "brief", "", worst.kind,
            "an open or vented tank", Remedy("Make the part new", (("donors", rest),)),
        )  # fmt: skip
        return
    parts = ", ".join(d.part for d in job.donors)
    yield Finding(
        "donor.gate", "note",
        f"{parts} out of a used tank: nothing hot on it before its gate is open; of what sheet it is nobody knows, "
        f"and the record says so",
        "parts cut from a donor tank need the care of a used tank", "common practice", "build",
    )  # fmt: skip
