"""Tables of the register. Triggers made by the migrations refuse UPDATE and DELETE on all of them."""

from __future__ import annotations

from sqlalchemy import ForeignKey, Integer, String, Text, UniqueConstraint
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column


class Base(DeclarativeBase):
    """Declarative base."""


class JobRow(Base):
    """A tank that has been started: its uid and the serial number it will carry. An `opening` entry holds the same."""

    __tablename__ = "job"
    uid: Mapped[str] = mapped_column(String(64), primary_key=True)
    serial: Mapped[str] = mapped_column(String(40), unique=True)
    opened_at: Mapped[str] = mapped_column(String(40))


class RevisionRow(Base):
    """The document as it stood when records began to refer to it; its `revision` entry holds all but the document's text."""

    __tablename__ = "revision"
    __table_args__ = (UniqueConstraint("job_uid", "number"),)
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    job_uid: Mapped[str] = mapped_column(ForeignKey("job.uid"), index=True)
    number: Mapped[int]
    name: Mapped[str] = mapped_column(String(120))
    customer: Mapped[str] = mapped_column(String(120))
    fluid: Mapped[str] = mapped_column(String(40))
    at: Mapped[str] = mapped_column(String(40))
    document: Mapped[str] = mapped_column(Text)
    sha256: Mapped[str] = mapped_column(String(64))


class MarkRow(Base):
    """What a revision is found by, narrow and in one place: `words` is serial, name, customer and fluid in folded case."""

    __tablename__ = "mark"
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    job_uid: Mapped[str] = mapped_column(ForeignKey("job.uid"))
    number: Mapped[int]
    serial: Mapped[str] = mapped_column(String(40))
    name: Mapped[str] = mapped_column(String(120))
    customer: Mapped[str] = mapped_column(String(120))
    fluid: Mapped[str] = mapped_column(String(40))
    opened_at: Mapped[str] = mapped_column(String(40))
    words: Mapped[str] = mapped_column(String(400))


class EntryRow(Base):
    """One record: kind, what it is about, by whom, when.

    `hash` covers everything in the row and the hash of the entry before, whichever job that belongs to.
    """

    __tablename__ = "entry"
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    job_uid: Mapped[str] = mapped_column(ForeignKey("job.uid"), index=True)
    revision: Mapped[int]
    kind: Mapped[str] = mapped_column(String(20))
    subject: Mapped[str] = mapped_column(String(80))
    payload: Mapped[str] = mapped_column(Text)
    who: Mapped[str] = mapped_column(String(80))
    at: Mapped[str] = mapped_column(String(40))
    corrects: Mapped[int | None] = mapped_column(ForeignKey("entry.id"))
    previous_hash: Mapped[str] = mapped_column(String(64))
    hash: Mapped[str] = mapped_column(String(64), unique=True)


def search_words(serial: str, name: str, customer: str, fluid: str) -> str:
    """What a tank is found by, in folded case.

    Args:
        serial: the tank's number.
        name: of the job.
        customer: of the job.
        fluid: its name.
    """
    return " ".join((serial, name, customer, fluid)).casefold()
