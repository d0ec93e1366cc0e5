"""A lay-up as the document has it: plies from the inside out, a foam between two of them, resin, catalyst; what it comes to."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property, lru_cache
from typing import Literal

import numpy as np
from pydantic import Field, field_validator, model_validator

from bathyx.core.formula import formula
from bathyx.core.laminate.stuff import Cloth, Core, Resin, cloths, cores, resins
from bathyx.core.laminate.theory import (
    ACROSS,
    E_GLASS,
    MATTED,
    NU_GLASS,
    RHO_GLASS,
    WAVY,
    Lamina,
    Stiffness,
    failure,
    stiffness,
)
from bathyx.core.tables import FORGET
from bathyx.core.units import Said, mm
from bathyx.core.units.frozen import Frozen
from bathyx.errors import Refusal

WRINKLE = formula(
    "laminate.wrinkle",
    "A face on foam wrinkles",
    "σ = 0.5 (E_f E_c G_c)^⅓",
    source="Hoff & Mautner, with the half that practice takes; Zenkert, Handbook of Sandwich Construction, from memory",
    valid="faces on foam that is thick beside them",
    check="tests/outside/test_laminates.py",
    tolerance="on the safe side",
)
SCHOOLS = {"table": "on a waxed table", "over_film": "in the hull, over film", "built_in": "built into the hull"}
PRESETS: dict[str, tuple[str, tuple[str, ...], tuple[str, float] | None]] = {
    "two": ("two layers of mat", ("csm450", "csm450"), None),
    "seal": ("three layers that seal", ("csm450", "db450", "csm450"), None),
    "lid": ("five layers of a supported lid", ("csm450", "db450", "csm450", "db450", "csm450"), None),
    "baffle": (
        "eight layers of a baffle",
        ("csm450", "db450", "csm450", "db450", "csm450", "db450", "csm450", "csm450"),
        None,
    ),
    "cored": ("foam, one cloth a side", ("1708", "1708"), ("pvc80", 12.7)),
    "cored_baffle": ("thinner foam, one cloth a side", ("1708", "1708"), ("pvc80", 10.0)),
}


class Ply(Frozen):
    """A ply: which cloth, and how its warp lies, degrees. `share` of glass by weight where it is not the cloth's own."""

    cloth: str = Field(max_length=40)
    angle_deg: float = Field(0.0, ge=-90, le=90)
    share: float | None = Field(None, ge=0.05, le=0.85)

    @field_validator("cloth")
    @classmethod
    def _on_a_roll(cls, key: str) -> str:
        if key not in cloths():
            raise Refusal(f"no cloth {key!r} on a roll; there are {', '.join(cloths())}")
        return key


