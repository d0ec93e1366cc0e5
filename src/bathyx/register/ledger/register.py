"""The register's doors: open it, freeze a revision, add an entry, find a tank, prove that the past is unchanged."""

from __future__ import annotations

import json
import uuid
from collections.abc import Callable, Iterator, Sequence
from datetime import datetime
from pathlib import Path
from typing import Any

from sqlalchemy import text

from bathyx.core.job import Job
from bathyx.core.proving.decay import Sample
from bathyx.core.proving.runs import corrects_well
from bathyx.errors import brief
from bathyx.register.bench.built import built_of, built_parts
from bathyx.register.errors import RegisterError
from bathyx.register.ledger.adding import Adding, newest_of
from bathyx.register.ledger.chain import FIRST_HASH, Broken, Head, broken_places, head_of, sha256
from bathyx.register.ledger.entries import COLUMNS, Entry, Found, entry_of
from bathyx.register.ledger.guards import broken_guards
from bathyx.register.ledger.heads import HeadsFile
from bathyx.register.ledger.keys import ShopKey
from bathyx.register.opening.place import Place

KINDS = (
    "tick",
    "weld",
    "repair",
    "leak",
    "hold",
    "question",
    "readings",
    "test",
    "certificate",
    "filled",
    "note",
    "gate",
)
MOST_FOUND = 200
BY_A_HOLD = ("readings", "test")
NO_NAME = "a record needs the name of who made it; type it first"


def _now() -> str:
    return datetime.now().astimezone().isoformat(timespec="seconds")


