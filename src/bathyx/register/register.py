"""The register's doors: open it, freeze a revision, add an entry, find a tank, prove that the past is unchanged."""

from __future__ import annotations

import hashlib
import json
import re
from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime
from functools import lru_cache
from pathlib import Path
from typing import Any

from sqlalchemy import create_engine, event, func, or_, select, text
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session

from bathyx.core.job import BUILT_PARTS, Job, JobError, read_job
from bathyx.core.proving.decay import Sample
from bathyx.register.models import EntryRow, JobRow, RevisionRow

HEAD = "0001"
FIRST_HASH = "0" * 64
KINDS = ("revision", "tick", "weld", "repair", "leak", "hold", "readings", "test", "certificate", "note")


class RegisterError(Exception):
    """The register cannot do what was asked; the message says why and what to do."""


@dataclass(frozen=True)
class Entry:
    """A record as read."""

    id: int
    job_uid: str
    revision: int
    kind: str
    subject: str
    payload: dict[str, Any]
    who: str
    at: str
    corrects: int | None
    hash: str


@dataclass(frozen=True)
class Found:
    """A tank found in the register, with its newest revision."""

    uid: str
    serial: str
    name: str
    customer: str
    fluid: str
    opened_at: str
    revision: int
    document: str


@dataclass(frozen=True)
class Broken:
    """A place where the chain of records does not hold."""

    entry_id: int
    reason: str


def _now() -> str:
    return datetime.now().astimezone().isoformat(timespec="seconds")


