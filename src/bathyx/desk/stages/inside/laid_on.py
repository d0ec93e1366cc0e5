"""Straps, doublers and the sump by hand: put down, moved, copied, taken out, and their sizes on the card."""

from __future__ import annotations

import numpy as np

from bathyx.core.inside.straps import GRAVITY, Laid, Strap, leg_pull_n
from bathyx.core.sheet.makeup.doublers import Doubler
from bathyx.core.units import show
from bathyx.desk.bench import Bench
from bathyx.desk.stages.inside.hand import SUMP_DEEP_MM, Held, size_of_patch, snap_of
from bathyx.desk.views.card import Card
from bathyx.desk.views.fields import Field, Tick, words
from bathyx.draft.face_view import Sight

KINDS = ("strap:", "doubler:")
SIZES = {
    "strap": (
        ("Middle from the front", "at_mm"),
        ("Width", "width_mm"),
        ("Thickness", "thickness_mm"),
        ("Rubber under it", "rubber_mm"),
        ("Foot, each end", "foot_mm"),
    ),
    "doubler": (
        ("Middle, from front or left", "u_mm"),
        ("Middle, from left or below", "v_mm"),
        ("Long", "width_mm"),
        ("Wide", "height_mm"),
        ("Thick", "thickness_mm"),
    ),
}
PATHS = {"strap": "inside.straps", "doubler": "makeup.doublers"}


