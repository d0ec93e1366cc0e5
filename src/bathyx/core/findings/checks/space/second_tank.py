"""Do two tanks on one job work together?"""

from __future__ import annotations

from collections.abc import Iterator

from bathyx.core.capacity.pair import TOGETHER
from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.job import Job
from bathyx.core.results import Results
from bathyx.core.units import litres, mm

SHARE = 0.05


def check(job: Job, r: Results) -> Iterator[Finding]:
    """Breathers joined at the top, tops and floors at one height where a pipe joins them, and room for the second."""
    second, both = job.second, r.pair
    if second is None or both is None:
        return
    near = r.second_near
    if near is not None and near.spare_mm < -0.05:
        yield Finding(
            "second.fit",
            "stop",
            f"The {second.name} stands in {near.what}"
            if near.mm < 0
            else f"The {second.name} stands only {mm(near.mm)} from {near.what}",
            "air of at least the clearance to every wall, everything in the space and the other tank",
            "the space as measured",
            "space",
            "",
            mm(near.mm),
            f"{mm(near.wants_mm)} of air",
        )
    if near is None:
        yield Finding(
            "second.place",
            "note",
            f"The {second.name} has no place in the space: whether it fits, and clears this tank, is not looked at",
            "a proposal for two tanks gives both a place",
            "the space as measured",
            "tank",
        )
    if not second.breathers_joined:
        yield Finding(
            "second.breathers",
            "warn",
            "The breathers of both tanks are not joined: air shut in one keeps the levels apart, "
            "and one may be filled by the other until it overflows",
            "breathers joined at the very top",
            "common practice",
            "tank",
            remedy=Remedy("Join the breathers", (("second.breathers_joined", True),)),
        )
    if second.joined == "pipe":
        yield from _by_pipe(job, r)


def _by_pipe(job: Job, r: Results) -> Iterator[Finding]:
    second, both = job.second, r.pair
    assert second is not None
    assert both is not None
    pump = Remedy("Move it by a pump", (("second.joined", "pump"),))
    lost = max(both.lost_l)
    if lost > SHARE * (sum(both.full) + sum(both.lost_l)):
        lower, upper = ("this tank", second.name) if both.lost_l[1] > both.lost_l[0] else (second.name, "this tank")
        yield Finding(
            "second.tops",
            "warn",
            f"Joined by a pipe both stand level: when {lower} is full, {litres(lost)} of {upper} stay empty; filled on, "
            f"{lower} overflows",
            "tops at one height, or a valve or pump between",
            TOGETHER.source,
            "tank",
            "",
            f"{litres(lost)} empty",
            "",
            pump,
        )
    if both.left[1] > SHARE * max(both.full[1], 1e-9) and both.left[1] > 1.0:
        yield Finding(
            "second.floors",
            "warn",
            f"{litres(both.left[1])} of the {second.name} lie below what this tank's pickup reaches through the pipe",
            "the second's floor no lower than the first's, or a pump",
            TOGETHER.source,
            "tank",
            "",
            f"{litres(both.left[1])} left",
            "",
            pump,
        )
