"""Bringing a register up to date with Alembic; imported only when there is something to do."""

from __future__ import annotations

from pathlib import Path

from alembic import command
from alembic.config import Config
from sqlalchemy import Connection


def upgrade(connection: Connection) -> None:
    """Run every migration that the register has not seen, inside the connection's transaction: all of them or none."""
    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent.parent / "migrations").replace("%", "%%"))
    config.attributes["connection"] = connection
    command.upgrade(config, "head")
