"""Does the job stand on figures of the shop's own tables?"""

from __future__ import annotations

from collections.abc import Iterator

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.job import Job
from bathyx.core.results import Results
from bathyx.core.tables import TABLES, named_in

WORDS = {
    "sheets": "sheet",
    "plastics": "plastic",
    "cloth": "cloth",
    "resins": "resin",
    "cores": "foam",
    "fluids": "fluid",
    "kinds": "fitting",
    "fitting_metals": "fitting material",
    "punches": "punch",
}


def check(job: Job, _: Results) -> Iterator[Finding]:
    """Each row that Bathyx does not ship is said, with what is changed in it and by whose word."""
    if job.other_rows:
        yield Finding(
            "brief.other_figures",
            "warn",
            f"The job came with another shop's own figures for {', '.join(job.other_rows)}; here it is worked out with those of "
            "this bench. Lay the rows into this shop's own tables where they are right",
            "rows that are known at a bench stand as they are there",
            "Bathyx's own rule: a job that is opened changes no other",
            "brief",
            "",
            ", ".join(job.other_rows),
            "looked over",
            Remedy("The figures of this bench", (("other_rows", ()),)),
        )
    if not any(table.own for table in TABLES.values()):
        return
    for name, rows in named_in(job.model_dump(mode="json")).items():
        table = TABLES[name]
        shipped = table.shipped()
        for key, row in rows.items():
            base = shipped.get(key)
            changed = sorted(n for n in row if n != "source" and (base is None or row[n] != base.get(n)))
            said = (
                "not one that ships with Bathyx" if base is None else f"changed in {', '.join(changed) or 'its source'}"
            )
            came = "it came with the job" if key in table.carried else "it stands in this shop's own table"
            yield Finding(
                "brief.own_figures",
                "note",
                f"The {WORDS[name]} {key} is {said}; {came}. What is worked out from it is as good as its figures",
                "own rows are laid over the tables that ship",
                str(row["source"]),
                "brief",
                "",
                f"{name}.toml, {key}",
                "its source looked over",
            )
