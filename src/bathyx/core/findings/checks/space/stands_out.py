"""Does what stands out of a tank have room in a box-shaped hole, where sizes alone are compared?"""

from __future__ import annotations

from collections.abc import Iterator

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.geometry.shell import CurvedFace
from bathyx.core.job import Job
from bathyx.core.results import Results
from bathyx.core.units import mm

SQUARE, TOUCH_MM = 0.98, 0.05
WAYS = (("front_mm", "rear_mm"), ("left_mm", "right_mm"), ("below_mm", "above_mm"))


def check(job: Job, r: Results) -> Iterator[Finding]:
    """A ring or a socket has to find room in the clearance of its side, and in what the tank leaves over of the room."""
    space = job.space
    if space.free or not space.plain or job.tank.built_in:
        return
    spare = (
        r.room.depth_mm - r.strapped.length_mm,
        r.room.width_mm - r.strapped.width_mm,
        r.room.height_mm - r.strapped.height_mm,
    )
    kept = space.clearance
    for axis, (back, ahead) in enumerate(WAYS):
        worst: dict[str, tuple[float, str]] = {}
        for fitting in job.inside.fittings:
            face = r.shell.by_id.get(fitting.face)
            if face is None or isinstance(face, CurvedFace) or abs(float(face.normal[axis])) < SQUARE:
                continue
            side = ahead if face.normal[axis] > 0 else back
            worst[side] = max(worst.get(side, (0.0, "")), (fitting.out_mm, fitting.id))
        short = {side: out - float(getattr(kept, side)) for side, (out, _) in worst.items()}
        over = sum(by for by in short.values() if by > 0) - max(spare[axis], 0.0)
        if over <= TOUCH_MM:
            continue
        side = max(short, key=lambda name: short[name])
        out, name = worst[side]
        where = side.removesuffix("_mm")
        yield Finding(
            "fit.stands_out",
            "warn",
            f"{name} stands {mm(out, 1)} out {where}, where {mm(getattr(kept, side), 1)} are kept free: {mm(over, 1)} "
            f"are missing, and "
            "what is screwed into it wants more. Keep more room there, or sit it deeper in the sheet",
            "what stands out ≤ the clearance of its side and what is left over",
            "common practice: room for fittings, and the hand and spanner that tighten them",
            "space",
            f"fitting:{name}",
            mm(out, 1),
            mm(out - over, 1),
            Remedy(f"Keep {mm(out, 1)} free {where}", ((f"space.clearance.{side}", out),)),
        )
