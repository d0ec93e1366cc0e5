"""Glass-fibre, solid or on foam: faces are laminates, edges are filleted and tabbed, on a table or against the hull."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from bathyx.core.laminate.day import Batch, LaidPanel, OnRoll, batches, on_rolls, panel_of, pieces_of, tapes_of
from bathyx.core.laminate.layup import SCHOOLS, LayUp
from bathyx.core.laminate.panels import of_panel
from bathyx.core.laminate.stuff import cloths, cores
from bathyx.core.laminate.tabs import tabs
from bathyx.core.making.base import Asked, Making, Row, Step, WeldSettings, changed
from bathyx.core.material import Sheet
from bathyx.core.sheet.flat.blank import Blank
from bathyx.core.sheet.makeup.preparation import Preparation
from bathyx.core.units import celsius, mm

if TYPE_CHECKING:
    from bathyx.core.job import Job
    from bathyx.core.results import Results

LEAST_ROOM_C = 15.0
PLY_MIN_M2, FOAM_MIN_M2, FILLET_MIN_M, TAPE_MIN_M = 12.0, 20.0, 4.0, 3.0
SMALL_L, SMALL_KPA, LARGE_KPA = 100.0, 25.0, 5.0
COATS_L_M2 = (0.50, 0.45)  # some 0.9 L and a little less on a tank of 170 L: common practice
DRINK = "fresh_water"
PASSED = (
    "two coats of an epoxy that is passed for drinking water, cured warm for as long as its maker says before the "
    "first fill, then filled and "
    "emptied till the water tastes of nothing"
)
SETTING_UP = {
    "built_in": "; panels scribed and their foam bevelled to the hull",
    "over_film": "; film over the hull, the end puttied to it at its line, the top's edge scribed level",
}
FUMES = (
    "Styrene fumes are poison and burn: air through the room, a mask with fresh filters, no flame, no spark. Catalyst blinds: "
    "glasses; never "
    "near metal powder or accelerator. A full cup gets hot enough to smoke: carry it outside on something that does not burn."
)
EPOXY = "Epoxy and its hardener make skin allergic for good: gloves, sleeves, barrier cream; wash with soap, never with solvent."
DUST = "Glass dust: mask, glasses, sleeves taped; the extractor on."


class Laminate(Making):
    """Cloth and resin laid by hand."""

    key, title = "laminate", "Glass-fibre"
    words = "faces of plies laid by hand, solid or on foam; edges filleted and tabbed"
    groups = ("laminate",)
    joins = "tabbed"
    on_brake = False
    first_sheet = "laminate/3"
    why_no_air = (
        "a large flat laminate gives way along a joint, at once: a little air with soap where it is small, water for 24 h, "
        "its own fluid "
        "for days"
    )

    @staticmethod
    def layup(job: Job) -> LayUp:
        """The lay-up of a job that is laid up."""
        assert job.layup is not None
        return job.layup

    def settings(self, sheet: Sheet) -> WeldSettings:
        """Resin, cleaned and sanded joints, tapes."""
        return WeldSettings(
            "tabbing", sheet.material.filler, "none", 0.0,
            "sand with 80 grit, wipe with solvent, fillet, the narrowest tape first while the fillet is soft",
            "common practice", 20.0,
        )  # fmt: skip

    def asked(self, sheet: Sheet) -> tuple[Asked, ...]:
        """Lots of cloth and resin, the mix, heat and damp of the room, times, hardness, the tap test."""
        return (
            Asked("process", "Ply or tape", "tabbing"),
            Asked("filler", "Resin", sheet.material.filler),
            Asked("lot", "Lots, resin and cloth"),
            Asked("catalyst_pct", "Catalyst", "", "%", 0.2, 100.0, seen=True),
            Asked("room_c", "Room", "20", "°C", 0.0, 45.0, seen=True),
            Asked("damp_pct", "Damp", "", "% humidity", 0.0, 100.0, seen=True),
            Asked("mixed_at", "Mixed at, gelled at", seen=True),
            Asked("barcol", "Hardness (Barcol)", "", "", 0.0, 100.0, seen=True),
            Asked("tap", "Tapped with a coin", "rings all over", seen=True),
            Asked("pass", "Ply", "1"),
        )

    def preparation(self, joint: str, thick: tuple[float, float], sheet: Sheet, *, both_sides: bool) -> Preparation:
        """Sanded, filleted, tabbed; inside too where it is said."""
        del sheet
        sides = 2 if both_sides else 1
        form = "edges flush, ground back and taped" if joint in ("butt", "backed") else "filleted and tabbed"
        return Preparation(f"sanded with 80 grit, {form}", 0.0, 0.0, 0.0, sides * (2 if min(thick) < 2.5 else 3))

    def of_blank(self, job: Job, blank: Blank) -> LayUp:
        """The lay-up of a panel: its own, or the tank's."""
        return of_panel(self.layup(job), job.panel_layups, blank.role, blank.faces)

    def _flat(self, job: Job, r: Results) -> list[LaidPanel]:
        return [panel_of(b.name, b.size_mm, b.area_mm2, self.of_blank(job, b)) for b in r.blanks if b.role != "bought"]

    def _said(self, job: Job) -> str:
        """Lay-ups of panels that have their own, in words."""
        base = self.layup(job)
        return "".join(f"; {own.face}: {own.whole(base).words}" for own in job.panel_layups)

    def panels(self, job: Job, r: Results) -> tuple[LaidPanel, ...]:
        """Every panel as laid, and the tapes of its joints."""
        layup = self.layup(job)
        flat = self._flat(job, r)
        sides = 2 if job.makeup.both_sides else 1
        length = sum(s.length_mm for s in r.seams)
        return (*flat, tapes_of("tapes of the joints", length, sides, tabs(layup)))

    def cups(self, job: Job, r: Results) -> tuple[Batch, ...]:
        """Cups of resin, each laid before it gels."""
        return batches(self.panels(job, r), self.layup(job))

    def rolls(self, job: Job, r: Results) -> tuple[OnRoll, ...]:
        """Cloth off its rolls: plies of the panels, tapes of the joints."""
        layup, sides = self.layup(job), 2 if job.makeup.both_sides else 1
        tab = tabs(layup)
        return on_rolls(pieces_of(self._flat(job, r), layup, [(s.length_mm, sides, tab) for s in r.seams]))

    def stuff(self, job: Job, r: Results, weld_mm: float) -> list[Row]:
        """Cloth by its kind, resin, catalyst, putty and foam; brushes, rollers, solvent, sanding."""
        layup, cups = self.layup(job), self.cups(job, r)
        rows: list[Row] = [("weld_m", "Joints to tab, rings included", weld_mm / 1000, "m")]
        for roll in self.rolls(job, r):
            title = f"{cloths()[roll.cloth].name}, off a roll"
            rows.append((f"cloth_{roll.cloth}_m", title, roll.length_mm / 1000, "m"))
        resin = sum(cup.resin_g for cup in cups) / 1000
        rows += [
            ("filler_kg", f"Resin, {layup.made.resin.name.lower()}", resin, "kg"),
            (
                "catalyst_kg",
                "Hardener" if layup.made.resin.fixed else "Catalyst",
                sum(c.catalyst_g for c in cups) / 1000,
                "kg",
            ),
            ("cups", "Cups and brushes", len(cups), "pieces"),
            ("solvent_l", "Solvent for tools and wiping", 0.3 + 0.05 * len(cups), "L"),
            ("discs", "Sanding discs of 80 grit", max(2, round(weld_mm / 3000 + 0.5)), "pieces"),
        ]
        inside = sum(face.area_mm2 for face in r.shell.faces) + 2 * sum(plate.metal_mm2 for plate in r.plates)
        drink = r.fluid.key == DRINK
        coat = "Epoxy passed for drinking water, two coats inside" if drink else "Tank coat, two coats inside"
        rows.append(("coat_l", coat, sum(COATS_L_M2) * inside / 1e6, "L"))
        foams: dict[tuple[str, float], float] = {}
        for blank in r.blanks:
            own = self.of_blank(job, blank)
            if own.core:
                foams[own.core, own.core_mm] = foams.get((own.core, own.core_mm), 0.0) + blank.area_mm2 / 1e6
        for number, ((key, thick), area) in enumerate(foams.items()):
            rows.append(
                (f"foam_{number}_m2" if number else "foam_m2", f"{cores()[key].name}, {mm(thick, 1)}", 1.1 * area, "m²")
            )
        return rows

    def minutes(self, job: Job, r: Results, usual: dict[str, float]) -> dict[str, float]:
        """Laying up by the ply and square metre, tabbing by the tape and metre: estimates of one pair of hands, ±half."""
        layup, sides = self.layup(job), 2 if job.makeup.both_sides else 1
        metres = r.weld_length_mm / 1000 * sides
        laid = usual["cut"]
        for blank in (b for b in r.blanks if b.role != "bought"):
            own = self.of_blank(job, blank)
            laid += blank.area_mm2 / 1e6 * (len(own.plies) * PLY_MIN_M2 + (FOAM_MIN_M2 if own.core else 0.0))
        return usual | {"cut": laid, "bend": 0.0, "weld": metres * (FILLET_MIN_M + len(tabs(layup).tapes) * TAPE_MIN_M)}

    def told(self, step: Step, job: Job, r: Results) -> Step | None:
        """The traveller's steps as they are laid up."""
        layup, tab = self.layup(job), tabs(self.layup(job))
        kind = step.id.partition(":")[0]
        made, resin = layup.made, layup.made.resin
        if kind in ("bend", "trim", "roll", "long_seam"):
            return None
        window = f"{resin.window_h[0]:g} to {resin.window_h[1]:g} h"
        fumes = FUMES if resin.styrene else EPOXY
        lay = (
            f"{SCHOOLS[layup.school].capitalize()}: {layup.words}{self._said(job)}; {mm(made.thick_mm, 1)}, glass "
            f"{made.glass_share:.0%} by weight; "
            f"wet out, roll every ply till no white is left; the next ply within {window}, later only sanded; not below "
            f"{celsius(LEAST_ROOM_C)}. Trim "
            + ", ".join(f"{b.name} {b.said_size}" for b in r.blanks if b.role != "bought")
        )
        inside = ", ".join(b.name for b in r.blanks if b.role == "baffle")
        swaps = {
            "material": (
                "Check resin, catalyst and cloth",
                f"{layup.words}{self._said(job)}; lots and dates written down, cloth dry, catalyst "
                f"{layup.catalyst_pct:g} % by weight on a scale",
                None,
            ),
            "cut": ("Lay up the panels and trim them", lay, fumes),
            "deburr": (
                "Seal edges, mark out",
                "foam back 2 mm at every edge and hole and filled, limber and air holes coated on their edges; solid laminate "
                "or hard "
                "inserts where screws go"
                if layup.core
                else "every sawn edge coated with resin; radius on every edge that is laid over",
                DUST,
            ),
            "holes": ("", f"{step.detail}; edges coated", DUST),
            "bosses": (
                "Bond rings and inserts",
                f"{step.detail}; solid laminate twice the ring's width under each, laid over after; pipes glassed in",
                DUST,
            ),
            "clean": (
                "Sand and wipe joints",
                "80 grit on every face that is bonded, solvent on a clean rag, dry; wax of a last coat ground off",
                "Solvent vapour burns and is poison: air through the room, no flame; never in a closed tank.",
            ),
            "tack": (
                "Set the panels up, fillet and spot",
                f"square blocks and a few short screws hold them; fillet R {mm(tab.fillet_mm)} of putty"
                + SETTING_UP.get(layup.school, ""),
                "",
            ),
            "baffles": ("", f"{inside}: tabbed to bottom and sides, a flange on top carries the lid; limber holes low, flow "
            f"holes higher", None),
            "weld": (
                "Tab the joints outside and over the lid",
                f"{r.weld_length_mm / 1000:.2f} m in {len(r.seams)} joints: {tab.said}; log each",
                fumes + " Nobody lays up inside a closed tank without forced air and somebody outside.",
            ),
            "dress": ("Grind, tap and look", "edges rounded, dry spots and bubbles cut out and laid again, tapped with a "
            "coin: dull is loose", DUST),
            "finish": ("Coat and mount", "a wax-bearing or tank coat where the fluid lies, on its underside before it is "
            "closed; on strips, never "
                       "in a wet pocket", None),
        }  # fmt: skip
        if kind not in swaps:
            return step
        title, detail, caution = swaps[kind]
        return changed(step, title=title, detail=detail, caution=caution)

    def besides(self, job: Job, r: Results) -> dict[str, tuple[Step, ...]]:
        """The first cup weighed and watched; the inside coated before the lid; cured and hard before it is tested."""
        layup = self.layup(job)
        resin = layup.made.resin
        pot = resin.pot_life_min(layup.catalyst_pct, layup.room_c)
        first = Step(
            "first_cup",
            "Weigh a first cup and watch it gel",
            f"{layup.catalyst_pct:g} % at {celsius(layup.room_c)}: about {pot:.0f} min; times written down, batches no larger "
            f"than is laid by "
            "then",
            "Catalyst blinds: glasses on before the bottle is open.",
            hold=True,
        )
        tab = Step(
            "tab",
            "Tab the joints inside",
            f"while a hand gets in: {tabs(layup).said}; a baffle's too when it is in, both sides",
            FUMES if resin.styrene else EPOXY,
        )
        lid = Step(
            "lid",
            "Coat the inside and the lid's underside, then close it",
            f"{PASSED if r.fluid.key == DRINK else 'two coats'}, nobody reaches it after; lid scuffed, wiped, glued "
            f"and weighted on its "
            f"flange of about {mm(50)}; edges ground and rounded, then mat, biaxial, mat over them",
            FUMES if resin.styrene else EPOXY,
        )
        hard = (
            f"Barcol {resin.barcol:.0f} or more at five places"
            if resin.barcol
            else "a nail leaves no mark, no amine bloom left"
        )
        cured = Step(
            "cured",
            "Cured: hardness by place",
            f"{hard}, no smell of styrene, tapped all over; warm it where it is not; a fuel tank cures a week before it is filled"
            if resin.styrene
            else f"{hard}, tapped all over; seven days at {celsius(20)} before it is filled",
            hold=True,
        )
        after = "closing" if any(b.role == "baffle" for b in r.blanks) else "fit"
        own: dict[str, tuple[Step, ...]] = {"material": (first,), "fit": (tab,), "dress": (cured,)}
        return own | {after: (*own.get(after, ()), lid)}

    def most_air_kpa(self, r: Results) -> float | None:
        """What a fuel tank's rule asks where it is small, a little where it is large: Bathyx's own line."""
        return SMALL_KPA if r.capacity.gross.value <= SMALL_L else LARGE_KPA

    def added(self, job: Job, r: Results) -> dict[str, Any]:
        """Thickness, glass, moduli, what fails first, resin and cloth."""
        layup = self.layup(job)
        made, panels = layup.made, self.panels(job, r)
        return {
            "thickness_mm": made.thick_mm,
            "kg_m2": made.kg_m2,
            "glass_share": made.glass_share,
            "bending_modulus_mpa": list(made.stiff.bending),
            "pulling_modulus_mpa": list(made.stiff.pulling),
            "fails_first": made.breaks[1],
            "moment_n": made.breaks[0],
            "resin_kg": sum(p.resin_kg for p in panels),
            "laid_kg": sum(p.kg for p in panels),
            "plies": [cloths()[ply.cloth].name for ply in layup.plies],
            "panel_layups": {own.face: str(own.whole(layup).words) for own in job.panel_layups},
        }
