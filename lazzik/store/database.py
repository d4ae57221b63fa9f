"""The database file: opened in write-ahead mode, brought up to date by migrations, one server at a time."""

from __future__ import annotations

import fcntl
import os
import sqlite3
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from threading import Lock
from typing import Any

from sqlalchemy import Engine, create_engine, event
from sqlalchemy.exc import DatabaseError
from sqlalchemy.orm import Session

from lazzik.core.errors import LazzikError

MIGRATIONS = Path(__file__).parent / "migrations"
VERSIONS = ("0001", "0002", "0003", "0004", "0005", "0006", "0007", "0008")
"""Versions of the tables, the present one last: the numbers of the migrations."""

FILE = "lazzik.db"

PATIENCE = 30.0
"""Seconds that one waits for the right to write."""

TOO_LONG = "Somebody else has been writing for long, so nothing was stored. Do it again."


class NoRoom(LazzikError):
    """The disk that holds the database is full, or can't be written."""


class Busy(LazzikError):
    """Somebody else has been writing for longer than one waits."""


class BadDatabase(LazzikError):
    """The folder's database is none that this version of Lazzik can open."""


class FolderTaken(LazzikError):
    """Another server works in the folder."""


class Database:
    """One SQLite file in a folder. Safe between threads and processes.

    Raises BadDatabase for a file that is no database, or one of a newer version.
    """

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        folder.mkdir(parents=True, exist_ok=True)
        self.engine = create_engine(f"sqlite:///{folder / FILE}", connect_args={"timeout": PATIENCE})
        # among the threads of one process: the file itself has no queue, whoever finds it taken looks in again later
        self._turn = Lock()
        _tune(self.engine)
        try:
            self._update()
        except DatabaseError as error:
            self.close()
            with _sentences():
                raise error

    def _update(self) -> None:
        """Bring the tables up to date. The tool that does it is loaded only if there is something to do."""
        with self.engine.begin() as connection:
            tables = set(connection.exec_driver_sql("SELECT name FROM sqlite_master WHERE type = 'table'").scalars())
            known = tables and "alembic_version" in tables
            version = connection.exec_driver_sql("SELECT version_num FROM alembic_version").scalar() if known else None
            if version == VERSIONS[-1]:
                return
            if (version is None and tables - {"alembic_version"}) or (version is not None and version not in VERSIONS):
                raise BadDatabase(
                    f"The database in '{self.folder}' was written by a newer Lazzik, or by something else "
                    f"(its version is '{str(version)[:20]}', the newest known here is {VERSIONS[-1]}). "
                    "It is left as it is; choose another folder with --data."
                )
            from alembic import command
            from alembic.config import Config

            config = Config()
            config.set_main_option("script_location", str(MIGRATIONS))
            config.attributes["connection"] = connection
            command.upgrade(config, "head")

    @contextmanager
    def reading(self) -> Iterator[Session]:
        """A session that sees one state throughout."""
        with _sentences(), Session(self.engine) as session:
            yield session

    @contextmanager
    def writing(self) -> Iterator[Session]:
        """A session that holds the right to write from its first statement, and commits at the end or not at all.

        Everybody else who writes waits meanwhile, so nothing is worked out within it. Raises NoRoom and Busy.
        """
        with _sentences():
            if not self._turn.acquire(timeout=PATIENCE):
                raise Busy(TOO_LONG)
            try:
                connection = self.engine.connect().execution_options(begin="BEGIN IMMEDIATE")
                with connection, Session(connection) as session, session.begin():
                    yield session
            finally:
                self._turn.release()

    def close(self) -> None:
        """Let go of the file."""
        self.engine.dispose()


@contextmanager
def claimed(folder: Path) -> Iterator[None]:
    """The right to serve a folder: one process has it at a time, and its end, however sudden, gives it back.

    Raises FolderTaken.
    """
    folder.mkdir(parents=True, exist_ok=True)
    with (folder / "lazzik.lock").open("a+") as lock:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            lock.seek(0)
            by = lock.read(20).strip()
            raise FolderTaken(
                f"Another Lazzik{f' (process {by})' if by else ''} works in the folder '{folder}' already. "
                "Use that one, or choose another folder with --data."
            ) from None
        lock.truncate(0)
        lock.write(str(os.getpid()))
        lock.flush()
        yield


@contextmanager
def _sentences() -> Iterator[None]:
    """What the database refuses, as sentences for whoever asked."""
    try:
        yield
    except DatabaseError as error:
        code = getattr(error.orig, "sqlite_errorcode", 0) & 0xFF
        if code in (sqlite3.SQLITE_FULL, sqlite3.SQLITE_IOERR, sqlite3.SQLITE_READONLY, sqlite3.SQLITE_CANTOPEN):
            raise NoRoom(
                "There is no room left on the disk, or it can't be written, so nothing was stored. "
                "What was saved before is safe; make room and do it again."
            ) from error
        if code in (sqlite3.SQLITE_BUSY, sqlite3.SQLITE_LOCKED):
            raise Busy(TOO_LONG) from error
        if code in (sqlite3.SQLITE_NOTADB, sqlite3.SQLITE_CORRUPT):
            raise BadDatabase(
                f"The database is damaged, or '{FILE}' is no database at all. It is left as it is; put a copy of a "
                "good one in its place, or choose another folder with --data."
            ) from error
        raise


def _tune(engine: Engine) -> None:
    @event.listens_for(engine, "connect")
    def _connected(connection: Any, _record: Any) -> None:
        # the driver's own habit of opening transactions late would let two writers read the same head
        connection.isolation_level = None
        for pragma in ("journal_mode=WAL", "synchronous=FULL", "foreign_keys=ON"):
            connection.execute(f"PRAGMA {pragma}")

    @event.listens_for(engine, "begin")
    def _begun(connection: Any) -> None:
        connection.exec_driver_sql(connection.get_execution_options().get("begin", "BEGIN"))
