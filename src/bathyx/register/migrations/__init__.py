"""Alembic migrations of the register."""