class Register:
    """A register on SQLite (a path) or another database (an SQLAlchemy URL)."""

    def __init__(self, where: str | Path, now: Callable[[], str] = _now) -> None:
        """Open, creating or migrating as needed. RegisterError when it is newer than this Bathyx or not a register."""
        self.url = str(where) if "://" in str(where) else f"sqlite:///{Path(where).absolute()}"
        if self.url.startswith("sqlite:///"):
            Path(self.url.removeprefix("sqlite:///")).parent.mkdir(parents=True, exist_ok=True)
        self._now = now
        self.engine = create_engine(self.url)
        if self.engine.dialect.name == "sqlite":
            event.listen(self.engine, "connect", _durable)
            event.listen(self.engine, "begin", lambda c: c.exec_driver_sql("BEGIN IMMEDIATE"))
        self._bring_up_to_date()

    def close(self) -> None:
        """Give the connections back."""
        self.engine.dispose()

    def _bring_up_to_date(self) -> None:
        try:
            with self.engine.connect() as connection:
                version = connection.execute(text("SELECT version_num FROM alembic_version")).scalar()
        except SQLAlchemyError as error:
            if "not a database" in str(error) or "malformed" in str(error):
                raise RegisterError(f"{self.url} is not a readable register; restore it from a copy") from None
            version = None
        if version == HEAD:
            return
        if version is not None and version > HEAD:
            raise RegisterError(
                f"{self.url} was written by a newer Bathyx (version {version}); update Bathyx to open it"
            )
        from bathyx.register.migrate import upgrade

        upgrade(self.url)

    # -- adding ---------------------------------------------------------------------------------------------------

    def freeze(self, job: Job, who: str) -> int:
        """The number of the revision with this document, added when the document is new. Assigns the serial number."""
        document = job.to_json()
        digest = hashlib.sha256(document.encode()).hexdigest()
        with self._writing() as session:
            if session.get(JobRow, job.uid) is None:
                session.add(JobRow(uid=job.uid, serial=self._next_serial(session, job.maker), opened_at=self._now()))
                session.flush()
            newest = session.scalar(
                select(RevisionRow).where(RevisionRow.job_uid == job.uid).order_by(RevisionRow.number.desc()).limit(1)
            )
            if newest is not None and newest.sha256 == digest:
                return newest.number
            number = 1 if newest is None else newest.number + 1
            session.add(
                RevisionRow(
                    job_uid=job.uid,
                    number=number,
                    name=job.brief.name,
                    customer=job.brief.customer,
                    fluid=job.brief.fluid,
                    at=self._now(),
                    document=document,
                    sha256=digest,
                )
            )
            self._append(session, job.uid, number, "revision", f"revision {number}", {"sha256": digest}, who, None)
            return number

    def add(
        self, job: Job, kind: str, subject: str, payload: dict[str, Any], who: str, corrects: int | None = None
    ) -> Entry:
        """Add a record for the job as it stands (freezing its revision first). RegisterError for a missing name or kind."""
        if kind not in KINDS:
            raise RegisterError(f"no record kind {kind!r}; there are {', '.join(KINDS)}")
        if not who.strip():
            raise RegisterError("a record needs the name of who made it; type it first")
        revision = self.freeze(job, who)
        with self._writing() as session:
            if corrects is not None:
                old = session.get(EntryRow, corrects)
                if old is None or old.job_uid != job.uid:
                    raise RegisterError(f"entry {corrects} is not a record of this tank; nothing was corrected")
            return _entry(self._append(session, job.uid, revision, kind, subject, payload, who.strip(), corrects))

    def add_readings(self, hold: Entry, rows: list[list[float]], who: str) -> Entry:
        """Add readings to a hold, under the revision it was begun on. RegisterError when they cannot be written."""
        with self._writing() as session:
            payload = {"rows": rows}
            return _entry(
                self._append(session, hold.job_uid, hold.revision, "readings", str(hold.id), payload, who.strip(), None)
            )

    def add_test(self, job: Job, hold: Entry, payload: dict[str, Any], who: str) -> Entry:
        """Finish a hold as a test of the design it was begun on. RegisterError when it is finished already or not this job's."""
        if not who.strip():
            raise RegisterError("a record needs the name of who made it; type it first")
        if hold.job_uid != job.uid:
            raise RegisterError("the hold belongs to another tank; nothing was recorded")
        with self._writing() as session:
            rows = session.scalars(select(EntryRow).where(EntryRow.job_uid == job.uid, EntryRow.kind == "test"))
            if any(json.loads(row.payload).get("hold") == hold.id for row in rows):
                raise RegisterError("this hold is on record already, finished at another bench")
            return _entry(
                self._append(session, job.uid, hold.revision, "test", hold.subject, payload, who.strip(), None)
            )

    def _writing(self) -> Any:
        return _Writing(Session(self.engine))

    def _append(
        self,
        session: Session,
        uid: str,
        revision: int,
        kind: str,
        subject: str,
        payload: dict[str, Any],
        who: str,
        corrects: int | None,
    ) -> EntryRow:
        last = session.scalar(select(EntryRow).order_by(EntryRow.id.desc()).limit(1))
        row = EntryRow(
            id=1 if last is None else last.id + 1,
            job_uid=uid,
            revision=revision,
            kind=kind,
            subject=subject,
            payload=json.dumps(payload, sort_keys=True, ensure_ascii=False),
            who=who,
            at=self._now(),
            corrects=corrects,
            previous_hash=FIRST_HASH if last is None else last.hash,
        )
        row.hash = _digest(row)
        session.add(row)
        session.flush()
        return row

    def _next_serial(self, session: Session, maker: str) -> str:
        letters = "".join(word[0] for word in re.findall(r"[A-Za-z]+", maker))[:3].upper() or "BX"
        year = self._now()[:4]
        count = session.scalar(
            select(func.count()).select_from(JobRow).where(JobRow.serial.like(f"{letters}-{year}-%"))
        )
        return f"{letters}-{year}-{(count or 0) + 1:04d}"

    # -- reading --------------------------------------------------------------------------------------------------

    def entries(self, uid: str) -> tuple[Entry, ...]:
        """All records of a job but the readings of its holds, oldest first."""
        with Session(self.engine) as session:
            wanted = (EntryRow.job_uid == uid) & (EntryRow.kind != "readings")
            return tuple(_entry(row) for row in session.scalars(select(EntryRow).where(wanted).order_by(EntryRow.id)))

    def readings(self, hold: Entry) -> tuple[Sample, ...]:
        """The readings of a hold in their order."""
        with Session(self.engine) as session:
            wanted = (
                (EntryRow.job_uid == hold.job_uid) & (EntryRow.kind == "readings") & (EntryRow.subject == str(hold.id))
            )
            rows = session.scalars(select(EntryRow).where(wanted).order_by(EntryRow.id))
            return tuple(Sample(*row) for entry in rows for row in json.loads(entry.payload)["rows"])

    def last_reading_at(self, hold: Entry) -> str:
        """When the last readings of a hold came on record; empty when none did."""
        with Session(self.engine) as session:
            wanted = (
                (EntryRow.job_uid == hold.job_uid) & (EntryRow.kind == "readings") & (EntryRow.subject == str(hold.id))
            )
            return session.scalar(select(EntryRow.at).where(wanted).order_by(EntryRow.id.desc()).limit(1)) or ""

    def serial(self, uid: str) -> str | None:
        """The serial number of a job, or None before building has started."""
        with Session(self.engine) as session:
            row = session.get(JobRow, uid)
            return None if row is None else row.serial

    def revision_of(self, job: Job) -> tuple[int, bool]:
        """(newest revision number or 0, whether the job still is what it froze)."""
        digest = hashlib.sha256(job.to_json().encode()).hexdigest()
        with Session(self.engine) as session:
            row = session.scalar(
                select(RevisionRow).where(RevisionRow.job_uid == job.uid).order_by(RevisionRow.number.desc()).limit(1)
            )
            return (0, False) if row is None else (row.number, row.sha256 == digest)

    def same_build(self, job: Job) -> frozenset[int]:
        """Numbers of the revisions whose tank, make-up and inside are those of `job`: what a test of them proves."""
        built = _built(job)
        with Session(self.engine) as session:
            rows = session.scalars(select(RevisionRow).where(RevisionRow.job_uid == job.uid))
            return frozenset(row.number for row in rows if _built_of(row.document) == built)

    def document(self, uid: str, number: int) -> str:
        """The document of a revision. RegisterError when there is none."""
        with Session(self.engine) as session:
            row = session.scalar(select(RevisionRow).where(RevisionRow.job_uid == uid, RevisionRow.number == number))
            if row is None:
                raise RegisterError(f"job {uid} has no revision {number}")
            return row.document

    def find(self, words: str = "", fluid: str = "", since: str = "", until: str = "") -> tuple[Found, ...]:
        """Tanks whose serial, name or customer holds `words`; by fluid key; opened between two dates (YYYY-MM-DD)."""
        newest = (
            select(RevisionRow.job_uid, func.max(RevisionRow.number).label("n"))
            .group_by(RevisionRow.job_uid)
            .subquery()
        )
        query = (
            select(JobRow, RevisionRow)
            .join(newest, newest.c.job_uid == JobRow.uid)
            .join(RevisionRow, (RevisionRow.job_uid == JobRow.uid) & (RevisionRow.number == newest.c.n))
            .order_by(JobRow.opened_at.desc(), JobRow.serial.desc())
        )
        for word in words.split():
            like = f"%{word}%"
            query = query.where(
                or_(
                    JobRow.serial.ilike(like),
                    RevisionRow.name.ilike(like),
                    RevisionRow.customer.ilike(like),
                    RevisionRow.fluid.ilike(like),
                )
            )
        if fluid:
            query = query.where(RevisionRow.fluid == fluid)
        if since:
            query = query.where(JobRow.opened_at >= since)
        if until:
            query = query.where(JobRow.opened_at < until + "\uffff")
        with Session(self.engine) as session:
            return tuple(
                Found(j.uid, j.serial, r.name, r.customer, r.fluid, j.opened_at, r.number, r.document)
                for j, r in session.execute(query)
            )

    def verify(self) -> tuple[Broken, ...]:
        """Every place where a record, its predecessor's hash or a frozen document has been changed; empty when whole."""
        broken, previous = [], FIRST_HASH
        with Session(self.engine) as session:
            documents = {(r.job_uid, r.number): r.document for r in session.scalars(select(RevisionRow))}
            expected = 1
            for row in session.scalars(select(EntryRow).order_by(EntryRow.id)):
                if row.id != expected:
                    broken.append(Broken(row.id, f"records {expected} to {row.id - 1} are missing"))
                if row.previous_hash != previous:
                    broken.append(Broken(row.id, "does not follow the record before it"))
                if _digest(row) != row.hash:
                    broken.append(Broken(row.id, "was changed after it was written"))
                if row.kind == "revision":
                    document = documents.get((row.job_uid, row.revision), "")
                    if hashlib.sha256(document.encode()).hexdigest() != json.loads(row.payload)["sha256"]:
                        broken.append(Broken(row.id, f"the document of revision {row.revision} was changed"))
                previous, expected = row.hash, row.id + 1
        return tuple(broken)


