"""A register as the first release made it: its first migration alone."""

from pathlib import Path

from alembic import command
from alembic.config import Config
from sqlalchemy import create_engine

from bathyx import register


def make_version_1(path):
    config = Config()
    folder = Path(register.__file__).parent
    config.set_main_option("script_location", f"{folder}/migrations")
    engine = create_engine(f"sqlite:///{path}")
    with engine.connect() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, "0001")
        connection.commit()
    engine.dispose()
