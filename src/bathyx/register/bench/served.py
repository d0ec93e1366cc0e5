"""A register on a server, as a bench uses it: quick answers, and records kept here while the server is away.

A bench never waits long: what the server does not answer in time is taken from what was last read, or kept in the journal
and handed in by a thread once the server is back. Tokens make sure that nothing is added twice, whatever got lost on the way.
"""

from __future__ import annotations

import concurrent.futures
import contextlib
import hashlib
import threading
import uuid
from collections.abc import Callable, Sequence
from dataclasses import asdict
from pathlib import Path
from typing import Any, TypeVar

from bathyx.core.job import Job, read_job
from bathyx.core.proving.decay import Sample
from bathyx.register.bench.built import built_of, built_parts
from bathyx.register.bench.journal import Journal
from bathyx.register.errors import AWAY, RegisterAway, RegisterError
from bathyx.register.ledger.chain import FIRST_HASH, Broken, Head
from bathyx.register.ledger.entries import Entry, Found
from bathyx.register.ledger.keys import ShopKey
from bathyx.register.ledger.register import BY_A_HOLD, KINDS, NO_NAME, Register, _now, refuse_false_correction

ANSWER_S = 0.45
TRY_AGAIN_S = 3.0
FIRST_STAND_IN = 10**12
T = TypeVar("T")


