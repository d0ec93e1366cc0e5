"""The test record: plate, drawing, what each seam and each test said, and the dip chart. Printed from the register."""

from __future__ import annotations

import io
from pathlib import Path
from typing import Any

from reportlab.pdfgen.canvas import Canvas

from bathyx.core.build.welds import weld_words
from bathyx.core.evaluate import Evaluation
from bathyx.core.proving.hold import thinned
from bathyx.core.proving.judgement import LET_OUT, SET_UP
from bathyx.core.proving.plan import METHODS
from bathyx.core.proving.runs import Run, number_in
from bathyx.core.units import Family, Said, kpa, litres, show, worded
from bathyx.draft.charts import dip_chart, trace_chart
from bathyx.draft.plate_view import HEIGHT_MM, WIDTH_MM, plate_view
from bathyx.draft.solid_view import Eye, Show, solid_view
from bathyx.draft.tank_views import tank_view
from bathyx.papers.dip_table import followed
from bathyx.papers.page.pdf_picture import FULL_SIZE, paint
from bathyx.papers.page.sheet_of_paper import Painted, Paper
from bathyx.papers.page.stationery import Stationery
from bathyx.papers.plate import plate_data, proof_words
from bathyx.papers.seal import seal_words, sealed
from bathyx.register import Entry, JobRecord


def write_test_record(
    e: Evaluation, record: JobRecord, serial: str | None, path: Path, units: Family, on: Stationery | None = None
) -> Path:
    """A tank that is not proven gets a record that says NOT PROVEN in its head.

    Args:
        e: the evaluated job.
        record: what is on record.
        serial: the tank's number, None before it has one.
        path: file to write.
        units: metric or US, for every figure shown.
        on: the shop's stationery.
    """
    job, r = e.job, e.results
    proof = record.proof
    title = "Test record" if proof.whole else f"Test record: {proof.headline}"
    paper = Paper(
        path,
        title,
        f"{job.brief.name} for {job.brief.customer or 'stock'}, serial {serial or 'none yet'}",
        (on or Stationery()).under(record),
        e,
    )
    if job.repair is not None:
        paper.words("A repaired tank, whose design is unknown: tested as it is, old seams too.", 10, "stop", True)
    if proof.simulated:
        paper.words("Made with the simulated gauge: a rehearsal, not a proof of any tank.", 10, "stop", True)
    if record.away:
        paper.words(
            "The register's server was away: records as last read here. Print again when it is back.", 10, "stop", True
        )
    data = plate_data(e, record, serial)
    seal = sealed(record, serial or "none yet", job.uid)
    height = HEIGHT_MM * FULL_SIZE

    def plate(canvas: Canvas, _wide: float) -> None:
        paint(canvas, plate_view(data), 0.0, 8.0, WIDTH_MM * FULL_SIZE, height + 4, FULL_SIZE)
        _code(canvas, seal, (WIDTH_MM + 8) * FULL_SIZE, 10.0)

    paper.add(Painted(height + 12, plate))
    paper.words(seal_words(record), 7.5)
    paper.picture(tank_view(e, units, across=True), 215, share=0.62)
    seams = {s.id: record.seam_state(s.edge) for s in r.seams}
    paper.picture(solid_view(e, units, Eye(), Show(r.capacity.fill_level_mm, seams)), 215, share=0.38, at=0.62)
    _tests(paper, record, units)
    _fit_check(paper, record, units)
    paper.heading("Seams")
    rows = []
    for seam in (*r.seams, *(ring for ring in r.rings if record.seam(ring.edge))):
        log = record.seam(seam.edge)
        welds = [x for x in log if x.kind == "weld"]
        said = "; ".join(weld_words(x.payload) for x in welds)
        rows.append(
            (
                seam.id,
                seam.title,
                show(seam.length_mm, "length", units),
                ", ".join(dict.fromkeys(x.who for x in welds)),
                said or "not logged",
                str(record.repairs(seam.edge)),
            )
        )
    paper.table(("seam", "between", "length", "welder", "how", "repairs"), rows, (0.6, 2.1, 1.1, 1.0, 2.7, 0.9), 8)
    notes = [x for x in record.of_kind("note") if x.subject in ("note", LET_OUT)]
    if notes:
        paper.heading("Notes")
        for x in notes:
            paper.words(f"{x.at[:10]} {x.who}: {x.payload['text']}", 9)
    paper.heading("Dip chart", 380)
    paper.picture(dip_chart(e, units, filled=followed(e, record.pouring)), 380)
    paper.heading("Care")
    paper.words(
        "Look at mounts, straps, earth strap and the underside once a year. Wash salt off, keep wet packing away "
        "from the walls. A used fuel tank holds vapour: never weld it without cleaning, and where there is doubt "
        "leave it to those who do it professionally.",
        9,
    )
    paper.signatures("Tested by, date", "Taken over by, date")
    return paper.finish()


