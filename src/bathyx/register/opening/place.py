"""Where a register is: a file of SQLite or a server's URL; opened, made or brought up to date, and recognised for what it is.

A register is made in a file of its own and put in its place whole, under a lock, so that a kill leaves none or a whole one and
two first starts make one. Reading takes no write lock.
"""

from __future__ import annotations

import contextlib
import os
import shutil
import sqlite3
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from sqlalchemy import URL, Connection, Engine, create_engine, event, make_url, text
from sqlalchemy.exc import ArgumentError, NoSuchModuleError, SQLAlchemyError

from bathyx.register.errors import RegisterError, said
from bathyx.register.ledger.chain import Head, head_of
from bathyx.register.ledger.heads import HeadsFile
from bathyx.register.opening.making import making

HEAD = "0003"
KNOWN = ("0001", "0002", "0003")
MAGIC = b"SQLite format 3\0"
BUSY_MS = 2000
OURS = {"alembic_version", "job", "revision", "entry", "mark"}
CONNECT_S = 3
LEAST_ROOM = 1_000_000  # bytes: what SQLite needs to look into a register at all
FULL = "the disk is full: make room, then do it again; nothing says that the register itself is damaged"
OTHER = "what stands in the register's place is some other database; move it away"
# One number for the register's advisory lock on a server: writers queue on it, so that the chain has one end.
WRITERS_LOCK = 0x42617468


class Place:
    """A register's place, opened. `heads` is None where heads are not noted."""

    def __init__(self, where: str | Path, read_only: bool = False, heads: Path | None = None) -> None:
        """Open; `heads` is where heads of a server's register are noted.

        RegisterError says what is wrong with what stands there.
        """
        self.read_only = read_only
        self.path: Path | None = None
        self.heads: HeadsFile | None = HeadsFile(heads) if heads is not None else None
        if "://" in str(where):
            self.engine = self._served(str(where))
        else:
            self.path = Path(where).absolute()
            self.heads = HeadsFile(self.path.with_name(self.path.name + ".heads"))
            if not read_only:
                _make_if_missing(self.path, self.heads)
            _recognise(self.path, self.heads)
            self.engine = _sqlite(self.path, read_only)
        try:
            self._bring_up_to_date()
        except BaseException:
            self.engine.dispose()
            raise

    @property
    def served(self) -> bool:
        """Whether a server keeps it."""
        return self.path is None

    def _served(self, url: str) -> Engine:
        try:
            made = make_url(url)
            if made.get_backend_name() != "postgresql":
                raise RegisterError(f"a register is kept in a file or on PostgreSQL, not on {made.get_backend_name()}")
            made = made.set(drivername="postgresql+psycopg")
            return create_engine(
                made,
                pool_pre_ping=True,
                connect_args={
                    "connect_timeout": CONNECT_S,
                    "application_name": "bathyx",
                    "keepalives_idle": 5,
                    "keepalives_interval": 2,
                    "keepalives_count": 3,
                    "tcp_user_timeout": 6000,
                    "options": "-c lock_timeout=8000 -c statement_timeout=60000",
                },
            )
        except RegisterError:
            raise
        except (ArgumentError, NoSuchModuleError, ValueError):
            raise RegisterError(
                "the register's URL cannot be read; it looks like postgresql://name@server/bathyx"
            ) from None
        except ModuleNotFoundError:
            raise RegisterError(
                "a register on a server needs the package psycopg; install Bathyx with [postgres]"
            ) from None

    @contextmanager
    def reading(self, steady: bool = False) -> Iterator[Connection]:
        """A connection that only reads. RegisterError in words for whatever the database says.

        With `steady`, all of it sees the register as it stood at the first question, whoever writes meanwhile.
        """
        try:
            with self.engine.connect() as connection:
                if steady and self.served:
                    connection = connection.execution_options(isolation_level="REPEATABLE READ")
                yield connection
        except SQLAlchemyError as error:
            raise self._in_words(error) from error

    def _in_words(self, error: SQLAlchemyError, before: str = "") -> RegisterError:
        """What went wrong; a disk without room says that it fails, and the register on it is as whole as it was."""
        told = said(error, before)
        if told.kind == "damaged" and self.path is not None and "i/o" in str(error).lower():
            with contextlib.suppress(OSError):
                if shutil.disk_usage(self.path.parent).free < LEAST_ROOM:
                    return RegisterError(f"{before}{FULL}", "full")
        return told

    @contextmanager
    def writing(self) -> Iterator[Connection]:
        """A connection that holds the write lock: all of it is written or nothing. RegisterError in words."""
        if self.read_only:
            raise RegisterError("nothing was written: the register is open for reading only", "denied")
        try:
            with self.engine.execution_options(writes=True).connect() as connection, connection.begin():
                if self.served:
                    connection.execute(text("SELECT pg_advisory_xact_lock(:lock)"), {"lock": WRITERS_LOCK})
                yield connection
        except SQLAlchemyError as error:
            raise self._in_words(error, "nothing was written: ") from error

    def _bring_up_to_date(self) -> None:
        version, tables = self._version()
        if version == HEAD:
            return
        if version is not None and version not in KNOWN:
            if version > HEAD:
                raise RegisterError(
                    f"the register was written by a newer Bathyx (version {version}); update Bathyx to open it", "newer"
                )
            raise RegisterError(f"the register is of an unknown version {version!r}; bring back a copy", "foreign")
        if version is None and tables:
            raise RegisterError(OTHER, "foreign")
        if self.read_only:
            raise RegisterError(
                "the register is of an earlier Bathyx; open it for writing once to bring it up to date", "old"
            )
        from bathyx.register.opening.migrate import upgrade

        if self.path is not None and version is not None:
            from bathyx.register.opening.copies import copy_file

            copy_file(self.path, self.path.with_name(f"{self.path.name}.before-{HEAD}"))
        with self.writing() as connection:
            upgrade(connection)

    def _version(self) -> tuple[str | None, set[str]]:
        """(Version, tables that are there)."""
        schema = "SELECT name FROM sqlite_master WHERE type = 'table' AND name NOT LIKE 'sqlite_%'"
        if self.served:
            schema = "SELECT table_name FROM information_schema.tables WHERE table_schema = current_schema()"
        last = self.heads.last if self.heads else None  # before the register is read: it may only lag behind
        with self.reading() as connection:
            tables = {name for (name,) in connection.execute(text(schema))}
            if "alembic_version" not in tables:
                return None, tables
            version = connection.execute(text("SELECT version_num FROM alembic_version")).scalar()
            if version == HEAD:
                missing = OURS - tables
                if missing:
                    raise RegisterError(f"the register lacks its table {min(missing)}; bring back a copy", "damaged")
                _refuse_emptied(connection, last)
            return version, tables

    def close(self) -> None:
        """Give the connections back."""
        self.engine.dispose()


