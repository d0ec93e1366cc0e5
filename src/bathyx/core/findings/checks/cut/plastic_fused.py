"""Can the butts of a plastic tank be fused with a heated tool, and is what that takes allowed for?"""

from __future__ import annotations

from collections.abc import Iterator

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.job import Job
from bathyx.core.material import plastic
from bathyx.core.plastic.fusion import FUSION, upset_mm
from bathyx.core.results import Results
from bathyx.core.units import mm

MOST_SHRINK_MM = 5.0


def check(job: Job, r: Results) -> Iterator[Finding]:
    """A plastic that is fused, a butt to fuse, and as much longer a blank as the bead takes."""
    if r.sheet.material.joined != "fusion":
        return
    rod = Remedy("Weld with hot gas and rod", (("makeup.weld_process", ""),))
    if plastic(r.sheet.material.key).fusion_c is None:
        yield Finding(
            "fusion.plastic", "stop", f"{r.sheet.material.name} is not fused with a heated tool here: nothing is known of it",
            "plastics with a heat of the tool in their row", FUSION.source, "cut", "", r.sheet.material.name, "PP, PE or PVDF", rod,
        )  # fmt: skip
        return
    butts = [seam for seam in r.seams if seam.joint == "butt"]
    if not butts:
        yield Finding(
            "fusion.none", "note", "no seam lies on a flat: the heated tool has nothing to do, corners are welded with rod",
            "butts are fused", FUSION.source, "cut", "", "no butt", "a butt", rod,
        )  # fmt: skip
        return
    wants = min(round(upset_mm(r.sheet.thickness_mm), 1), MOST_SHRINK_MM)
    if job.makeup.shrink_mm < wants / 2:
        yield Finding(
            "fusion.upset", "warn",
            f"the bead of {butts[0].id} takes {mm(wants, 1)} of its sheets: cut as drawn, the body comes out that much short",
            FUSION.expression, FUSION.source, "cut", f"seam:{butts[0].id}", mm(job.makeup.shrink_mm, 1), mm(wants, 1),
            Remedy(f"Leave {mm(wants, 1)} on", (("makeup.shrink_mm", wants),)),
        )  # fmt: skip
