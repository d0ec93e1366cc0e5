"""The same work without a window."""

from bathyx.cli.errors import CommandError, data_home
from bathyx.cli.main import main

__all__ = ["CommandError", "data_home", "main"]
