"""Every paper of a job into one folder. A new paper is a file beside this one and a line here."""

from __future__ import annotations

import json
from pathlib import Path

from bathyx.core.evaluate import Evaluation, cuttable
from bathyx.core.sheet.flat.blank import Blank
from bathyx.core.units import Family
from bathyx.files import write_text
from bathyx.papers.figures import figures
from bathyx.papers.folder import file_names
from bathyx.papers.page.stationery import Stationery, stamp
from bathyx.register import JobRecord


def export_all(
    e: Evaluation,
    folder: Path,
    units: Family = Family.METRIC,
    record: JobRecord | None = None,
    serial: str | None = None,
    on: Stationery | None = None,
) -> list[Path]:
    """Write DXF and sheet per blank, cut list, traveller, dip table (CSV, PDF), dipstick (CSV, PDF), figures (JSON) and test
    record; returns the paths.

    `folder` is there and empty: `write_all` gives one and puts it in its place.

    Args:
        e: the evaluated job.
        folder: there and empty: `write_all` gives one and puts it in its place.
        units: metric or US, for every figure shown.
        record: what is on record; None for a job that was never recorded.
        serial: the tank's number, None before it has one.
        on: the shop's stationery.
    """
    from bathyx.papers.dip_table import followed, write_dip_csv, write_dip_pdf
    from bathyx.papers.dipstick import stick_of, write_dipstick_csv, write_dipstick_pdf
    from bathyx.papers.layup import write_layup
    from bathyx.papers.repair import write_repair
    from bathyx.papers.test_record import write_test_record
    from bathyx.papers.traveller import write_traveller

    cuttable(e)  # refused before anything is thought out
    record = record or JobRecord(())
    ticks = {k: f"{x.who}, {x.at[:16].replace('T', ' ')}" for k, x in record.standing_ticks.items()}
    on = (on or Stationery()).under(record)
    filled = followed(e, record.pouring)
    stick = stick_of(e, units, filled=filled)
    said = figures(e) | {"records": str(record.head) if on.foot else None}
    return [
        *write_cutting_papers(e, folder, units, on),
        write_traveller(e, folder / "traveller.pdf", units, ticks, on),
        write_dip_csv(e, folder / "dip-table.csv", filled),
        write_dip_pdf(e, folder / "dip-table.pdf", units, on, filled),
        write_dipstick_pdf(e, folder / "dipstick.pdf", stick, on.sheet),
        write_dipstick_csv(e, folder / "dipstick.csv", stick),
        write_test_record(e, record, serial, folder / "test-record.pdf", units, on),
        *([write_layup(e, folder / "lay-up.pdf", units, on)] if e.job.layup is not None else []),
        *([write_repair(e, record, serial, folder / "repair.pdf", units, on)] if e.job.repair is not None else []),
        write_text(folder / "figures.json", json.dumps(said, indent=2) + "\n"),
    ]


def write_cutting_papers(e: Evaluation, folder: Path, units: Family, on: Stationery | None = None) -> list[Path]:
    """DXF per blank, the cut list and a sheet for each blank, into a folder that is there.

    Args:
        e: the evaluated job.
        folder: that is there.
        units: metric or US, for every figure shown.
        on: the shop's stationery.
    """
    from bathyx.papers.blank_sheet import write_blank_sheets
    from bathyx.papers.cut_list import write_cut_list
    from bathyx.papers.machine.dxf import write_dxf

    names = file_names(b.name for b in cuttable(e).results.blanks)
    return [
        *(
            write_dxf(b, folder / f"{name}.dxf", piece_words(e, b, units))
            for b, name in zip(e.results.blanks, names, strict=True)
        ),
        write_cut_list(e, folder / "cut-list.pdf", units, on),
        write_blank_sheets(e, folder / "blanks.pdf", units, on),
    ]


def piece_words(e: Evaluation, blank: Blank, units: Family = Family.METRIC) -> tuple[str, ...]:
    """What stands beside a piece in a file for a cutting machine: name, metal, how many, whose, and of which drawing.

    Args:
        e: the evaluated job.
        blank: one of its blanks.
        units: metric or US, for the thickness.
    """
    sheet = e.results.skins.piece(e.results.sheet, blank.role, blank.faces, blank.thickness_mm)
    return (
        blank.name,
        f"{sheet.shown(units)}, 1 off",
        f"{e.job.brief.name}, as drawn {stamp(e.job)}",
        "inside faces you",
    )
