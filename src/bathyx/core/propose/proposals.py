"""Proposals: each a tank with its seat, worked out by the chain, what it holds and where it touches."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import cached_property, partial
from typing import Any, Literal

import numpy as np

from bathyx.core.evaluate import results_of
from bathyx.core.formula import formula
from bathyx.core.geometry.skin import outside_of
from bathyx.core.job import Job
from bathyx.core.material import sheet
from bathyx.core.propose.panels import Array, Keep, Prism, largest
from bathyx.core.propose.rounds import Drum, largest_drum
from bathyx.core.results import Results
from bathyx.core.space import BoxObstacle, Cavity, TubeObstacle
from bathyx.core.space.boxes import largest_clear_box
from bathyx.core.space.obstacles import AnyObstacle
from bathyx.core.tank.families import FAMILIES
from bathyx.core.units.frozen import checked
from bathyx.errors import Refusal

Kind = Literal["box", "panels", "rolled", "saddle", "two"]
KINDS: dict[Kind, str] = {
    "box": "Largest box",
    "panels": "Flat panels",
    "rolled": "Round body, lying",
    "saddle": "Saddle over what runs through",
    "two": "Two tanks either side",
}
PROPOSAL = formula(
    "propose.largest",
    "Largest tank",
    "greatest inside volume with the outside skin clear of every wall and thing by its clearance",
    source="Sequential quadratic programming from several starts (Kraft 1988, SLSQP); the box by branch and bound over a grid",
    valid="upright ends, sides flat from end to end; a local search: a larger one may exist",
    check="tests/core/test_propose.py: brute force on small cases; containment by trimesh",
    tolerance="within 1 % of brute force on the cases tried; contained to 0.01 mm",
)
TOUCHES_MM = 0.6
CRUMB_MM = 0.01
MOST_PANELS, LEAST_PANELS = 10, 5
MOST_TRIES = 8
Heard = Callable[[float, "Proposal | None"], bool]


@dataclass(frozen=True)
class Proposal:
    """A tank for the space. `tank`, `seat`, `makeup`: changes of the job. `touches`: walls and things at their clearance."""

    kind: str
    words: str
    tank: dict[str, Any]
    seat: dict[str, float]
    school: str
    gross_l: float
    share: float
    dry_kg: float
    weld_mm: float
    panels: int
    touches: tuple[str, ...]
    spare_mm: float
    second: dict[str, Any] | None = None

    @property
    def changes(self) -> dict[str, Any]:
        """What it edits in the job."""
        own = {"tank": self.tank, "space.seat": self.seat, "makeup.school": self.school, "makeup.edges": []}
        return own if self.second is None else own | {"second": self.second}

    @cached_property
    def outside(self) -> Array:
        """Triangles (k, 3, 3) of its outside where it sits in the space."""
        placed = _placed(self.tank, self.seat)
        return (
            placed
            if self.second is None
            else np.concatenate([placed, _placed(self.second["tank"], self.second["seat"])])
        )


def _placed(document: dict[str, Any], seat: dict[str, float]) -> Array:
    tank = checked(FAMILIES[document["family"]], document)
    skin = outside_of(tank.shell(), sheet(tank.sheet).thickness_mm)
    placed: Array = skin + (np.array([seat["x_mm"], seat["y_mm"], seat["z_mm"]]) - skin.reshape(-1, 3).min(axis=0))
    return placed


def gross_for(results: Results) -> float:
    """Gross litres that would leave the usable ones that the brief wants, as much being lost as in the tank there is."""
    wanted, usable = results.wanted.value, results.capacity.usable.value
    share = usable / results.capacity.gross.value if usable > 0 else 0.9
    return round(wanted / share, 1)


def propose(
    job: Job,
    kinds: tuple[Kind, ...] = ("box", "panels", "rolled", "saddle", "two"),
    panels: tuple[int, ...] = (6, 8),
    litres: float | None = None,
    seed: int = 1,
    heard: Heard = lambda share, best: True,
) -> tuple[Proposal, ...]:
    """Proposals for the job's space and sheet, the largest first.

    Args:
        job: whose space, sheet and clearances count.
        kinds: what to look for.
        panels: numbers of flat panels, two of them ends, 5 to 10.
        litres: a wish; what holds more is made smaller, shorter first and then lower: low and central stays.
        seed: equal seeds give equal answers.
        heard: called with the share done and the latest proposal; False stops with what there is.

    Raises:
        Refusal: where the space leaves no room at all, or a number of panels that is not made.
    """
    if job.space.free:
        raise Refusal("there is no hole to fill: measure one, or set the sizes of the tank")
    if any(not LEAST_PANELS <= k <= MOST_PANELS for k in panels):
        raise Refusal(f"a tank of flat panels has {LEAST_PANELS} to {MOST_PANELS} of them, both ends counted")
    search = _Search(job, litres, seed)
    tasks: list[tuple[Kind, int]] = [(kind, k) for kind in kinds for k in (panels if kind == "panels" else (0,))]
    found: list[Proposal] = []
    going = True
    for n, (kind, k) in enumerate(tasks):

        def go_on(share: float, n: int = n) -> bool:
            nonlocal going
            going = going and heard((n + share) / len(tasks), found[-1] if found else None)
            return going

        made = search.made(kind, k, go_on)
        if made is not None:
            found.append(made)
        if not going or not heard((n + 1) / len(tasks), made):
            break
    return tuple(sorted(found, key=lambda p: -p.gross_l))


class _Search:
    """The space as a search needs it."""

    def __init__(self, job: Job, litres: float | None, seed: int) -> None:
        self.job, self.litres, self.seed = job, litres, seed
        self.t = sheet(job.tank.sheet).thickness_mm
        space = job.space
        self.cavity = space.cavity
        inner = self.cavity.inner(space.kept, CRUMB_MM)
        low, high = (np.zeros(3), np.zeros(3)) if inner is None else largest_clear_box(inner, space.things)
        if inner is None or float((high - low).min()) < 2 * self.t + 20:
            raise Refusal(
                "the space leaves no room for a tank: clearances, sheet and what stands in it take "
                f"all but {max(float((high - low).min()), 0.0):.0f} mm; make the clearances smaller or look at the readings"
            )
        self.inner: Cavity = inner
        self.low, self.high = low, high
        self.keeps = tuple(Keep(thing.hull(), thing.clearance_mm + CRUMB_MM) for thing in space.things)

    def made(self, kind: Kind, panels: int, go_on: Callable[[float], bool]) -> Proposal | None:
        """One proposal; None where there is none of its kind."""
        if kind == "box":
            return self._clear(self._box)
        if kind == "rolled":
            drum = largest_drum(self.inner, self.low, self.high, self.t, self.keeps)
            return None if drum is None else self._clear(lambda by: self._drum(drum.drawn_in(by)))
        if kind == "saddle":
            return self._saddle()
        if kind == "two":
            return self._two()
        prism = largest(self.inner, self.low, self.high, panels - 2, self.t, self.keeps, go_on, self.seed)
        return None if prism is None else self._panels(prism, panels)

    def _box(self, by: float) -> Proposal | None:
        low, high = self.low + by, self.high - by
        size = high - low - 2 * self.t
        length, width, height = self._wished([float(v) for v in size])
        tank = {
            "family": "profile",
            "sheet": self.job.tank.sheet,
            "length_mm": length,
            "width_mm": width,
            "height_mm": height,
        }
        middle = (low + high) / 2
        outside = np.array([length, width, height]) + 2 * self.t
        seat = np.array([middle[0] - outside[0] / 2, middle[1] - outside[1] / 2, low[2]])
        return self._worked_out("box", "largest upright box", tank, seat, "plates", 6)

    def _wished(self, size: list[float]) -> tuple[float, float, float]:
        """Length, width and height cut down to the wish: the length to two thirds first, then the height, then all alike."""
        length, width, height = (math.floor(v * 10) / 10 for v in size)
        if self.litres is None or length * width * height / 1e6 <= self.litres:
            return length, width, height
        volume = self.litres * 1e6
        length = max(volume / (width * height), length * 2 / 3)
        height = max(volume / (width * length), height / 2)
        length = max(volume / (width * height), 2 * self.t + 20)
        return math.ceil(length * 10) / 10, width, math.ceil(height * 10) / 10

    def _panels(self, prism: Prism, panels: int) -> Proposal | None:
        if self.litres is not None and prism.volume_mm3(self.t) / 1e6 > self.litres:
            prism = self._shrunk(prism)
        return self._clear(lambda by: self._prism(prism.drawn_in(by), panels))

    def _prism(self, prism: Prism, panels: int) -> Proposal | None:
        t = self.t
        x = np.array([prism.start + t, prism.end - t])
        corners = prism.corners(x, t)
        sections = [
            {"x_mm": float(at), "corners": [(round(float(y), 5), round(float(z), 5)) for y, z in rows]}
            for at, rows in zip(x, corners, strict=True)
        ]
        tank = {"family": "lofted", "sheet": self.job.tank.sheet, "sections": sections}
        outside = prism.corners(np.array([prism.start, prism.end])).reshape(-1, 2)
        seat = np.array([prism.start, *outside.min(axis=0)])
        return self._worked_out("panels", f"{panels} flat panels", tank, seat, "plates", panels)

    def _shrunk(self, prism: Prism) -> Prism:
        """Shorter first, about its middle, to two thirds at most; then smaller about its lowest places."""
        wish = (self.litres or 0.0) * 1e6
        middle = (prism.start + prism.end) / 2
        slope = (prism.rear - prism.front) / (prism.end - prism.start)

        def shorter(share: float) -> Prism:
            a, b = (middle + (at - middle) * share for at in (prism.start, prism.end))
            return Prism(
                prism.turn, prism.front + slope * (a - prism.start), prism.front + slope * (b - prism.start), a, b
            )

        least, most = 2 / 3, 1.0
        if shorter(least).volume_mm3(self.t) > wish:
            prism = shorter(least)
            u = np.column_stack([np.cos(prism.turn), np.sin(prism.turn)])
            # About the lowest place of each end: a convex section holds every smaller one about a place of its own.
            front, rear = (u @ _lowest(rows) for rows in prism.corners(np.array([prism.start, prism.end])))

            def made(share: float) -> Prism:
                return Prism(
                    prism.turn,
                    front + share * (prism.front - front),
                    rear + share * (prism.rear - rear),
                    prism.start,
                    prism.end,
                )

            least, most = 0.1, 1.0
        else:
            made = shorter
        for _ in range(50):
            share = (least + most) / 2
            least, most = (least, share) if made(share).volume_mm3(self.t) > wish else (share, most)
        return made(most)

    def _drum(self, drum: Drum) -> Proposal | None:
        t = self.t
        r, long = math.floor((drum.radius - t) * 10) / 10, math.floor((drum.end - drum.start - 2 * t) * 10) / 10
        if self.litres is not None:
            long = min(long, max(math.ceil(self.litres * 1e7 / (math.pi * r**2)) / 10, 50.0))
        tank = {
            "family": "rolled",
            "sheet": self.job.tank.sheet,
            "section": "round",
            "diameter_mm": 2 * r,
            "length_mm": long,
        }
        middle = (drum.start + drum.end) / 2
        seat = np.array([middle - long / 2 - t, drum.y - r - t, drum.z - r - t])
        return self._worked_out("rolled", f"round body of {2 * r:g} mm, lying", tank, seat, "rolled", 3)

    def _two(self) -> Proposal | None:
        """A box on either side of a thing, along or across: the second joined to the first."""
        best: Proposal | None = None
        for thing in self.job.space.things:
            low, high = thing.hull().min(axis=0), thing.hull().max(axis=0)
            keep = thing.clearance_mm + CRUMB_MM
            for axis in (0, 1):
                before = self.inner.cut(axis, float(low[axis]) - keep, False)
                after = self.inner.cut(axis, float(high[axis]) + keep, True)
                if before is None or after is None:
                    continue
                made = self._clear(partial(self._beside, (before, after)))
                if made is not None and (best is None or made.gross_l > best.gross_l):
                    best = made
        return best

    def _beside(self, parts: tuple[Cavity, Cavity], by: float) -> Proposal | None:
        """A box in each part, drawn in by `by`; None where one of them has no room."""
        found = [largest_clear_box(part, self.job.space.things) for part in parts]
        boxes = sorted(((a + by, b - by) for a, b in found), key=lambda box: -float(np.prod(box[1] - box[0])))
        if any(float((b - a).min()) < 2 * self.t + 20 for a, b in boxes):
            return None
        made = []
        whole = sum(float(np.prod(high - low - 2 * self.t)) for low, high in boxes) / 1e6
        share = 1.0 if self.litres is None else min(1.0, self.litres / whole)
        for low, high in boxes:
            sizes = [math.floor(float(v) * 10) / 10 for v in high - low - 2 * self.t]
            sizes[0] = math.ceil(max(sizes[0] * share, 2 * self.t + 20) * 10) / 10 if share < 1 else sizes[0]
            tank: dict[str, Any] = {"family": "profile", "sheet": self.job.tank.sheet}
            tank |= dict(zip(("length_mm", "width_mm", "height_mm"), sizes, strict=True))
            middle = (low + high) / 2
            outside = np.array(sizes) + 2 * self.t
            seat = (float(middle[0] - outside[0] / 2), float(middle[1] - outside[1] / 2), float(low[2]))
            made.append((tank, dict(zip(("x_mm", "y_mm", "z_mm"), seat, strict=True))))
        (first, place), (tank, other) = made
        spot = np.array([place["x_mm"], place["y_mm"], place["z_mm"]])
        main = self._worked_out("two", "two boxes, one either side", first, spot, "plates", 12)
        if main is None:
            return None
        second = self._worked_out(
            "two", "the other", tank, np.array([other["x_mm"], other["y_mm"], other["z_mm"]]), "plates", 6
        )
        if second is None:
            return None
        return replace(
            main,
            second={"tank": tank, "seat": other},
            gross_l=main.gross_l + second.gross_l,
            share=main.share + second.share,
            dry_kg=main.dry_kg + second.dry_kg,
            weld_mm=main.weld_mm + second.weld_mm,
            touches=tuple(dict.fromkeys((*main.touches, *second.touches))),
            spare_mm=min(main.spare_mm, second.spare_mm),
        )

    def _saddle(self) -> Proposal | None:
        """A box over a tube or beam that runs the length of the space near its floor."""
        best: Proposal | None = None
        for thing in self.job.space.things:
            made = self._clear(partial(self._over, thing))
            if made is not None and (best is None or made.gross_l > best.gross_l):
                best = made
        return best

    def _over(self, thing: AnyObstacle, by: float) -> Proposal | None:
        if not isinstance(thing, (BoxObstacle, TubeObstacle)):
            return None
        hull, t, c = thing.hull(), self.t, thing.clearance_mm + CRUMB_MM + by
        low, high = hull.min(axis=0), hull.max(axis=0)
        others = tuple(o for o in self.job.space.things if o is not thing)
        a, b = largest_clear_box(self.inner, others)
        a, b = a + by, b - by
        if (
            low[0] > a[0] + 0.2 * (b[0] - a[0])
            or high[0] < b[0] - 0.2 * (b[0] - a[0])
            or not a[1] < low[1] < high[1] < b[1]
        ):
            return None
        tunnel = float(high[1] - low[1]) + 2 * (c + t)
        rise = float(high[2]) + c + t - float(a[2] + t)
        n, w, h = (math.floor(float(v) * 10) / 10 for v in b - a - 2 * t)
        if rise <= 5 or rise > h - 30:
            return None
        left = float(low[1]) - c - t - float(a[1] + t)
        tank = {
            "family": "saddle", "sheet": self.job.tank.sheet, "length_mm": n, "width_mm": w, "height_mm": h,
            "tunnel_width_mm": math.ceil(tunnel * 10) / 10, "tunnel_height_mm": math.ceil(rise * 10) / 10,
            "left_lobe_mm": math.floor(left * 10) / 10,
        }  # fmt: skip
        return self._worked_out("saddle", f"saddle over {thing.name}", tank, a, "plates", 10)

    def _worked_out(
        self, kind: str, words: str, tank: dict[str, Any], seat: Array, school: str, panels: int
    ) -> Proposal | None:
        """The proposal with the figures that the chain gives it, whether its outside clears the space or not; None where the chain
        refuses it."""
        place = dict(zip(("x_mm", "y_mm", "z_mm"), (round(float(v), 4) for v in seat), strict=True))
        try:
            results = self._results(tank, place, school)
        except Refusal:
            return None
        near = results.approaches
        return Proposal(
            kind,
            words,
            tank,
            place,
            school,
            results.capacity.gross.value,
            results.capacity.gross.value * 1e6 / self.cavity.volume_mm3,
            results.weight.dry.value,
            results.weld_length_mm,
            panels,
            tuple(a.what for a in near if a.spare_mm < TOUCHES_MM),
            near[0].spare_mm if near else 0.0,
        )

    def _clear(self, made: Callable[[float], Proposal | None]) -> Proposal | None:
        """What `made` gives when it is made smaller, by mm all round, until it clears the space."""
        by = 0.0
        for _ in range(MOST_TRIES):
            proposal = made(by)
            if proposal is None or proposal.spare_mm > -CRUMB_MM:
                return proposal
            by += 0.002 - proposal.spare_mm
        return None

    def _results(self, tank: dict[str, Any], seat: dict[str, float], school: str) -> Results:
        """A bare tank: the fittings of the job belong to faces that it may not have."""
        bare: dict[str, Any] = {
            "tank": tank,
            "space.seat": seat,
            "makeup.school": school,
            "makeup.edges": [],
            "inside.fittings": [],
            "second": None,
        }
        job = self.job.edited_many(bare)
        return results_of(job.model_copy(update={"uid": f"proposal of {self.job.uid}"[:64]}))


def _lowest(rows: Array) -> Array:
    """(2,) the middle of the lowest corners of a section."""
    return np.asarray(rows[rows[:, 1] < rows[:, 1].min() + 1.0].mean(axis=0))


__all__ = ["KINDS", "Kind", "Proposal", "gross_for", "propose"]