def _tests(paper: Paper, record: JobRecord, units: Family) -> None:
    """Where each planned test stands, what stands against the tank, and every run."""
    paper.heading("Tests")
    proof = record.proof
    for t in proof.tests:
        if t.test is not None:
            entry = t.proving
            stands = f"tight, {entry.at[:10]}, {entry.who}" if entry is not None else f"NOT PROVEN, {t.state}"
            paper.words(worded(f"Plan: {t.test.words}: {stands}", units), 9, "go" if entry is not None else "stop")
    for why in proof.against:
        paper.words(worded(why, units), 9, "stop", True)
    for given in record.of_kind("certificate"):
        if given.payload.get("despite"):
            paper.words(
                f"Handed over all the same, {given.at[:10]}, by {given.who}: {given.payload.get('reason', '')}",
                9,
                "stop",
                True,
            )
    for mended in record.of_kind("repair"):
        if mended.subject == SET_UP:
            paper.words(f"{mended.at[:10]} {mended.who}, of the set-up: {mended.payload.get('note', '')}", 9)
    if not record.tests:
        paper.words("No test has been run.")
    for entry in record.tests:
        _run(paper, record, entry, units)


def _run(paper: Paper, record: JobRecord, entry: Entry, units: Family) -> None:
    """One run: what was done, what it said, on which set-up, and its trace."""
    p = entry.payload
    paper.words(
        f"{entry.at[:16].replace('T', ' ')}  {'REHEARSAL, proves nothing: ' if p.get('rehearsal') else ''}"
        f"{METHODS.get(p['method'], p['method'])} of {p.get('what', 'tank')}: {proof_words(p)}, by {entry.who}: "
        f"{p['verdict'].upper()}",
        9.5,
        "go" if p["verdict"] == "tight" else "stop",
        True,
    )
    paper.words(
        worded(f"{_sentence(p.get('reason', ''))}{_planned(p)}Gauge: {p.get('gauge', 'none')}.", units)
        + (f"  Over what the tank bears because: {p['override']}." if p.get("override") else "")
        + (f"  Less than the least: {p['less_than_least']}." if p.get("less_than_least") else "")
        + worded(_set_up(entry), units)
        + (f"  Trouble on the gauge's line, {len(p['line'])} times: first {p['line'][0]}." if p.get("line") else ""),
        8.5,
    )
    samples = thinned(record.trace(entry))
    if len(samples) > 8:
        paper.picture(
            trace_chart(samples, units), 130, "gauge pressure: as read (grey) and brought to the first temperature"
        )


def _sentence(text: str) -> str:
    return f"{text[:1].upper()}{text[1:]}. " if text else ""


def _fit_check(paper: Paper, record: JobRecord, units: Family) -> None:
    """What was promised of the way in, against what was found."""
    fit = record.ticks.get("fit")
    if fit is None or not fit.payload.get("found"):
        return
    paper.heading("Fit check, tacked only")
    paper.words(worded(f"Promised: {fit.payload['promised']}", units), 9)
    paper.words(f"Found: {fit.payload['found']} ({fit.at[:10]}, {fit.who})", 9, bold=True)


def _set_up(entry: Entry) -> str:
    """What a reader needs to judge a run by: volume, weather, thermometer, the gauge's check, what was blanked off."""
    run = Run(entry)
    terms, kind = run.terms, run.read_kind
    if kind is None:
        return ""
    volume, high = number_in(terms.get("volume_l")), number_in(terms.get("altitude_m"))
    said = [f"air volume {litres(volume)}"] if volume is not None and run.pressed else []
    if run.pressed:
        said.append(
            f"gauge to {kpa(kind.range_kpa, None)}, off by {kpa(kind.off_kpa, 2)} at most, {kind.check_words(entry.at[:10])}"
        )
        said.append(
            f"blanked off with {terms['blanked']}" if terms.get("blanked") else "what was blanked off is not on record"
        )
    if run.method == "decay":
        said.append(
            f"weather {terms.get('weather', 'not said')}, altitude {'not known' if high is None else f'{high:g} m'}"
        )
    said += [f"thermometer {terms['thermometer']}"] if terms.get("thermometer") else []
    brought = run.p.get("brought_in")
    if isinstance(brought, dict):
        said.append(f"brought in from {brought.get('name', 'a file')}, SHA-256 {str(brought.get('sha256', ''))[:16]}")
        said.append(
            f"logged until {brought['ended_at']}"
            if brought.get("ended_at")
            else "when it was logged is not in the file"
        )
    begun = run.p.get("begun_by")
    said += [f"begun by {begun}"] if begun else []
    return Said(f"  Set-up: {'; '.join(said)}.") if said else ""


def _planned(payload: dict[str, Any]) -> str:
    target = float(payload.get("target_kpa") or 0.0)
    return f"Planned: {target:.1f} kPa, {float(payload.get('hold_min') or 0.0):g} min. " if target else ""


def _code(canvas: Canvas, words: str, x: float, y: float) -> None:
    """A QR code of the serial, for the plate."""
    import segno
    from reportlab.lib.utils import ImageReader

    out = io.BytesIO()
    segno.make(words, error="m").save(out, kind="png", scale=8, border=1)
    out.seek(0)
    canvas.drawImage(ImageReader(out), x, y, 66, 66)