def _refuse_emptied(connection: Connection, last: Head | None) -> None:
    if last is not None and last.count and not head_of(connection).count:
        raise RegisterError(
            f"the register is empty, but {last.count} records were known on file; bring back a copy", "emptied"
        )


def _sqlite(path: Path, read_only: bool = False) -> Engine:
    """An engine on a file whose name may hold anything: the driver is given the path itself, not a URL."""
    from urllib.parse import quote

    def connect() -> sqlite3.Connection:
        if read_only:
            # With no writer about and a folder that cannot be written, SQLite can read only when told nothing changes.
            still = (
                "" if os.access(path.parent, os.W_OK) or path.with_name(path.name + "-wal").exists() else "&immutable=1"
            )
            return sqlite3.connect(
                f"file:{quote(str(path))}?mode=ro{still}", uri=True, timeout=BUSY_MS / 1000, check_same_thread=False
            )
        return sqlite3.connect(str(path), timeout=BUSY_MS / 1000, check_same_thread=False)

    engine = create_engine(URL.create("sqlite", database="register"), creator=connect)
    event.listen(engine, "connect", _durable if not read_only else _plain)
    event.listen(engine, "begin", _begin)
    return engine


def _begin(connection: Connection) -> None:
    connection.exec_driver_sql("BEGIN IMMEDIATE" if connection.get_execution_options().get("writes") else "BEGIN")


def _plain(connection: Any, _record: Any) -> None:
    connection.isolation_level = None  # transactions are begun by the listener above