class LayUp(Frozen):
    """Plies from the inside out. `core`: a foam of `core_mm` between ply `core_after` and the next. `catalyst_pct` by weight of
    resin, `room_c` where it is laid. `wax`: a last coat that cures in air."""

    resin: str = Field("vinylester", max_length=40)
    plies: tuple[Ply, ...] = Field(min_length=1, max_length=60)
    core: str = Field("", max_length=40)
    core_mm: float = Field(0.0, ge=0, le=200)
    core_after: int = Field(1, ge=1, le=59)
    catalyst_pct: float = Field(1.5, ge=0, le=100)
    room_c: float = Field(20.0, ge=0, le=45)
    school: Literal["table", "over_film", "built_in"] = "table"
    wax: bool = True

    @model_validator(mode="after")
    def _can_be_laid(self) -> LayUp:
        resin = resins().get(self.resin)
        if resin is None:
            raise Refusal(f"no resin {self.resin!r}; there are {', '.join(resins())}")
        low, high = resin.catalyst
        if not low <= self.catalyst_pct <= high:
            right = f"{low:g} % exactly, its hardener's ratio" if low == high else f"{low:g} to {high:g} %"
            raise Refusal(f"catalyst of {self.catalyst_pct:g} % for {resin.name.lower()}; it should be {right}")
        if self.core:
            if self.core not in cores():
                raise Refusal(f"no core {self.core!r}; there are {', '.join(cores())}")
            if self.core_mm not in cores()[self.core].thicknesses:
                offered = ", ".join(f"{t:g}" for t in cores()[self.core].thicknesses)
                raise Refusal(f"{cores()[self.core].name} comes in {offered} mm, not in {self.core_mm:g}")
            if self.core_after >= len(self.plies):
                raise Refusal(
                    f"a core after ply {self.core_after} of {len(self.plies)} has no ply outside; it needs one on each side"
                )
        return self

    @staticmethod
    def preset(name: str, resin: str = "vinylester") -> LayUp:
        """A lay-up of common practice. Refusal names them."""
        if name not in PRESETS:
            raise Refusal(f"no lay-up {name!r}; there are {', '.join(PRESETS)}")
        _, keys, core = PRESETS[name]
        low, high = resins()[resin].catalyst if resin in resins() else (1.5, 1.5)
        return LayUp(
            resin=resin,
            plies=tuple(Ply(cloth=key) for key in keys),
            core="" if core is None else core[0],
            core_mm=0.0 if core is None else core[1],
            core_after=max(1, len(keys) // 2),
            catalyst_pct=min(max(1.5, low), high),
        )

    @property
    def made(self) -> Laid:
        """What it comes to; kept by content, since a copy of a frozen value takes its memos along."""
        return _made(self)

    @property
    def words(self) -> Said:
        """The lay-up in a line, the inside first."""
        rows = [cloths()[ply.cloth].name for ply in self.plies]
        if self.core:
            rows.insert(self.core_after, f"{cores()[self.core].name} of {mm(self.core_mm, 1)}")
        return Said(f"{resins()[self.resin].name}: {', '.join(rows)}")


@dataclass(frozen=True)
class LaidPly:
    """A ply as laid: cloth, thickness (mm), glass and resin (kg/m2)."""

    cloth: Cloth
    mm: float
    glass_kg_m2: float
    resin_kg_m2: float


class Laid:
    """What a lay-up comes to: thickness, masses, stiffness and strength of a metre of it."""

    def __init__(self, layup: LayUp) -> None:
        """Work it out.

        Args:
            layup: plies, resin, core.
        """
        self.layup = layup
        self.resin: Resin = resins()[layup.resin]
        self.core: Core | None = cores()[layup.core] if layup.core else None
        self.plies = tuple(_laid(cloths()[ply.cloth], ply.share, self.resin) for ply in layup.plies)

    @cached_property
    def layers(self) -> tuple[Lamina, ...]:
        """Layers of the theory, the inside first."""
        found: list[Lamina] = []
        for number, (ply, laid) in enumerate(zip(self.layup.plies, self.plies, strict=True), start=1):
            found += _laminas(laid, ply.angle_deg, self.resin)
            if self.core is not None and number == self.layup.core_after:
                nu = 0.3
                found.append(
                    Lamina(
                        self.layup.core_mm,
                        self.core.modulus,
                        self.core.modulus,
                        nu,
                        self.core.shear_modulus,
                        name=self.core.name,
                        core=True,
                    )
                )
        return tuple(found)

    @cached_property
    def stiff(self) -> Stiffness:
        """Its stiffness."""
        return stiffness(self.layers)

    @property
    def thick_mm(self) -> float:
        """Thickness, mm."""
        return float(sum(layer.mm for layer in self.layers))

    @property
    def glass_kg_m2(self) -> float:
        """Glass, kg/m2."""
        return sum(ply.glass_kg_m2 for ply in self.plies)

    @property
    def resin_kg_m2(self) -> float:
        """Resin that stays in it, kg/m2: a core drinks 0.25 a side besides."""
        return sum(ply.resin_kg_m2 for ply in self.plies) + (0.5 if self.core is not None else 0.0)

    @property
    def kg_m2(self) -> float:
        """Mass, kg/m2."""
        foam = 0.0 if self.core is None else self.core.density * self.layup.core_mm / 1000
        return self.glass_kg_m2 + self.resin_kg_m2 + foam

    @property
    def glass_share(self) -> float:
        """Of glass by weight, without the core."""
        return self.glass_kg_m2 / (self.glass_kg_m2 + self.resin_kg_m2)

    @property
    def bending_mpa(self) -> float:
        """Modulus of a plate of one stuff as thick and as stiff to bend: the lesser of both ways."""
        return min(self.stiff.bending)

    @cached_property
    def breaks(self) -> tuple[float, str]:
        """(moment a millimetre at which it begins to fail, N; what fails): the weaker way round and across, face wrinkling too."""
        found = []
        for way in (0, 1):
            for sign in (1.0, -1.0):
                moment = np.zeros(3)
                moment[way] = sign
                share, what = failure(self.stiff, np.zeros(3), moment)
                found.append((float(1 / share), what))
        least, what = min(found)
        wrinkles = self._wrinkles()
        return (wrinkles, "a face wrinkles on its foam") if wrinkles < least else (least, what)

    def _wrinkles(self) -> float:
        if self.core is None:
            return float("inf")
        split = next(k for k, layer in enumerate(self.layers) if layer.core)
        sides = (self.layers[:split], self.layers[split + 1 :])
        arm = self.layup.core_mm + sum(sum(layer.mm for layer in side) for side in sides) / 2
        least = float("inf")
        for side in sides:
            face = min(stiffness(side).pulling)
            stress = 0.5 * (face * self.core.modulus * self.core.shear_modulus) ** (1 / 3)
            least = min(least, stress * sum(layer.mm for layer in side) * arm)
        return least

    @property
    def bends_at_mpa(self) -> float:
        """Stress of a plate of one stuff as thick, 6 M / t², at which the laminate begins to fail."""
        return 6 * self.breaks[0] / self.thick_mm**2


@lru_cache(maxsize=128)
def _made(layup: LayUp) -> Laid:
    return Laid(layup)


def _laid(cloth: Cloth, share: float | None, resin: Resin) -> LaidPly:
    """A ply by the share of its glass."""
    glass = cloth.grams / 1000
    wet = glass * (1 - (share or cloth.share)) / (share or cloth.share)
    return LaidPly(cloth, 1000 * (glass / RHO_GLASS + wet / resin.density), glass, wet)


def _laminas(laid: LaidPly, angle: float, resin: Resin) -> list[Lamina]:
    """The layers of a ply, each with its share of the thickness by its glass; mat last."""
    cloth = laid.cloth
    volume = (laid.glass_kg_m2 / RHO_GLASS) / (laid.mm / 1000)
    g_m, g_f = resin.modulus / (2 * (1 + resin.poisson)), E_GLASS / (2 * (1 + NU_GLASS))
    e1 = volume * E_GLASS + (1 - volume) * resin.modulus
    e2, g = _halpin(E_GLASS, resin.modulus, volume, 2.0), _halpin(g_f, g_m, volume, 1.0)
    nu = volume * NU_GLASS + (1 - volume) * resin.poisson
    rows = [
        Lamina(laid.mm * grams / cloth.grams, e1, e2, nu, g, angle + turn, name=cloth.name)
        for turn, grams in cloth.layers
    ]
    if cloth.mat_g:
        e = WAVY * (3 / 8 * e1 + 5 / 8 * e2)
        shear = WAVY * (e1 / 8 + e2 / 4)
        rows.append(
            Lamina(
                laid.mm * cloth.mat_g / cloth.grams,
                e,
                e,
                e / (2 * shear) - 1,
                shear,
                angle,
                MATTED,
                MATTED,
                MATTED,
                2 * MATTED,
                cloth.name,
            )
        )
    return rows


def _halpin(fibre: float, matrix: float, volume: float, xi: float) -> float:
    eta = (fibre / matrix - 1) / (fibre / matrix + xi)
    return matrix * (1 + xi * eta * volume) / (1 - eta * volume)


__all__ = ["ACROSS", "PRESETS", "SCHOOLS", "Laid", "LayUp", "Ply"]

FORGET.append(_made.cache_clear)