def _built(job: Job) -> str:
    return json.dumps(job.model_dump(mode="json", include=set(BUILT_PARTS)), sort_keys=True)


@lru_cache(maxsize=64)
def _built_of(document: str) -> str:
    """What the metal of a frozen document is cut to, as this Bathyx writes it; the document itself when it is unreadable."""
    try:
        return _built(read_job(document))
    except JobError:
        return document


class _Writing:
    """A transaction that takes the write lock at once, commits on success, and explains a full disk or a lock."""

    def __init__(self, session: Session) -> None:
        self.session = session

    def __enter__(self) -> Session:
        return self.session

    def __exit__(self, kind: Any, error: Any, trace: Any) -> None:
        try:
            if error is None:
                self.session.commit()
            else:
                self.session.rollback()
        except SQLAlchemyError as problem:
            self.session.rollback()
            raise RegisterError(
                f"nothing was written ({problem.__cause__ or problem}); what stood before is whole"
            ) from problem
        finally:
            self.session.close()
        if isinstance(error, SQLAlchemyError):
            raise RegisterError(
                f"nothing was written ({error.__cause__ or error}); what stood before is whole"
            ) from error


def _durable(connection: Any, _record: Any) -> None:
    connection.isolation_level = None  # transactions are begun by the listener above, with the write lock
    cursor = connection.cursor()
    for pragma in ("journal_mode=WAL", "synchronous=FULL", "foreign_keys=ON", "busy_timeout=5000"):
        cursor.execute(f"PRAGMA {pragma}")
    cursor.close()


def _digest(row: EntryRow) -> str:
    content = [
        row.previous_hash,
        row.id,
        row.job_uid,
        row.revision,
        row.kind,
        row.subject,
        row.payload,
        row.who,
        row.at,
        row.corrects,
    ]
    return hashlib.sha256(json.dumps(content, ensure_ascii=False).encode()).hexdigest()


def _entry(row: EntryRow) -> Entry:
    return Entry(
        row.id,
        row.job_uid,
        row.revision,
        row.kind,
        row.subject,
        json.loads(row.payload),
        row.who,
        row.at,
        row.corrects,
        row.hash,
    )