def _durable(connection: Any, _record: Any) -> None:
    connection.isolation_level = None
    cursor = connection.cursor()
    if cursor.execute("PRAGMA journal_mode").fetchone()[0] != "wal":
        cursor.execute("PRAGMA journal_mode=WAL")
    for pragma in ("synchronous=FULL", "foreign_keys=ON", "cache_size=-8000", "mmap_size=268435456"):
        cursor.execute(f"PRAGMA {pragma}")
    cursor.close()


def _make_if_missing(path: Path, heads: HeadsFile) -> None:
    """Make an empty register where none is. One that was emptied, or half made, is never taken for one that is missing."""
    if path.exists() and path.stat().st_size and not _half_made(path):
        return
    with making(path.parent, path.name):
        if path.is_symlink() and not path.exists():
            raise RegisterError(f"{path} is a link to what is not there; mend or remove the link", "denied")
        if path.exists() and (not path.is_file() or (path.stat().st_size and not _half_made(path))):
            return
        last = heads.last
        if last is not None and last.count:
            raise RegisterError(
                f"{path.name} is {'empty' if path.exists() else 'gone'}, but {last.count} records were known on file; "
                "bring back a copy (bathyx restore)",
                "emptied",
            )
        _make(path)


def _make(path: Path) -> None:
    from bathyx.register.opening.migrate import upgrade

    part = None
    try:
        handle, part = tempfile.mkstemp(".part", f".{path.name}.", path.parent)
        os.close(handle)
        engine = create_engine(
            URL.create("sqlite", database="register"), creator=lambda: sqlite3.connect(part, check_same_thread=False)
        )
        event.listen(engine, "connect", _plain)
        event.listen(engine, "begin", _begin)
        try:
            with engine.execution_options(writes=True).connect() as connection, connection.begin():
                upgrade(connection)
        finally:
            engine.dispose()
        mask = os.umask(0o022)
        os.umask(mask)
        Path(part).chmod(0o666 & ~mask)
        Path(part).replace(path)
    except (OSError, SQLAlchemyError) as error:
        raise said(error, f"no register was made in {path.parent}: ") from error
    finally:
        for left in ("", "-journal", "-wal", "-shm"):
            with contextlib.suppress(OSError, TypeError):
                Path(f"{part}{left}").unlink()


def _half_made(path: Path) -> bool:
    """Whether an earlier Bathyx was killed while it made this file: our tables at most, and not a row in them."""
    try:
        with contextlib.closing(sqlite3.connect(str(path), timeout=BUSY_MS / 1000)) as connection:
            tables = {
                name
                for (name,) in connection.execute("SELECT name FROM sqlite_master WHERE type = 'table'")
                if not name.startswith("sqlite_")
            }
            if not tables <= OURS:
                return False
            if "alembic_version" in tables and connection.execute("SELECT * FROM alembic_version").fetchone():
                return False
            return not any(connection.execute(f"SELECT 1 FROM {t} LIMIT 1").fetchone() for t in tables)
    except sqlite3.Error:
        return False


def _tables(path: Path) -> set[str]:
    """Names of the tables of a file of SQLite, read without changing a byte of it; none where it cannot be read."""
    from urllib.parse import quote

    try:
        with contextlib.closing(sqlite3.connect(f"file:{quote(str(path))}?mode=ro", uri=True)) as connection:
            rows = connection.execute("SELECT name FROM sqlite_master WHERE type = 'table'").fetchall()
    except sqlite3.Error:
        return set()
    return {name for (name,) in rows if not name.startswith("sqlite_")}


def _recognise(path: Path, heads: HeadsFile) -> None:
    """RegisterError for what is no register at all, before SQLite touches it."""
    try:
        if path.is_dir():
            raise RegisterError(f"{path} is a folder; a register is a file: move it away", "foreign")
        if not path.is_file():
            raise RegisterError(f"no register at {path}", "denied")
        with path.open("rb") as file:
            begins = file.read(16)
    except OSError as error:
        raise RegisterError(f"{path} cannot be read: {(error.strerror or str(error)).lower()}", "denied") from None
    if begins == MAGIC and _tables(path) and "alembic_version" not in _tables(path):
        raise RegisterError(OTHER, "foreign")
    if begins != MAGIC:
        known = f"; {heads.last.count} records were known on file" if heads.last else ""
        raise RegisterError(
            f"{path.name} is not a readable register{known}: bring back a copy (bathyx restore)", "damaged"
        )