class Register:
    """A register on SQLite (a path) or on a PostgreSQL server (a URL)."""

    def __init__(
        self,
        where: str | Path,
        now: Callable[[], str] = _now,
        key: ShopKey | None = None,
        read_only: bool = False,
        heads: Path | None = None,
    ) -> None:
        """Open, creating or migrating as needed.

        Args:
            where: a path, or a URL like postgresql://name@server/bathyx.
            now: the time that goes on records, ISO 8601 with its offset.
            key: the shop's key, which signs the heads that are noted beside the register.
            read_only: nothing is made, migrated or added.
            heads: where heads are noted of a register that has no file beside which to do so.

        Raises:
            RegisterError: with its `kind`, when what stands there cannot be opened as a register.
        """
        self._now, self.key = now, key
        self.place = Place(where, read_only, heads)

    @property
    def path(self) -> Path | None:
        """The file, where it is one."""
        return self.place.path

    def close(self) -> None:
        """Give the connections back."""
        self.place.close()

    # -- adding ---------------------------------------------------------------------------------------------------

    def freeze(self, job: Job, who: str) -> int:
        """The number of the revision with this document, added when the document is new. Assigns the serial number."""
        with self._adding() as adding:
            return adding.freeze(job, who)

    def add(
        self,
        job: Job,
        kind: str,
        subject: str,
        payload: dict[str, Any],
        who: str,
        corrects: int | None = None,
        token: str = "",
    ) -> Entry:
        """Add a record for the job as it stands; its revision is frozen in the same transaction.

        Args:
            job: the tank.
            kind: one of KINDS.
            subject: what it is about, a seam or a step.
            payload: plain data.
            who: the name that goes on the record.
            corrects: the entry of this tank that this one takes the place of.
            token: a mark of its own, for a record handed in again; one that is there already is not added twice.

        Raises:
            RegisterError: for a missing name, an unknown kind, a correction of another tank's record, or no room.
        """
        if kind not in KINDS:
            raise RegisterError(f"no record kind {kind!r}; there are {', '.join(KINDS)}")
        if kind in BY_A_HOLD:
            raise RegisterError(f"a record of kind {kind} belongs to a hold; begin one, and finish it")
        if not who.strip():
            raise RegisterError(NO_NAME)
        with self._adding(token) as adding:
            known = adding.known(job.uid)
            if known is not None:
                return known
            revision = adding.freeze(job, who)
            if corrects is not None:
                old = adding.connection.execute(
                    text(f"SELECT {COLUMNS} FROM entry WHERE id = :id AND job_uid = :uid"),
                    {"id": corrects, "uid": job.uid},
                ).first()
                if old is None:
                    raise RegisterError(f"entry {corrects} is not a record of this tank; nothing was corrected")
                refuse_false_correction(kind, subject, payload, entry_of(old))
            return adding.append(job.uid, revision, kind, subject, payload, who.strip(), corrects)

    def add_readings(
        self, hold: Entry, rows: list[list[float]], who: str, token: str = "", line: Sequence[str] = ()
    ) -> Entry:
        """Add readings to a hold, under the revision it was begun on, with what went wrong on the line meanwhile.

        RegisterError when they cannot be written.

        Args:
            hold: the entry that began it.
            rows: readings, as the hold stores them.
            who: at the bench.
            token: names the attempt: one that got there before is given back.
            line: what went wrong on the gauge line meanwhile.
        """
        payload = {"rows": rows} | ({"line": list(line)} if line else {})
        with self._adding(token) as adding:
            return adding.append(hold.job_uid, hold.revision, "readings", str(hold.id), payload, who.strip())

    def add_test(self, job: Job, hold: Entry, payload: dict[str, Any], who: str, token: str = "") -> Entry:
        """Finish a hold as a test of the design it was begun on. RegisterError when it is finished already or not this job's.

        Args:
            job: of the hold.
            hold: the entry that began it.
            payload: the verdict with its figures.
            who: signs.
            token: names the attempt: one that got there before is given back.
        """
        if not who.strip():
            raise RegisterError(NO_NAME)
        if hold.job_uid != job.uid:
            raise RegisterError("the hold belongs to another tank; nothing was recorded")
        with self._adding(token) as adding:
            done = adding.known(job.uid)
            if done is not None:
                return done
            rows = adding.connection.execute(
                text("SELECT payload FROM entry WHERE job_uid = :uid AND kind = 'test'"), {"uid": job.uid}
            )
            if any(json.loads(said).get("hold") == hold.id for (said,) in rows):
                raise RegisterError("this hold is on record already, finished at another bench")
            return adding.append(job.uid, hold.revision, "test", hold.subject, payload, who.strip())

    def _adding(self, token: str = "") -> Adding:
        """A write that got lost on the way to a server can be told from one that arrived only by a mark of its own."""
        marked = token or uuid.uuid4().hex if self.place.served else ""
        return Adding(self.place, self._now, self.key, marked)

    # -- reading --------------------------------------------------------------------------------------------------

    def entries(self, uid: str) -> tuple[Entry, ...]:
        """All records of a job but the readings of its holds, oldest first."""
        with self.place.reading() as connection:
            rows = connection.execute(
                text(f"SELECT {COLUMNS} FROM entry WHERE job_uid = :uid AND kind <> 'readings' ORDER BY id"),
                {"uid": uid},
            )
            return tuple(entry_of(row) for row in rows)

    def booked(self) -> tuple[dict[str, Any], ...]:
        """What standing ticks of any job say where minutes were booked with them, oldest first."""
        with self.place.reading() as connection:
            rows = connection.execute(
                text(
                    "SELECT payload FROM entry WHERE kind = 'tick' AND payload LIKE '%\"minutes\"%' AND id NOT IN "
                    "(SELECT corrects FROM entry WHERE corrects IS NOT NULL) ORDER BY id"
                )
            )
            return tuple(json.loads(said) for (said,) in rows)

    def last_id(self, uid: str) -> int:
        """The newest record of a job but readings; 0 when there is none."""
        with self.place.reading() as connection:
            found = connection.execute(
                text("SELECT max(id) FROM entry WHERE job_uid = :uid AND kind <> 'readings'"), {"uid": uid}
            ).scalar()
            return int(found or 0)

    def readings(self, hold: Entry) -> tuple[Sample, ...]:
        """The readings of a hold in their order."""
        with self.place.reading() as connection:
            rows = connection.execute(
                text(
                    "SELECT payload FROM entry WHERE job_uid = :uid AND kind = 'readings' AND subject = :hold ORDER BY id"
                ),
                {"uid": hold.job_uid, "hold": str(hold.id)},
            )
            return tuple(Sample(*row) for (said,) in rows for row in json.loads(said)["rows"])

    def samples_of(self, test: Entry) -> tuple[Sample, ...]:
        """The readings a test was judged by: its own copy where an earlier Bathyx kept one, else those of its hold."""
        kept = test.payload.get("samples")
        if kept:
            return tuple(Sample(*row) for row in kept)
        hold = test.payload.get("hold")
        if hold is None:
            return ()
        with self.place.reading() as connection:
            row = connection.execute(text(f"SELECT {COLUMNS} FROM entry WHERE id = :id"), {"id": hold}).first()
        return () if row is None else self.readings(entry_of(row))

    def last_reading_at(self, hold: Entry) -> str:
        """When the last readings of a hold came on record; empty when none did."""
        with self.place.reading() as connection:
            at = connection.execute(
                text(
                    "SELECT at FROM entry WHERE job_uid = :uid AND kind = 'readings' AND subject = :hold "
                    "ORDER BY id DESC LIMIT 1"
                ),
                {"uid": hold.job_uid, "hold": str(hold.id)},
            ).scalar()
            return str(at or "")

    def serial(self, uid: str) -> str | None:
        """The serial number of a job, or None before building has started."""
        with self.place.reading() as connection:
            return connection.execute(text("SELECT serial FROM job WHERE uid = :uid"), {"uid": uid}).scalar()

    def revision_of(self, job: Job) -> tuple[int, bool]:
        """(newest revision number or 0, whether the job still is what it froze)."""
        with self.place.reading() as connection:
            row = newest_of(connection, job.uid)
            return (0, False) if row is None else (row.number, row.sha256 == sha256(job.to_json()))

    def same_build(self, job: Job) -> frozenset[int]:
        """Numbers of the revisions whose tank, make-up and inside are those of `job`: what a test of them proves."""
        built = built_parts(job)
        return frozenset(number for number, document in self.documents(job.uid) if built_of(document) == built)

    def documents(self, uid: str) -> tuple[tuple[int, str], ...]:
        """(number, document) of every revision of a job, oldest first."""
        with self.place.reading() as connection:
            rows = connection.execute(
                text("SELECT number, document FROM revision WHERE job_uid = :uid ORDER BY number"), {"uid": uid}
            )
            return tuple((number, document) for number, document in rows)

    def document(self, uid: str, number: int) -> str:
        """The document of a revision. RegisterError when there is none."""
        with self.place.reading() as connection:
            found = connection.execute(
                text("SELECT document FROM revision WHERE job_uid = :uid AND number = :n"), {"uid": uid, "n": number}
            ).scalar()
            if found is None:
                raise RegisterError(f"job {uid} has no revision {number}")
            return str(found)

    def find(self, words: str = "", fluid: str = "", since: str = "", until: str = "") -> tuple[Found, ...]:
        """Tanks whose serial, name, customer or fluid holds every one of `words`, the newest first, at most 200.

        Args:
            words: parts of words in any case, in any order.
            fluid: a fluid's key, or nothing for any.
            since: opened on this day or later, YYYY-MM-DD or a part of it.
            until: opened on this day or before.

        Raises:
            RegisterError: when the register cannot be read.
        """
        told: dict[str, Any] = {"most": MOST_FOUND}
        wanted = ["NOT EXISTS (SELECT 1 FROM mark n WHERE n.job_uid = m.job_uid AND n.number > m.number)"]
        with self.place.reading() as connection:
            within = "strpos(m.words, :w{0}) > 0" if self.place.served else "instr(m.words, :w{0}) > 0"
            for k, word in enumerate(words.casefold().split()[:8]):
                told[f"w{k}"] = word
                wanted.append(within.format(k))
            for column, value in (("m.fluid = :fluid", fluid), ("m.opened_at >= :since", since)):
                if value:
                    wanted.append(column)
                    told[column.rpartition(":")[2]] = value
            if until:
                wanted.append("m.opened_at < :until")
                told["until"] = until + "\uffff"
            rows = connection.execute(
                text(
                    "SELECT m.job_uid, m.serial, m.name, m.customer, m.fluid, m.opened_at, m.number FROM mark m WHERE "
                    + " AND ".join(wanted)
                    + " ORDER BY m.id DESC LIMIT :most"
                ),
                told,
            )
            return tuple(Found(*row) for row in rows)

    # -- the chain ------------------------------------------------------------------------------------------------

    def head(self) -> Head:
        """How long the chain is, and the hash it ends in."""
        with self.place.reading() as connection:
            return head_of(connection)

    def hash_of(self, number: int) -> str | None:
        """The hash of the entry with this number, of none before the first; None where there is none."""
        if not number:
            return FIRST_HASH
        with self.place.reading() as connection:
            return connection.execute(text("SELECT hash FROM entry WHERE id = :id"), {"id": number}).scalar()

    def made_at(self, number: int) -> str | None:
        """When the entry with this number was made, ISO 8601; None where there is none."""
        with self.place.reading() as connection:
            return connection.execute(text("SELECT at FROM entry WHERE id = :id"), {"id": number}).scalar()

    def verify(
        self, expect: Head | None = None, public: str = "", pulse: Callable[[], object] = lambda: None
    ) -> tuple[Broken, ...]:
        """Every place where the register contradicts itself, its file of heads, or a head that was kept elsewhere.

        Args:
            expect: a head from a paper, an export or a copy.
            public: the shop's public key, to check the signatures of the heads that were noted.
            pulse: called every few hundred records.

        Raises:
            RegisterError: when the register cannot be read at all.
        """
        heads = self.place.heads.known() if self.place.heads else []
        with self.place.reading(steady=True) as connection:
            found = []
            if connection.dialect.name == "sqlite":
                for (line,) in connection.execute(text("PRAGMA integrity_check(5)")):
                    if line != "ok":
                        found.append(Broken(0, f"the file is damaged: {brief(str(line), 1, 120)}"))
                if found:
                    return tuple(found)
            found += broken_guards(connection)
            found += broken_places(connection, [*heads, *([expect] if expect else [])], pulse)
        if self.place.heads:
            found += _doubted(self.place.heads, public, self.head().count)
        return tuple(found)

    @property
    def restored(self) -> tuple[str, ...]:
        """When a copy was brought back in the register's place, in words, oldest first."""
        return tuple(self.place.heads.restored) if self.place.heads else ()


def _doubted(heads: HeadsFile, public: str, count: int) -> Iterator[Broken]:
    """What is wrong with the file of heads itself."""
    lines, name = heads.lines(), heads.path.name
    if heads.unread:
        yield Broken(0, f"{heads.unread} lines of the file of heads {name} are none of Bathyx's")
    if not public:
        return
    if not lines and count:
        yield Broken(0, f"the file of heads {name} is missing or empty, and the shop has a key that signs them")
    elif lines and not any("signature" in line for line in lines):
        yield Broken(0, f"no head in {name} is signed, and the shop has a key")
    for number in heads.badly_signed(public):
        yield Broken(number, "its head is not signed by the shop")


def refuse_false_correction(kind: str, subject: str, payload: dict[str, Any], old: Entry) -> None:
    """RegisterError where a record may not take the place of another: a note corrects no leak."""
    made = Entry(0, old.job_uid, old.revision, kind, subject, payload, "", "", old.id, "")
    if not corrects_well(made, old):
        raise RegisterError(
            f"a {kind} of {subject} does not correct entry {old.id}, a {old.kind} of {old.subject}; nothing was recorded. "
            "A correction is of the same kind and about the same thing; a leak stands until it is repaired and tested"
        )