class ServedRegister:
    """Register's doors on a server that may go away. `on_change` is called, from a thread, when it goes or comes back."""

    def __init__(
        self,
        url: str,
        home: Path,
        now: Callable[[], str] = _now,
        key: ShopKey | None = None,
        answer_s: float = ANSWER_S,
        again_s: float = TRY_AGAIN_S,
    ) -> None:
        """Connect in the background when it cannot be done at once.

        Args:
            url: postgresql://name@server/database.
            home: the bench's own folder, where its journal is.
            now: the time that goes on records.
            key: the shop's key.
            answer_s: longest wait for an answer, seconds.
            again_s: time between tries while the server is away, seconds.

        Raises:
            RegisterError: when the URL is none, or the server's database is no register of this Bathyx.
        """
        self.url, self._now, self.key = url, now, key
        self._answer_s, self._again_s = answer_s, again_s
        name = hashlib.sha256(url.encode()).hexdigest()[:10]
        self.journal = Journal(home / f"journal-{name}.jsonl")
        self._heads_path = home / f"heads-{name}.jsonl"
        self.on_change: Callable[[], None] = lambda: None
        self.refused: list[str] = []
        self._register: Register | None = None
        self._away = False
        self._closed = threading.Event()
        self._lock = threading.RLock()
        self._hands: threading.Thread | None = None
        self._head = Head(0, FIRST_HASH)
        self._entries: dict[str, tuple[Entry, ...]] = {}
        self._booked: tuple[dict[str, Any], ...] = ()
        self._serials: dict[str, str | None] = {}
        self._documents: dict[str, tuple[tuple[int, str], ...]] = {}
        self._readings: dict[int, tuple[Sample, ...]] = {}
        try:
            self._register = self._bounded(self._open, 4 + answer_s)
        except RegisterAway:
            self._go_away()
        if self.journal and not self._away:
            self._go_away()

    # -- the server -----------------------------------------------------------------------------------------------

    @property
    def path(self) -> None:
        """No file."""
        return None

    @property
    def away(self) -> bool:
        """Whether the server cannot be reached, or what was kept here is not handed in yet."""
        return self._away

    @property
    def waiting(self) -> int:
        """How many records are kept here."""
        return len(self.journal)

    def _open(self) -> Register:
        return Register(self.url, self._now, self.key, heads=self._heads_path)

    def _bounded(self, ask: Callable[[], T], seconds: float) -> T:
        """The answer, if it comes in time. RegisterAway otherwise: the asking may still get there."""
        waiting: concurrent.futures.Future[T] = concurrent.futures.Future()

        def go() -> None:
            try:
                waiting.set_result(ask())
            except BaseException as error:  # noqa: BLE001 - raised again where it is waited for
                waiting.set_exception(error)

        # A thread of its own that nobody waits for at the end: a network that is silent must not hold the program up.
        threading.Thread(target=go, name="register", daemon=True).start()
        try:
            return waiting.result(seconds)
        except concurrent.futures.TimeoutError:
            raise RegisterAway() from None

    def _ask(self, ask: Callable[[Register], T]) -> T:
        if self._away or self._register is None:
            raise RegisterAway()
        register = self._register
        try:
            return self._bounded(lambda: ask(register), self._answer_s)
        except RegisterAway:
            self._go_away()
            raise

    def _go_away(self) -> None:
        with self._lock:
            self._away = True
            if self._hands is None:
                self._hands = threading.Thread(target=self._hand_in_when_back, name="journal", daemon=True)
                self._hands.start()
        self.on_change()

    def _hand_in_when_back(self) -> None:
        while not self._closed.is_set():
            if self._hand_in():
                return
            self._closed.wait(self._again_s)

    def _hand_in(self) -> bool:
        """Hand in what waits; True when all is in and the server is there."""
        try:
            if self._register is None:
                self._register = self._open()
            self._register.head()
            while True:
                with self._lock:
                    waiting = self.journal.pending
                    if not waiting:
                        # Both at once: whoever finds the server gone after this starts a thread of its own.
                        self._away, self._hands = False, None
                        break
                self._hand_in_one(self._register, waiting[0])
        except RegisterAway:
            return False
        except RegisterError as error:
            if str(error) not in self.refused:
                self.refused.append(str(error))
            self.on_change()
            return False
        self.on_change()
        return True

    def _hand_in_one(self, register: Register, record: dict[str, Any]) -> None:
        token, outcome, id_ = record["token"], "handed in", 0
        try:
            id_ = _call(register, record, self.journal.real).id
        except RegisterAway:
            raise
        except RegisterError as error:
            if error.kind != "refused":
                raise RegisterAway(str(error)) from error  # full, locked, not allowed: it waits, and is tried again
            # The server would not have it: it goes on record all the same, as what it is, so that nothing is lost.
            outcome = f"refused: {error}"
            self.refused.append(str(error))
            note = {"text": f"kept at a bench while the server was away, not handed in: {error}", "record": record}
            if record["job"]:
                register.add(read_job(record["job"]), "note", "not handed in", note, record["who"], token=token)
        with self._lock:
            self.journal.done(record, outcome, id_)
        self.on_change()

    def close(self) -> None:
        """Give the connections back; what waits stays in the journal."""
        self._closed.set()
        if self._register is not None:
            self._register.close()

    # -- adding ---------------------------------------------------------------------------------------------------

    def add(
        self, job: Job, kind: str, subject: str, payload: dict[str, Any], who: str, corrects: int | None = None
    ) -> Entry:
        """As Register.add; kept here while the server is away. A hold is begun only while it is there."""
        if kind not in KINDS:
            raise RegisterError(f"no record kind {kind!r}; there are {', '.join(KINDS)}")
        if not who.strip():
            raise RegisterError(NO_NAME)
        if kind == "hold" and self._away:
            raise RegisterAway(f"{AWAY}; a hold is begun only while it is there, welds and leaks are kept here")
        if kind in BY_A_HOLD:
            raise RegisterError(f"a record of kind {kind} belongs to a hold; begin one, and finish it")
        for old in (*self._entries.get(job.uid, ()), *self._of(job.uid)):
            if corrects is not None and old.id == corrects:
                refuse_false_correction(kind, subject, payload, old)
        more = {"kind": kind, "subject": subject, "payload": payload, "corrects": corrects}
        return self._add("add", job.uid, job.to_json(), who, more, self._newest(job.uid), kind == "hold")

    def add_readings(self, hold: Entry, rows: list[list[float]], who: str, line: Sequence[str] = ()) -> Entry:
        """As Register.add_readings; kept here while the server is away."""
        payload = {"rows": rows, "line": list(line)}
        more = {"kind": "readings", "subject": str(hold.id), "payload": payload, "hold": asdict(hold)}
        return self._add("add_readings", hold.job_uid, "", who, more, hold.revision)

    def add_test(self, job: Job, hold: Entry, payload: dict[str, Any], who: str) -> Entry:
        """As Register.add_test; kept here while the server is away."""
        if not who.strip():
            raise RegisterError(NO_NAME)
        more = {"kind": "test", "subject": hold.subject, "payload": payload, "hold": asdict(hold)}
        return self._add("add_test", job.uid, job.to_json(), who, more, hold.revision)

    def _add(
        self,
        call: str,
        uid: str,
        document: str,
        who: str,
        more: dict[str, Any],
        revision: int,
        only_there: bool = False,
    ) -> Entry:
        record = {"call": call, "token": uuid.uuid4().hex, "job": document, "who": who, "made_at": self._now()} | more
        with self._lock:
            if not self._away and not self.journal:
                try:
                    return self._ask(lambda register: _call(register, record, {}))
                except RegisterAway:
                    if only_there:
                        raise
            if only_there:
                raise RegisterAway()
            record["stand_in"] = FIRST_STAND_IN + max(
                (r["stand_in"] - FIRST_STAND_IN + 1 for r in self.journal.pending), default=0
            )
            self.journal.put(record)
        self._go_away()
        return _stand_in(record, uid, revision)

    def _newest(self, uid: str) -> int:
        return max((number for number, _ in self._documents.get(uid, ())), default=0)

    # -- reading --------------------------------------------------------------------------------------------------

    def entries(self, uid: str) -> tuple[Entry, ...]:
        """As Register.entries; as last read, with what waits here, while the server is away."""
        try:
            self._entries[uid] = self._ask(lambda register: register.entries(uid))
        except RegisterAway:
            if uid not in self._entries and self._serials.get(uid) is None and not self._of(uid):
                return ()
        return self._entries.get(uid, ()) + self._of(uid)

    def booked(self) -> tuple[dict[str, Any], ...]:
        """As Register.booked; as last read while the server is away."""
        with contextlib.suppress(RegisterAway):
            self._booked = self._ask(lambda register: register.booked())
        return self._booked

    def _of(self, uid: str) -> tuple[Entry, ...]:
        found = []
        for record in self.journal.pending:
            owner = record["hold"]["job_uid"] if "hold" in record else read_job(record["job"]).uid
            if owner == uid and record["kind"] != "readings":
                revision = record["hold"]["revision"] if "hold" in record else self._newest(uid)
                found.append(_stand_in(record, uid, revision))
        return tuple(found)

    def last_id(self, uid: str) -> int:
        """As Register.last_id."""
        waiting = self._of(uid)
        if waiting:
            return waiting[-1].id
        try:
            return self._ask(lambda register: register.last_id(uid))
        except RegisterAway:
            return max((e.id for e in self._entries.get(uid, ())), default=0)

    def readings(self, hold: Entry) -> tuple[Sample, ...]:
        """As Register.readings, with those that wait here; as last read while the server is away."""
        try:
            self._readings[hold.id] = self._ask(lambda register: register.readings(hold))
        except RegisterAway:
            if hold.id not in self._readings:
                raise
        waiting = [r for r in self.journal.pending if r["kind"] == "readings" and r["subject"] == str(hold.id)]
        return self._readings[hold.id] + tuple(Sample(*row) for r in waiting for row in r["payload"]["rows"])

    def samples_of(self, test: Entry) -> tuple[Sample, ...]:
        """As Register.samples_of; none while the server is away."""
        try:
            return self._ask(lambda register: register.samples_of(test))
        except RegisterAway:
            return ()

    def last_reading_at(self, hold: Entry) -> str:
        """As Register.last_reading_at; empty while the server is away."""
        try:
            return self._ask(lambda register: register.last_reading_at(hold))
        except RegisterAway:
            return ""

    def serial(self, uid: str) -> str | None:
        """As Register.serial; as last read while the server is away."""
        with contextlib.suppress(RegisterAway):
            self._serials[uid] = self._ask(lambda register: register.serial(uid))
        return self._serials.get(uid)

    def revision_of(self, job: Job) -> tuple[int, bool]:
        """As Register.revision_of; from what was last read while the server is away."""
        self._read_documents(job.uid)
        found = self._documents.get(job.uid, ())
        return (0, False) if not found else (found[-1][0], found[-1][1] == job.to_json())

    def same_build(self, job: Job) -> frozenset[int]:
        """As Register.same_build; from what was last read while the server is away."""
        self._read_documents(job.uid)
        built = built_parts(job)
        return frozenset(number for number, document in self._documents.get(job.uid, ()) if built_of(document) == built)

    def documents(self, uid: str) -> tuple[tuple[int, str], ...]:
        """As Register.documents; as last read while the server is away."""
        self._read_documents(uid)
        return self._documents.get(uid, ())

    def _read_documents(self, uid: str) -> None:
        try:
            self._documents[uid] = self._ask(lambda register: register.documents(uid))
        except RegisterAway:
            return

    def document(self, uid: str, number: int) -> str:
        """As Register.document."""
        for n, document in self._documents.get(uid, ()):
            if n == number:
                return document
        return self._ask(lambda register: register.document(uid, number))

    def find(self, words: str = "", fluid: str = "", since: str = "", until: str = "") -> tuple[Found, ...]:
        """As Register.find; RegisterAway while the server is away."""
        return self._ask(lambda register: register.find(words, fluid, since, until))

    def head(self) -> Head:
        """As Register.head; as last read while the server is away."""
        with contextlib.suppress(RegisterAway):
            self._head = self._ask(lambda register: register.head())
        return self._head

    @property
    def restored(self) -> tuple[str, ...]:
        """As Register.restored; nothing while the server is away."""
        return self._register.restored if self._register is not None else ()

    def verify(
        self, expect: Head | None = None, public: str = "", pulse: Callable[[], object] = lambda: None
    ) -> tuple[Broken, ...]:
        """As Register.verify, for as long as it takes. RegisterAway while the server is away."""
        if self._away or self._register is None:
            raise RegisterAway()
        return self._register.verify(expect, public, pulse)


def _call(register: Register, record: dict[str, Any], real: dict[int, int]) -> Entry:
    """Do on the server what a record says."""
    token, who, payload = record["token"], record["who"], record["payload"]
    if "stand_in" in record:
        payload = payload | {"made_at": record["made_at"]}
    if record["call"] == "add_readings":
        return register.add_readings(Entry(**record["hold"]), payload["rows"], who, token, payload["line"])
    job = read_job(record["job"])
    if record["call"] == "add_test":
        return register.add_test(job, Entry(**record["hold"]), payload, who, token)
    corrects = record["corrects"]
    corrects = real.get(corrects, corrects)
    return register.add(job, record["kind"], record["subject"], payload, who, corrects, token)


def _stand_in(record: dict[str, Any], uid: str, revision: int) -> Entry:
    return Entry(
        record["stand_in"],
        uid,
        revision,
        record["kind"],
        record["subject"],
        record["payload"],
        record["who"],
        record["made_at"],
        record.get("corrects"),
        "",
        kept_here=True,
    )
