"""Sheet stock and fluids: what they are, what suits what, and where each row comes from."""

from bathyx.core.material.fitting_metals import FittingMetal, fitting_metals
from bathyx.core.material.fluids import Fluid, fluid, fluids
from bathyx.core.material.plastics import PROCESSES, Plastic, plastic, plastics
from bathyx.core.material.sections import Section, section, sections
from bathyx.core.material.sheets import Sheet, SheetError, SheetMaterial, materials, parse_sheet, sheet

__all__ = [
    "PROCESSES",
    "FittingMetal",
    "Fluid",
    "Plastic",
    "Section",
    "Sheet",
    "SheetError",
    "SheetMaterial",
    "fitting_metals",
    "fluid",
    "fluids",
    "materials",
    "parse_sheet",
    "plastic",
    "plastics",
    "section",
    "sections",
    "sheet",
]
