"""The database file: opened in write-ahead mode, brought up to date by migrations."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from alembic import command
from alembic.config import Config
from sqlalchemy import Engine, create_engine, event
from sqlalchemy.orm import Session

MIGRATIONS = Path(__file__).parent / "migrations"


class Database:
    """One SQLite file in a folder. Safe between threads and processes."""

    def __init__(self, folder: Path) -> None:
        folder.mkdir(parents=True, exist_ok=True)
        self.engine = create_engine(f"sqlite:///{folder / 'lazzik.db'}", connect_args={"timeout": 30})
        _tune(self.engine)
        config = Config()
        config.set_main_option("script_location", str(MIGRATIONS))
        with self.engine.begin() as connection:
            config.attributes["connection"] = connection
            command.upgrade(config, "head")

    @contextmanager
    def reading(self) -> Iterator[Session]:
        """A session that sees one state throughout."""
        with Session(self.engine) as session:
            yield session

    @contextmanager
    def writing(self) -> Iterator[Session]:
        """A session that holds the right to write from its first statement, and commits at the end or not at all."""
        connection = self.engine.connect().execution_options(begin="BEGIN IMMEDIATE")
        with connection, Session(connection) as session, session.begin():
            yield session

    def close(self) -> None:
        """Let go of the file."""
        self.engine.dispose()


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
