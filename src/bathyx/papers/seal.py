"""The seal of a paper: what its QR code says, so that a reader years later can hold it against the register.

`BATHYX2;serial;uid;state;head;date`, and where the shop has a key `;signature` of all before it (Ed25519, base64). The head
ties the paper to everything that was on record when it was printed; see docs/reliability.md for what that proves.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from bathyx.errors import Refusal
from bathyx.register import Head, JobRecord
from bathyx.register.keys import signed_by

MARK = "BATHYX2"


class SealError(Refusal):
    """The text is no seal."""


@dataclass(frozen=True)
class Seal:
    """What a seal says. `state` is TIGHT or NOT PROVEN, with SIMULATED or OFFLINE where that is so."""

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
    """A seal as a QR reader gives it. SealError for anything else."""
    parts = text.strip().split(";")
    if len(parts) not in (6, 7) or parts[0] != MARK:
        raise SealError(f"that is no seal of a Bathyx paper; it begins with {MARK}; and has 6 or 7 parts")
    _, serial, uid, state, head, on, *signature = parts
    return Seal(serial, uid, state, Head.parse(head), on, signature[0] if signature else "", ";".join(parts[:6]))


def _plain(text: str) -> str:
    return text.replace(";", ",")
