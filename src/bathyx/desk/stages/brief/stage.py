"""Brief: what it must hold, for whom, and how it lives."""

from __future__ import annotations

from bathyx.core.material import fluids
from bathyx.core.units import Family, show
from bathyx.desk.stages.brief.used import UsedTank
from bathyx.desk.stages.stage import Stage
from bathyx.desk.views.card import Card
from bathyx.desk.views.fields import Choice, Field, FigureLine, Tick, words
from bathyx.desk.views.tile_data import TileData
from bathyx.draft.brief_view import brief_view
from bathyx.draft.picture import Picture

DEMANDS = {
    "capacity": {"kind": "capacity", "litres": 50.0},
    "running": {"kind": "running", "litres_per_hour": 3.0, "hours": 10.0, "reserve_share": 0.15},
    "share": {"kind": "share", "system_litres": 40.0, "share": 0.1},
}


class BriefStage(Stage):
    """The brief's fields and a picture of what was asked against what the tank holds."""

    lit_flat, lit_solid = False, False

    def tile(self) -> TileData:
        """What is wanted."""
        wanted = self.bench.evaluation.results.wanted
        state, said = self.worst()
        other = Family.METRIC if self.bench.units.us else self.bench.inches
        shown, also = (show(wanted.value, "volume", units) for units in (self.bench.units, other))
        return TileData(shown, said or also, 1.0, state, wanted.explain())

    def flat(self) -> Picture:
        """Asked against held."""
        return brief_view(self.bench.evaluation, self.bench.units)

    def make_card(self) -> Card:
        """All of the brief."""
        b = self.bench
        card = Card(b)
        card.head("The brief", lambda: b.job.brief.customer)
        card.add(Field(b, "Job", "brief.name"))
        card.add(Field(b, "Customer", "brief.customer"))
        card.add(Field(b, "Maker", "maker"))
        card.add(Choice(b, "Fluid", "brief.fluid", [(f.key, f.name) for f in fluids().values()]))
        card.head("How much", lambda: show(b.evaluation.results.wanted.value, "volume", b.units))
        card.add(
            Choice(
                b,
                "Asked as",
                "brief.demand",
                [("capacity", "a capacity"), ("running", "a running time"), ("share", "share of a system")],
                take=self._ask_as,
                read=lambda: b.job.brief.demand.kind,
            )
        )
        self.fields = {
            "capacity": [Field(b, "Usable capacity", "brief.demand.litres", "volume")],
            "running": [
                Field(b, "Uses", "brief.demand.litres_per_hour", "rate"),
                Field(b, "Runs for", "brief.demand.hours", "hours"),
                Field(b, "Reserve", "brief.demand.reserve_share", "share"),
            ],
            "share": [
                Field(b, "System holds", "brief.demand.system_litres", "volume"),
                Field(b, "Share of it", "brief.demand.share", "share"),
            ],
        }
        for group in self.fields.values():
            for field in group:
                card.add(field)
        card.add(FigureLine(b, lambda: b.evaluation.results.wanted, large=True))
        card.head("How it lives", lambda: ("moves, " if b.job.brief.moving else "stands, ") + b.job.brief.pressure)
        card.add(Choice(b, "Pressure", "brief.pressure", [("vented", "vented"), ("pressurised", "pressurised")]))
        self.working = card.add(Field(b, "Working pressure", "brief.working_kpa", "pressure"))
        card.add(Tick(b, "It moves", "brief.moving"))
        self.braking = card.add(Field(b, "Brakes at", "brief.braking_g", "accel"))
        self.afloat = card.add(Tick(b, "In a boat", "brief.afloat"))
        card.add(Field(b, "Slope it works on", "brief.slope_deg", "angle"))
        card.add(Field(b, "Rolls by", "brief.roll_deg", "angle"))
        self.cornering = card.add(Field(b, "Takes curves at", "brief.cornering_g", "accel"))
        card.add(Field(b, "May weigh at most, full", "brief.most_kg", "mass", "no limit"))
        card.add(Choice(b, "Held by", "brief.held_by", [(k, k) for k in ("not said", "straps", "tabs", "cradle")]))
        self.flat_base = card.add(Tick(b, "On a flat base under all of it", "brief.flat_base"))
        card.head("Filling and warmth", lambda: show(b.job.brief.air_space_share, "share", b.units) + " air")
        card.add(Field(b, "Filler above the top", "brief.fill_rise_mm", "length"))
        card.add(Field(b, "Filled at", "brief.fill_l_min", "flow"))
        card.add(Field(b, "Hottest fluid", "brief.hottest_c", "temperature", "usual"))
        card.add(Field(b, "Air space", "brief.air_space_share", "share"))
        card.add(Field(b, "Warms up by", "brief.warm_up_k", "warming"))
        card.add(Field(b, "Level warning, usable left", "brief.warn_l", "volume", "2 L"))
        card.head("A used tank", lambda: "" if b.job.repair is None else "came in")
        card.add(UsedTank(b))
        self.caution = card.add(
            words(
                "A used tank that held fuel holds vapour. Do not weld, cut or grind it before it is cleaned and tested; "
                "where there is doubt leave it to those who do it professionally.",
                "caution",
            )
        )

        def also() -> None:
            plastic = b.evaluation.results.sheet.material.group == "plastic"
            self.flat_base.setVisible(plastic or b.job.brief.flat_base)
            kind = b.job.brief.demand.kind
            for name, group in self.fields.items():
                for field in group:
                    field.setVisible(name == kind)
            self.working.setVisible(b.job.brief.pressure == "pressurised")
            self.braking.setVisible(b.job.brief.moving)
            self.cornering.setVisible(b.job.brief.moving)
            self.caution.setVisible(b.evaluation.results.fluid.flammable)

        card.on_refresh(also)
        return card.finish()

    def _ask_as(self, kind: str) -> None:
        if kind != self.bench.job.brief.demand.kind:
            self.bench.edit({"brief.demand": DEMANDS[kind]}, "how it is asked")
