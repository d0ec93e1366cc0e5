"""Bringing a register up to date with Alembic; imported only when there is something to do."""

from __future__ import annotations

from pathlib import Path

from alembic import command
from alembic.config import Config


def upgrade(url: str) -> None:
    """Run every migration that the register at `url` has not seen."""
    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    config.set_main_option("sqlalchemy.url", url.replace("%", "%%"))
    command.upgrade(config, "head")
