"""A transaction that adds to the chain: openings, revisions, entries, and the head that is noted after it."""

from __future__ import annotations

import json
import re
from collections.abc import Callable
from typing import Any

from sqlalchemy import Connection, text

from bathyx.core.job import Job
from bathyx.register.errors import RegisterError
from bathyx.register.ledger.chain import FIRST_HASH, Head, digest_of, head_of, sha256
from bathyx.register.ledger.entries import COLUMNS, Entry, entry_of
from bathyx.register.ledger.keys import ShopKey
from bathyx.register.ledger.models import search_words
from bathyx.register.opening.place import Place


class Adding:
    """A transaction that adds to the chain; the new head is noted once it is committed."""

    def __init__(self, place: Place, now: Callable[[], str], key: ShopKey | None = None, token: str = "") -> None:
        """Begin nothing yet: `with` does.

        Args:
            place: the register's place.
            now: the time that goes on records.
            key: the shop's key, for the head that is noted.
            token: a mark of its own for a record, where a write may get lost on its way; empty for none.
        """
        self.heads, self.now, self.key, self.token = place.heads, now, key, token
        self._writing = place.writing()
        self._head: Head | None = None
        self._at = ""

    def __enter__(self) -> Adding:
        self.connection: Connection = self._writing.__enter__()
        return self

    def __exit__(self, kind: Any, error: Any, trace: Any) -> None:
        self._writing.__exit__(kind, error, trace)
        if error is None and self._head is not None and self.heads is not None:
            self.heads.note(self._head, self._at, self.key)

    def known(self, uid: str) -> Entry | None:
        """The record with this token, when it got there before."""
        if not self.token:
            return None
        row = self.connection.execute(
            text(f"SELECT {COLUMNS} FROM entry WHERE job_uid = :uid AND payload LIKE :like ORDER BY id DESC LIMIT 1"),
            {"uid": uid, "like": f'%"token": "{self.token}"%'},
        ).first()
        return None if row is None else entry_of(row)

    def freeze(self, job: Job, who: str) -> int:
        """As Register.freeze, within this transaction."""
        document = job.to_json()
        digest = sha256(document)
        run, at = self.connection.execute, self.now()
        row = run(text("SELECT serial, opened_at FROM job WHERE uid = :uid"), {"uid": job.uid}).first()
        serial, opened = ("", "") if row is None else (str(row.serial), str(row.opened_at))
        if row is None:
            serial, opened = self._next_serial(job.maker, at), at
            first = {"uid": job.uid, "serial": serial, "at": at}
            run(text("INSERT INTO job (uid, serial, opened_at) VALUES (:uid, :serial, :at)"), first)
            self._append(job.uid, 0, "opening", serial, {"serial": serial, "opened_at": at}, who, None, at)
        newest = newest_of(self.connection, job.uid)
        if newest is not None and newest.sha256 == digest:
            return int(newest.number)
        number = 1 if newest is None else newest.number + 1
        copied = {"name": job.brief.name, "customer": job.brief.customer, "fluid": job.brief.fluid, "at": at}
        told = copied | {"uid": job.uid, "number": number, "document": document, "sha256": digest}
        id_ = int(run(text("SELECT coalesce(max(id), 0) + 1 FROM revision")).scalar() or 1)
        run(
            text(
                "INSERT INTO revision (id, job_uid, number, name, customer, fluid, at, document, sha256) "
                "VALUES (:id, :uid, :number, :name, :customer, :fluid, :at, :document, :sha256)"
            ),
            told | {"id": id_},
        )
        run(
            text(
                "INSERT INTO mark (id, job_uid, number, serial, name, customer, fluid, opened_at, words) "
                "VALUES (:id, :uid, :number, :serial, :name, :customer, :fluid, :opened, :words)"
            ),
            told
            | {"id": id_, "serial": serial, "opened": opened}
            | {"words": search_words(serial, copied["name"], copied["customer"], copied["fluid"])},
        )
        said = copied | {"number": number, "sha256": digest}
        self._append(job.uid, number, "revision", f"revision {number}", said, who, None, at)
        return number

    def append(
        self,
        uid: str,
        revision: int,
        kind: str,
        subject: str,
        payload: dict[str, Any],
        who: str,
        corrects: int | None = None,
    ) -> Entry:
        """Add an entry, or give back the one with this token when it got there before.

        Args:
            uid: of the job.
            revision: it is made under.
            kind: of the entry.
            subject: what it is about.
            payload: JSON of plain values.
            who: at the bench.
            corrects: number of the entry that it corrects.
        """
        known = self.known(uid)
        if known is not None:
            return known
        if self.token:
            payload = payload | {"token": self.token}
        return self._append(uid, revision, kind, subject, payload, who, corrects, self.now())

    def _append(
        self,
        uid: str,
        revision: int,
        kind: str,
        subject: str,
        payload: dict[str, Any],
        who: str,
        corrects: int | None,
        at: str,
    ) -> Entry:
        last = head_of(self.connection)
        try:
            said = json.dumps(payload, sort_keys=True, ensure_ascii=False, allow_nan=True)
            said.encode("utf-8")
        except (TypeError, ValueError) as error:
            raise RegisterError(f"this record cannot be written down: {error}") from None
        id_, who, subject = last.count + 1, who.strip()[:80], subject[:80]
        hash_ = digest_of(last.hash, id_, uid, revision, kind, subject, said, who, at, corrects)
        self.connection.execute(
            text(
                "INSERT INTO entry (id, job_uid, revision, kind, subject, payload, who, at, corrects, previous_hash, hash) "
                "VALUES (:id, :uid, :revision, :kind, :subject, :payload, :who, :at, :corrects, :previous, :hash)"
            ),
            {
                "id": id_,
                "uid": uid,
                "revision": revision,
                "kind": kind,
                "subject": subject,
                "payload": said,
                "who": who,
                "at": at,
                "corrects": corrects,
                "previous": last.hash if last.count else FIRST_HASH,
                "hash": hash_,
            },
        )
        self._head = Head(id_, hash_)
        self._at = at
        return Entry(id_, uid, revision, kind, subject, json.loads(said), who, at, corrects, hash_)

    def _next_serial(self, maker: str, at: str) -> str:
        letters = "".join(word[0] for word in re.findall(r"[A-Za-z]+", maker))[:3].upper() or "BX"
        like = f"{letters}-{at[:4]}-"
        # Years have up to 9,999 tanks of four figures; past that the number grows, and its length must count first.
        highest = self.connection.execute(
            text("SELECT serial FROM job WHERE serial LIKE :like ORDER BY length(serial) DESC, serial DESC LIMIT 1"),
            {"like": like + "%"},
        ).scalar()
        return f"{like}{(int(highest.rpartition('-')[2]) if highest else 0) + 1:04d}"


def newest_of(connection: Connection, uid: str) -> Any:
    """(number, sha256) of the newest revision of a job, or None."""
    return connection.execute(
        text("SELECT number, sha256 FROM revision WHERE job_uid = :uid ORDER BY number DESC LIMIT 1"), {"uid": uid}
    ).first()
