"""A tank to begin from: a hole or none, a shape, a fluid and litres; fitted out, with no stop that is not the maker's own."""

from __future__ import annotations

import contextlib
import math
from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Any, Literal

from bathyx.core.evaluate import evaluate
from bathyx.core.job import Job
from bathyx.core.laminate.equal import key_of
from bathyx.core.laminate.layup import LayUp
from bathyx.core.material import fluid, materials, sheet
from bathyx.core.propose.fit_out import fit_out
from bathyx.core.propose.put_right import put_right
from bathyx.core.space import Clearance, MeasuredBox, StationSpace
from bathyx.core.space.free import FreeSpace
from bathyx.core.tank.families import FAMILIES
from bathyx.core.tank.fit import fill_room
from bathyx.core.units import Reading
from bathyx.errors import Refusal

Hole = Literal["free", "box", "stations"]
SHEETS = ("5083/3", "304/1.5", "s235/3")
MOST_MM, MOST_ROLLED_MM = 6.0, 3.0
# Length, width and height to one another: low and long, as tanks are that ride.
SHAPE = (1.35, 1.0, 0.72)
MORE, STEPS, LEAST_SIDE, AIR_MM = 1.12, 6, 60.0, 40.0
PLASTIC, LEAST_PLASTIC_MM = "pp", 5.0
LAID = ("seal", "lid", "baffle")
CORED_MM = (12.7, 15.0, 20.0, 25.0)
WAYS = {
    "": "sheet metal that suits the fluid",
    "metal": "aluminium or stainless",
    "steel": "mild steel",
    "plastic": "polypropylene, welded with rod",
    "laminate": "glass-fibre, laid by hand",
    "cored": "glass-fibre on foam",
    "roller": "steel halves, roller seam",
}


@dataclass(frozen=True)
class Asked:
    """What a person says of a new tank: its hole and, of a box, width, depth and height; family, fluid, litres wanted, name,
    and how it is made, as in `WAYS`."""

    hole: Hole
    family: str
    fluid: str
    litres: float
    name: str = "New tank"
    readings: tuple[Reading, Reading, Reading] | None = None
    making: str = ""


def begun(asked: Asked, maker: str = "") -> Job:
    """The job to begin from, in the thinnest stuff of its kind that bears it: from 3 mm of aluminium or 1.5 of stainless on,
    5 of plastic, three plies of glass-fibre.

    Raises:
        Refusal: where the hole is too small for any tank, the family cannot be begun there, or what it is made of does not hold the
            fluid.
    """
    if not 0.2 <= asked.litres <= 100_000:
        raise Refusal(f"{asked.litres:g} litres is no tank of sheet; it is 0.2 to 100,000")
    if asked.making not in WAYS:
        raise Refusal(f"no way of making {asked.making!r}; there are {', '.join(w for w in WAYS if w)}")
    if asked.making == "roller" and asked.family != "halves":
        raise Refusal("a roller seam joins two pressed halves; choose that shape, or another way of making")
    job = borne = None
    for stock, more in _stuffs(asked):
        job = _begun(asked, stock, maker, more)
        e = evaluate(job)
        if not any(f.code.startswith("panel.") for f in e.stops):
            if not any(f.code == "prove.least" and f.severity == "warn" for f in e.findings):
                break
            borne = borne or job  # it holds, but no test that it bears would prove it
    else:
        job = borne or job
    assert job is not None
    if asked.making == "plastic":  # bands, where no sheet is thick enough
        job = put_right(job, stages=("tank",)).job
    return job


def _stuffs(asked: Asked) -> Iterator[tuple[str, dict[str, Any]]]:
    """(sheet, parts of the job that go with it), the thinnest first."""
    if asked.making in ("laminate", "cored"):
        _hold(asked.fluid, "laminate")
        foam = LayUp.preset("cored")
        cored = (foam.model_copy(update={"core_mm": thick}) for thick in CORED_MM)
        for layup in cored if asked.making == "cored" else map(LayUp.preset, LAID):
            yield key_of(layup), {"layup": layup.model_dump(mode="json")}
        return
    if asked.making == "plastic":
        _hold(asked.fluid, "plastic")
        key, least, more = PLASTIC, LEAST_PLASTIC_MM, {}
    elif asked.making in ("steel", "roller"):
        _hold(asked.fluid, "steel")
        key, least = "s235", 1.5 if asked.making == "roller" else 3.0
        more = {"weld_process": "roller"} if asked.making == "roller" else {}
    else:
        usual = [s for s in SHEETS if asked.making == "" or not s.startswith("s235")]
        key, _, first = next((s for s in usual if _suits(asked.fluid, s)), usual[0]).partition("/")
        least, more = float(first), {}
    for thick in materials()[key].thicknesses:
        if least <= thick <= (MOST_ROLLED_MM if asked.making == "roller" else max(MOST_MM, 4 * least)):
            yield f"{key}/{thick:g}", more