class LaidOn:
    """What is laid on a tank, by its tag `strap:0` or `doubler:2`."""

    def __init__(self, bench: Bench) -> None:
        self.bench = bench

    def of(self, tag: str) -> tuple[str, int] | None:
        """(kind, number) of a tag; None where it is none of these or gone."""
        kind, _, number = tag.partition(":")
        if kind not in PATHS or not number.isdigit() or int(number) >= len(self.rows(kind)):
            return None
        return kind, int(number)

    def rows(self, kind: str) -> tuple[Strap, ...] | tuple[Doubler, ...]:
        """All of a kind."""
        return self.bench.job.inside.straps if kind == "strap" else self.bench.job.makeup.doublers

    def drop(self, held: Held) -> None:
        """Put down what hangs: one edit, and it is selected."""
        b = self.bench
        if held.key == "strap":
            straps = [*b.job.inside.straps, Strap(at_mm=round(held.at[0], 1))]
            if b.edit({"inside.straps": straps, "brief.held_by": "straps"}, "put on a strap"):
                b.light(f"strap:{len(straps) - 1}")
            return
        assert held.patch is not None
        face, u, v = held.patch
        long, wide = size_of_patch(b.evaluation, held)
        if held.key == "doubler":
            made = Doubler(
                face=face, u_mm=round(u, 2), v_mm=round(v, 2), width_mm=long, height_mm=wide,
                thickness_mm=b.evaluation.results.skins.of(face),
            )  # fmt: skip
            rows = [*b.job.makeup.doublers, made]
            if b.edit({"makeup.doublers": rows}, "lay on a doubler"):
                b.light(f"doubler:{len(rows) - 1}")
            return
        sump = b.job.tank.sump
        said = (
            {"kind": "box", "length_mm": long, "width_mm": wide, "depth_mm": SUMP_DEEP_MM}
            if sump is None
            else sump.model_dump()
        )
        b.edit({"tank.sump": said | {"x_mm": held.at[0], "y_mm": held.at[1]}}, "sump")

    def move(self, tag: str, dx: float, dy: float, sight: Sight, merge: str) -> str:
        """By so much of the drawing; why not, where it cannot be."""
        found = self.of(tag)
        if found is None:
            return ""
        kind, number = found
        path = f"{PATHS[kind]}.{number}"
        if kind == "strap":
            strap = self.bench.job.inside.straps[number]
            return self.bench.try_edit({f"{path}.at_mm": round(max(strap.at_mm + dx, 0.0), 1)}, "move a strap", merge)
        doubler = self.bench.job.makeup.doublers[number]
        face = self.bench.evaluation.results.shell.by_id.get(doubler.face)
        if face is None:
            return ""
        if sight.face:
            u, v = doubler.u_mm + dx * sight.way(face), doubler.v_mm + dy
        else:
            spot = face.place(doubler.u_mm, doubler.v_mm)
            u, v = (float(x) for x in face.uv((spot + np.array([dx, dy, 0.0]))[None])[0])
        return self.bench.try_edit({f"{path}.u_mm": round(u, 2), f"{path}.v_mm": round(v, 2)}, "move a doubler", merge)

    def drag(self, tag: str, x: float, y: float, sight: Sight) -> None:
        """To a place of the drawing; a strap is drawn to where it lies as another does."""
        found = self.of(tag)
        if found is None:
            return
        if found[0] == "strap":
            strap, e = self.bench.job.inside.straps[found[1]], self.bench.evaluation
            low, high = (float(b[0]) for b in e.results.shell.bounds)
            goals = [low + high - s.at_mm for k, s in enumerate(self.bench.job.inside.straps) if k != found[1]]
            near = min(goals, key=lambda goal: abs(goal - x), default=np.inf)
            to = near if abs(near - x) < snap_of(e) else min(max(round(x), low), high)
            self.move(tag, to - strap.at_mm, 0.0, sight, f"drag {tag}")
            return
        doubler = self.bench.job.makeup.doublers[found[1]]
        face = self.bench.evaluation.results.shell.by_id.get(doubler.face)
        if face is not None:
            here = (
                (doubler.u_mm * sight.way(face), doubler.v_mm) if sight.face else face.place(doubler.u_mm, doubler.v_mm)
            )
            self.move(tag, x - float(here[0]), y - float(here[1]), sight, f"drag {tag}")

    def take_out(self, tag: str) -> bool:
        """Off with it; whether it was one of these."""
        found = self.of(tag)
        if found is None:
            return False
        kind, number = found
        self.bench.edit({PATHS[kind]: [x for k, x in enumerate(self.rows(kind)) if k != number]}, f"take off a {kind}")
        return True

    def mirror(self, tag: str) -> bool:
        """A second strap as far from the other end; whether it was one."""
        found = self.of(tag)
        if found is None or found[0] != "strap":
            return False
        b = self.bench
        strap = b.job.inside.straps[found[1]]
        low, high = (float(x[0]) for x in b.evaluation.results.shell.bounds)
        at = low + high - strap.at_mm
        if abs(at - strap.at_mm) < strap.width_mm:
            b.said.emit("note", "It lies so near to the middle that its mirror image would lie on it")
            return True
        rows = [*b.job.inside.straps, strap.model_copy(update={"at_mm": round(at, 1)})]
        if b.edit({"inside.straps": rows}, "mirror a strap"):
            b.light(f"strap:{len(rows) - 1}")
        return True

    def make(self, card: Card) -> None:
        """Fields for what is selected, on a card."""
        self.fields: dict[str, list[Field]] = {
            kind: [card.add(Field(self.bench, label, f"{PATHS[kind]}.-.{name}", "length")) for label, name in sizes]
            for kind, sizes in SIZES.items()
        }
        self.under = card.add(Tick(self.bench, "It lies inside the tank", "makeup.doublers.-.inside"))
        self.said = card.add(words("", "quiet"))

    def refresh(self) -> str:
        """Show the fields of what is selected; its title, empty where it is none of these."""
        found = self.of(self.bench.lit)
        for kind, fields in self.fields.items():
            for (_, name), field in zip(SIZES[kind], fields, strict=True):
                field.setVisible(found is not None and found[0] == kind)
                if found is not None and found[0] == kind:
                    field.path = f"{PATHS[kind]}.{found[1]}.{name}"
                    field.edit.setObjectName(f"{kind} {name}")
        doubler = found is not None and found[0] == "doubler"
        self.under.setVisible(doubler)
        if found is not None and doubler:
            self.under.path = f"makeup.doublers.{found[1]}.inside"
        band = next((s for s in self.bench.evaluation.results.straps if found == ("strap", s.number)), None)
        self.said.setVisible(band is not None)
        self.said.setText("" if band is None else self._of_band(band))
        return "" if found is None else f"{found[0].capitalize()} {found[1] + 1}"

    def _of_band(self, band: Laid) -> str:
        """What to cut, and what it holds."""
        b, r = self.bench, self.bench.evaluation.results
        pull = leg_pull_n(r.weight.full.value, b.job.brief.braking_g, len(r.straps))
        cut = show(band.cut_mm, "length", b.units)
        held = show(pull / GRAVITY, "mass", b.units)
        return f"Cut {cut} of flat bar, feet and all. A leg holds the weight of {held} when it pounds (engineering estimate)."
