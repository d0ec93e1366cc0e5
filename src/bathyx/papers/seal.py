"""The seal of a paper: what its QR code says, so that a reader years later can hold it against the register.

`BATHYX2;serial;uid;state;head;date`, and where the shop has a key `;signature` of all before it (Ed25519, base64). The head
ties the paper to everything that was on record when it was printed; see docs/reliability.md for what that proves.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from datetime import date, timedelta

from bathyx.core.evaluate import evaluate
from bathyx.core.job import read_job
from bathyx.errors import Refusal
from bathyx.register import Head, JobRecord, Register, record_of
from bathyx.register.ledger.keys import signed_by

MARK = "BATHYX2"
STATES = tuple(
    f"{state}{rig}{away}"
    for state in ("TIGHT", "NOT PROVEN")
    for rig in ("", " SIMULATED")
    for away in ("", " OFFLINE")
)
OFFLINE = " OFFLINE"
LONGEST = 600
ZONES = timedelta(days=1)  # a paper's day is the shop's, a record's is the world's


class SealError(Refusal):
    """The text is no seal."""


@dataclass(frozen=True)
class Seal:
    """What a seal says. `state` is one of STATES, `on` a day."""

    serial: str
    uid: str
    state: str
    head: Head
    on: str
    signature: str
    words: str

    def good(self, public: str) -> bool:
        """Whether the holder of `public` signed it."""
        return bool(self.signature) and signed_by(public, self.words, self.signature)


def sealed(record: JobRecord, serial: str, uid: str, today: date | None = None) -> str:
    """The text for the QR code of a paper of this record.

    Args:
        record: of the tank.
        serial: the tank's number.
        uid: of the job.
        today: date on the paper; None is the date of the computer.
    """
    proof = record.proof
    state = "TIGHT" if proof.whole else "NOT PROVEN"
    if proof.simulated:
        state += " SIMULATED"
    if record.away:
        state += " OFFLINE"
    head = record.head or Head(0, "0" * 64)
    said = ";".join((MARK, _plain(serial), _plain(uid), state, head.short, f"{today or date.today():%Y-%m-%d}"))
    return f"{said};{record.key.sign(said)}" if record.key is not None else said


def seal_words(record: JobRecord) -> str:
    """What is printed under the code."""
    if record.head is None:
        return "Not from a register."
    signed = f", signed with the shop's key {record.key.public}" if record.key is not None else ", not signed"
    return f"Records up to {record.head.short}{signed}. Check: bathyx verify --expect {record.head.short}"


def foot_words(record: JobRecord) -> str:
    """What stands under every page: the head the paper was made under; nothing for a paper of no register."""
    return f"records up to {record.head.short}" if record.head is not None and record.head.count else ""


def read_seal(text: str) -> Seal:
    """A seal as a QR reader gives it. SealError for anything else: no word of it may be one that Bathyx never writes."""
    text = text.strip()
    parts = text.split(";")
    if len(parts) not in (6, 7) or parts[0] != MARK:
        raise SealError(f"that is no seal of a Bathyx paper; it begins with {MARK}; and has 6 or 7 parts")
    if len(text) > LONGEST or not text.isprintable():
        raise SealError("that is no seal of a Bathyx paper: it holds characters that cannot be printed, or is too long")
    _, serial, uid, state, head, on, *signature = parts
    if state not in STATES:
        raise SealError(f"that is no seal of a Bathyx paper: {state!r} is none of {', '.join(STATES)}")
    try:
        if date.fromisoformat(on).isoformat() != on:
            raise ValueError
    except ValueError:
        raise SealError(f"that is no seal of a Bathyx paper: {on!r} is no day; it looks like 2026-05-31") from None
    return Seal(serial, uid, state, Head.parse(head), on, signature[0] if signature else "", ";".join(parts[:6]))


def _plain(text: str) -> str:
    return "".join(c if c.isprintable() else " " for c in text.replace(";", ","))


def contradicted(seal: Seal, register: Register, today: date | None = None) -> Iterator[str]:
    """What of a seal the register does not bear out, in words: its serial, head, day and state. Nothing where all of it holds.

    The state is judged of the records up to its head, by the newest design that was frozen then.

    Args:
        seal: of the paper.
        register: of the shop.
        today: None is the date of the computer.
    """
    for broken in register.verify(seal.head):
        yield f"the register does not hold: {broken.reason}"
        return
    serial = register.serial(seal.uid)
    if serial is None or serial != seal.serial:
        yield f"the register knows this tank as {serial or 'none of its own'}"
        return
    if not seal.head.count:
        yield "its head is that of an empty register, and this tank is on record"
        return
    first, on, latest = register.made_at(seal.head.count), date.fromisoformat(seal.on), today or date.today()
    # Records of other tanks do not have a bench read this one's again; nor do its own while its server is away.
    following = next((e.at for e in register.entries(seal.uid) if e.id > seal.head.count), None)
    if following is not None and not seal.state.endswith(OFFLINE):
        latest = min(latest, date.fromisoformat(following[:10]))
    if first is None or not date.fromisoformat(first[:10]) - ZONES <= on <= latest + ZONES:
        since = (first or "never")[:10]
        yield f"its day is {seal.on}; the head that it was printed under was this tank's from {since} to {latest:%Y-%m-%d}"
    state = _state_then(register, seal)
    said = seal.state.removesuffix(OFFLINE)
    if said.startswith("TIGHT") and said != state:
        yield f"it says {said}; by the records up to then, and the design that was frozen, the tank was {state}"


def _state_then(register: Register, seal: Seal) -> str:
    entries = tuple(e for e in register.entries(seal.uid) if e.id <= seal.head.count)
    number = max((e.revision for e in entries), default=0)
    if not number:
        return "NOT PROVEN"
    evaluation = evaluate(read_job(register.document(seal.uid, number)))
    record = record_of(register, evaluation)
    proof = replace(record, all_entries=entries).proof
    state = "TIGHT" if proof.whole else "NOT PROVEN"
    return f"{state} SIMULATED" if proof.simulated else state
