"""The test record: plate, drawing, what each seam and each test said, and the dip chart. Printed from the register."""

from __future__ import annotations

import io
from pathlib import Path
from typing import Any

from bathyx.core.evaluate import Evaluation
from bathyx.core.proving.hold import thinned
from bathyx.core.proving.plan import METHODS
from bathyx.core.units import Family, show, worded
from bathyx.draft.charts import dip_chart, trace_chart
from bathyx.draft.plate_view import HEIGHT_MM, WIDTH_MM, plate_view
from bathyx.draft.solid_view import Eye, Show, solid_view
from bathyx.draft.tank_views import tank_view
from bathyx.papers.lettering import REGULAR, draw
from bathyx.papers.pdf_picture import FULL_SIZE, paint
from bathyx.papers.plate import plate_data, proof_words
from bathyx.papers.seal import foot_words, seal_words, sealed
from bathyx.papers.sheet_of_paper import MARGIN, Paper
from bathyx.register import JobRecord


def write_test_record(e: Evaluation, record: JobRecord, serial: str | None, path: Path, units: Family) -> Path:
    """A4. A tank that is not proven gets a record that says NOT PROVEN in its head.

    Args:
        e: the evaluated job.
        record: what is on record.
        serial: the tank's number, None before it has one.
        path: file to write.
        units: metric or US, for every figure shown.
    """
    job, r = e.job, e.results
    proven = record.proven
    simulated = any(entry.payload.get("simulated") for entry in record.proof.entries)
    title = "Test record" if proven is not None else "Test record: NOT PROVEN"
    paper = Paper(
        path,
        title,
        f"{job.brief.name} for {job.brief.customer or 'stock'}, serial {serial or 'none yet'}",
        foot_words(record),
    )
    if simulated:
        paper.words("Made with the simulated gauge: a rehearsal, not a proof of any tank.", 10, "stop", True)
    if record.away:
        paper.words(
            "The register's server was away: records as last read here. Print again when it is back.", 10, "stop", True
        )
    data = plate_data(e, record, serial)
    seal = sealed(record, serial or "none yet", job.uid)
    height = HEIGHT_MM * FULL_SIZE
    paint(paper.canvas, plate_view(data), MARGIN, paper.y - height - 4, WIDTH_MM * FULL_SIZE, height + 4, FULL_SIZE)
    _code(paper, seal, MARGIN + (WIDTH_MM + 8) * FULL_SIZE, paper.y - height)
    paper.y -= height + 12
    paper.words(seal_words(record), 7.5)
    paper.picture(tank_view(e, units, across=True), 215, share=0.62)
    seams = {s.id: record.seam_state(s.edge) for s in r.seams}
    paper.picture(solid_view(e, units, Eye(), Show(r.capacity.fill_level_mm, seams)), 215, share=0.38, at=0.62)
    paper.heading("Tests")
    tests = record.tests
    for test, entry in record.proof.rows:
        if test is not None:
            stands = f"tight, {entry.at[:10]}, {entry.who}" if entry is not None else "NOT PROVEN"
            paper.words(worded(f"Plan: {test.words}: {stands}", units), 9, "go" if entry is not None else "stop")
    if not tests:
        paper.words("No test has been run.")
    for entry in tests:
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
            + (
                f"  Trouble on the gauge's line, {len(p['line'])} times: first {p['line'][0]}." if p.get("line") else ""
            ),
            8.5,
        )
        samples = thinned(record.trace(entry))
        if len(samples) > 8:
            paper.picture(
                trace_chart(samples, units), 130, "gauge pressure: as read (grey) and brought to the first temperature"
            )
    _fit_check(paper, record, units)
    paper.heading("Seams")
    rows = []
    for seam in r.seams:
        log = record.seam(seam.edge)
        welds = [x for x in log if x.kind == "weld"]
        said = "; ".join(
            f"{x.payload.get('process', '')} {x.payload.get('filler', '')} {x.payload.get('amps', '')} A, "
            f"pass {x.payload.get('pass', '')}: {x.payload.get('visual', '')}"
            for x in welds
        )
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
    paper.table(("seam", "between", "length", "welder", "how", "repairs"), rows, (0.6, 2.2, 0.8, 1.1, 3, 0.7), 8)
    notes = [x for x in record.of_kind("note") if x.subject == "note"]
    if notes:
        paper.heading("Notes")
        for x in notes:
            paper.words(f"{x.at[:10]} {x.who}: {x.payload['text']}", 9)
    paper.heading("Dip chart", 380)
    paper.picture(dip_chart(e, units), 380)
    paper.heading("Care")
    paper.words(
        "Look at mounts, straps, earth strap and the underside once a year. Wash salt off, keep wet packing away "
        "from the walls. A used fuel tank holds vapour: never weld it without cleaning, and where there is doubt "
        "leave it to those who do it professionally.",
        9,
    )
    paper.room(60)
    paper.y -= 30
    for left, word in ((MARGIN, "Tested by, date"), (MARGIN + 270, "Taken over by, date")):
        paper.canvas.line(left, paper.y, left + 220, paper.y)
        draw(paper.canvas, left, paper.y - 10, word, REGULAR, 8)
    return paper.finish()


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


def _planned(payload: dict[str, Any]) -> str:
    target = float(payload.get("target_kpa") or 0.0)
    return f"Planned: {target:.1f} kPa, {float(payload.get('hold_min') or 0.0):g} min. " if target else ""


def _code(paper: Paper, words: str, x: float, y: float) -> None:
    """A QR code of the serial, for the plate."""
    import segno
    from reportlab.lib.utils import ImageReader

    out = io.BytesIO()
    segno.make(words, error="m").save(out, kind="png", scale=8, border=1)
    out.seek(0)
    paper.canvas.drawImage(ImageReader(out), x, y, 66, 66)
