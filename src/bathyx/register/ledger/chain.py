"""The chain: each entry holds the hash of the one before, and everything else in the register is bound into an entry.

`broken_places` finds what was changed behind the triggers. What it cannot find by itself is a past that was cut off at
its end or rehashed from some point on by somebody who can write the file: for that a head must have been kept elsewhere,
in the file of heads, on a printed paper, in an export or in a copy.
"""

from __future__ import annotations

import hashlib
import json
import re
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import Connection, text

from bathyx.errors import Refusal

FIRST_HASH = "0" * 64
TABLES = ("job", "revision", "mark", "entry")
SHORT_HASH = 16


@dataclass(frozen=True)
class Head:
    """How long the chain is and the hash of its last entry. Whoever holds one can tell whether the past is still the same."""

    count: int
    hash: str

    def __str__(self) -> str:
        return f"{self.count}:{self.hash}"

    @property
    def short(self) -> str:
        """For a paper: the first 16 figures of the hash, 64 bits, are enough to find a changed past."""
        return f"{self.count}:{self.hash[:SHORT_HASH]}"

    @classmethod
    def parse(cls, said: str) -> Head:
        """A head as printed: `142:3fa9c1d27be0a455`, at least 12 figures of its hash. Refusal otherwise."""
        match = re.fullmatch(r"\s*(\d{1,12}):([0-9a-f]{12,64})\s*", said.lower())
        if not match:
            raise Refusal(f"{said!r} is no head; it looks like 142:3fa9c1d27be0a455, as papers print it")
        return cls(int(match[1]), match[2])


@dataclass(frozen=True)
class Broken:
    """A place where the register does not hold. `entry_id` is 0 where it is no single entry."""

    entry_id: int
    reason: str


def digest_of(  # noqa: PLR0913, PLR0917 - the columns of an entry
    previous: str, id_: int, uid: str, revision: int, kind: str, subject: str, payload: str, who: str, at: str, corrects: int | None
) -> str:  # fmt: skip
    """The hash of an entry with these columns after the entry whose hash is `previous`.

    Args:
        previous: hash of the entry before.
        id_: number of the entry.
        uid: of the job.
        revision: it was made under.
        kind: of the entry.
        subject: what it is about.
        payload: its JSON as stored.
        who: made it.
        at: UTC, ISO.
        corrects: number of the entry that it corrects.
    """
    content = [previous, id_, uid, revision, kind, subject, payload, who, at, corrects]
    return hashlib.sha256(
        json.dumps(content, ensure_ascii=False, default=repr).encode("utf-8", "surrogatepass")
    ).hexdigest()


def sha256(text_: str) -> str:
    """SHA-256 of a text in UTF-8."""
    return hashlib.sha256(text_.encode("utf-8", "surrogatepass")).hexdigest()


def head_of(connection: Connection) -> Head:
    """The head as it is now."""
    row = connection.execute(text("SELECT id, hash FROM entry ORDER BY id DESC LIMIT 1")).first()
    return Head(0, FIRST_HASH) if row is None else Head(row[0], row[1])


def broken_places(
    connection: Connection, heads: Sequence[Head], pulse: Callable[[], object] = lambda: None, most: int = 200
) -> list[Broken]:
    """Every place where rows contradict the chain or the chain contradicts `heads`; at most `most` of them.

    `pulse` is called every few hundred records.

    Args:
        connection: to the register.
        heads: how far the chain is known to have come.
        pulse: called every few hundred records.
        most: places looked for.
    """
    found: list[Broken] = []
    bound = _Bound()
    for broken in _along(connection, bound, heads, pulse):
        found.append(broken)
        if len(found) >= most:
            return found
    for broken in bound.against_tables(connection):
        found.append(broken)
        if len(found) >= most:
            break
    return found


def _along(
    connection: Connection, bound: _Bound, heads: Sequence[Head], pulse: Callable[[], object]
) -> Iterator[Broken]:
    previous, expected = FIRST_HASH, 1
    ids: dict[int, Any] = {}
    wanted: dict[int, list[Head]] = {}
    for head in heads:
        wanted.setdefault(head.count, []).append(head)
    columns = "id, job_uid, revision, kind, subject, payload, who, at, corrects, previous_hash, hash"
    rows = connection.execution_options(stream_results=True, yield_per=2000).execute(
        text(f"SELECT {columns} FROM entry ORDER BY id")
    )
    for id_, uid, revision, kind, subject, payload, who, at, corrects, before, hash_ in rows:
        if expected % 300 == 0:
            pulse()
        if id_ != expected:
            gap = f"record {expected} is" if id_ == expected + 1 else f"records {expected} to {id_ - 1} are"
            yield Broken(id_, f"{gap} missing")
        if before != previous:
            yield Broken(id_, "does not follow the record before it")
        if digest_of(before, id_, uid, revision, kind, subject, payload, who, at, corrects) != hash_:
            yield Broken(id_, "was changed after it was written")
        if corrects is not None and ids.get(corrects) != uid:
            yield Broken(id_, f"corrects record {corrects}, which is none of this tank's before it")
        for head in wanted.pop(id_, ()):
            if not str(hash_).startswith(head.hash):
                yield Broken(id_, f"is not the record {head.short} that was known before: the past was rebuilt")
        ids[id_] = uid
        yield from bound.take(id_, uid, revision, kind, subject, payload)
        previous, expected = hash_, (id_ if isinstance(id_, int) else expected) + 1
    for count in sorted(wanted):
        if count > 0:
            yield Broken(expected - 1, f"records were cut off: {count} were known before, {expected - 1} are left")