def _hold(name: str, group: str) -> None:
    """Refusal where a group of stuff does not hold a fluid, with the reason."""
    held = fluid(name)
    if held.suits.get(group) == "no":
        raise Refusal(
            f"{held.name} in {group}: {held.why.get(group, 'it does not hold it')}; choose another way of making"
        )


def _begun(asked: Asked, stock: str, maker: str, more: dict[str, Any]) -> Job:
    family = FAMILIES[asked.family]
    scale = (asked.litres * MORE * 1e6 / math.prod(SHAPE)) ** (1 / 3)
    job: Job | None = None
    for _ in range(STEPS):
        box = dict(zip(("length", "width", "height"), (max(round(scale * s), LEAST_SIDE) for s in SHAPE), strict=True))
        tank = family.started({name: float(mm) for name, mm in box.items()}, stock)
        job = Job.model_validate(
            {
                "maker": maker,
                "tank": tank.model_dump(mode="json"),
                "brief": {
                    "name": asked.name,
                    "fluid": asked.fluid,
                    "demand": {"kind": "capacity", "litres": round(asked.litres, 3)},
                },
                "makeup": {"school": tank.schools()[0], **{k: v for k, v in more.items() if k != "layup"}},
                "layup": more.get("layup"),
            }
        )
        job = _right(job.edited("space", FreeSpace().model_dump(mode="json")))
        usable = evaluate(job).results.capacity.usable.value
        if usable >= asked.litres:
            break
        scale *= (asked.litres / max(usable, 1e-3)) ** (1 / 3) * 1.003
    assert job is not None
    if asked.hole == "box":
        return _in_a_box(job, asked)
    return job if asked.hole == "free" else job.edited("space", _hull_round(job))


def _suits(name: str, stock: str) -> bool:
    return fluid(name).suits.get(sheet(stock).material.group, "no") == "yes"


def _in_a_box(job: Job, asked: Asked) -> Job:
    if asked.readings is None:
        raise Refusal("say the hole's width, depth and height")
    width, depth, height = asked.readings
    space = MeasuredBox(width=width, depth=depth, height=height)
    there = job.edited("space", space.model_dump(mode="json"))
    if not any(f.code == "fit.space" for f in evaluate(there).stops):
        return there
    stock, room = sheet(job.tank.sheet), space.room
    there = there.edited("inside.fittings", [])
    filled = there.edited("tank", fill_room(job.tank, room, stock.thickness_mm))
    usable = evaluate(filled).results.capacity.usable.value
    if usable > asked.litres * MORE:
        # More than is wanted: as low as it may be, the whole floor taken; where its shape does not let it, it stays large.
        low = max(room.height_mm * asked.litres * MORE / usable, LEAST_SIDE + 2 * stock.thickness_mm)
        with contextlib.suppress(Refusal):
            filled = there.edited("tank", fill_room(job.tank, replace(room, height_mm=low), stock.thickness_mm))
    return _right(filled)


def _right(job: Job) -> Job:
    """Fitted out, and what has a remedy put right; a tank too small for the wish stays that size."""
    made = put_right(fit_out(job).job, stages=("inside", "cut", "prove", "brief")).job
    for finding in evaluate(made).findings:
        if finding.stage == "prove" and finding.severity == "warn" and finding.remedy is not None:
            after = finding.remedy.apply(made)
            both = after.edited("makeup.both_sides", True)  # twice the throat: often all that is missing
            made = next((job for job in (after, both) if not evaluate(job).stops), made)
    return made


def _hull_round(job: Job) -> dict[str, object]:
    """Two upright stations that the tank goes between with the usual clearance, to be measured."""
    out, keep = evaluate(job).results.outside, Clearance()
    half = math.ceil(out.width_mm / 2 + keep.left_mm + AIR_MM)
    tall = math.ceil(out.height_mm + keep.below_mm + keep.above_mm + 2 * AIR_MM)
    rows = [{"z_mm": float(z), "left_mm": float(half), "right_mm": float(half)} for z in (0, tall)]
    ends = (0.0, float(math.ceil(out.length_mm + keep.front_mm + keep.rear_mm + 2 * AIR_MM)))
    seat = {"x_mm": keep.front_mm + AIR_MM, "y_mm": -out.width_mm / 2, "z_mm": keep.below_mm + AIR_MM}
    stations = [{"x_mm": x, "rows": rows} for x in ends]
    return StationSpace.model_validate({"stations": stations, "seat": seat}).model_dump(mode="json")