class _Bound:
    """What the entries say about jobs and revisions."""

    def __init__(self) -> None:
        self.jobs: dict[str, tuple[str, str]] = {}
        self.revisions: dict[tuple[str, int], dict[str, Any]] = {}
        self.used: set[tuple[str, int]] = set()

    def take(self, id_: int, uid: str, revision: int, kind: str, subject: str, payload: str) -> Iterable[Broken]:
        """Note what an entry binds or uses."""
        if kind in ("opening", "bound", "revision"):
            try:
                said = json.loads(payload)
                if kind == "revision":
                    if (uid, revision) in self.revisions:
                        yield Broken(id_, f"revision {revision} is frozen twice")
                    self.revisions[uid, revision] = said
                else:
                    if uid in self.jobs:
                        yield Broken(id_, "the tank is opened twice")
                    self.jobs[uid] = (said["serial"], said["opened_at"])
                    for one in said.get("revisions", ()):
                        self.revisions[uid, one["number"]] = self.revisions.get((uid, one["number"]), {}) | one
            except (ValueError, KeyError, TypeError, AttributeError):
                yield Broken(id_, "cannot be read")
        if revision:
            self.used.add((uid, revision))

    def against_tables(self, connection: Connection) -> Iterator[Broken]:
        """Jobs, revisions and marks that differ from what the chain says, or that one of the two does not have."""
        jobs = {u: (s, o) for u, s, o in connection.execute(text("SELECT uid, serial, opened_at FROM job"))}
        for uid in jobs.keys() | self.jobs.keys():
            if uid not in jobs:
                yield Broken(0, f"the tank {self.jobs[uid][0]} is gone from the list of jobs")
            elif uid not in self.jobs:
                yield Broken(0, f"the tank {jobs[uid][0]} was never opened by a record")
            elif jobs[uid] != self.jobs[uid]:
                yield Broken(
                    0, f"serial or opening of {self.jobs[uid][0]} was changed: it reads {jobs[uid][0]}, {jobs[uid][1]}"
                )
        there = set()
        columns = "job_uid, number, name, customer, fluid, at, document, sha256"
        for uid, number, name, customer, fluid, at, document, digest in connection.execution_options(
            stream_results=True, yield_per=500
        ).execute(text(f"SELECT {columns} FROM revision")):
            there.add((uid, number))
            serial, bound = jobs.get(uid, ("?", ""))[0], self.revisions.get((uid, number))
            if bound is None:
                yield Broken(0, f"revision {number} of {serial} was never frozen by a record")
                continue
            if (
                not isinstance(document, str)
                or sha256(document) != bound.get("sha256")
                or digest != bound.get("sha256")
            ):
                yield Broken(0, f"the document of revision {number} of {serial} was changed")
            row = {"name": name, "customer": customer, "fluid": fluid, "at": at}
            wrong = [k for k, v in row.items() if bound.get(k, v) != v]
            if wrong:
                yield Broken(0, f"{' and '.join(wrong)} of revision {number} of {serial} changed")
        for uid, number in (self.revisions.keys() | self.used) - there:
            yield Broken(0, f"revision {number} of {jobs.get(uid, ('a tank that is gone',))[0]} is missing")
        yield from self._marks(connection, jobs, there)

    def _marks(
        self, connection: Connection, jobs: dict[str, tuple[str, str]], there: set[tuple[str, int]]
    ) -> Iterator[Broken]:
        from bathyx.register.ledger.models import search_words

        marked = set()
        columns = "job_uid, number, serial, name, customer, fluid, opened_at, words"
        for uid, number, serial, name, customer, fluid, opened_at, words in connection.execute(
            text(f"SELECT {columns} FROM mark")
        ):
            marked.add((uid, number))
            bound = self.revisions.get((uid, number), {})
            row = {"name": name, "customer": customer, "fluid": fluid}
            if (
                any(bound.get(k, v) != v for k, v in row.items())
                or jobs.get(uid) != (serial, opened_at)
                or words != search_words(*map(str, (serial, name, customer, fluid)))
            ):
                yield Broken(0, f"what revision {number} of {serial} is found by was changed")
        for uid, number in marked ^ there:
            yield Broken(0, f"revision {number} of {jobs.get(uid, ('?',))[0]} cannot be found by its name")
