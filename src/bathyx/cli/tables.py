"""`bathyx tables`: the shop's own rows over the tables that ship, from files in the home."""

from __future__ import annotations

import argparse
import json
import sys
from pathlib import Path

from bathyx.cli.errors import CommandError, data_home


def add_tables(parser: argparse.ArgumentParser) -> None:
    """The options of `tables`."""
    parser.add_argument("--begin", action="store_true", help="lay out an empty file for each table, with an example")
    parser.add_argument("--folder", type=Path, help="another folder than the one in the home, only looked over")


def tables(options: argparse.Namespace) -> int:
    """Print which own rows hold, and what is wrong with those that were left out; 1 where there are such."""
    from bathyx.files.own_tables import begin_own, folder_of, own_rows, read_own

    folder = options.folder or folder_of(data_home())
    if options.folder is not None and not folder.is_dir():
        raise CommandError(f"no folder at {folder}")
    if options.begin:
        begin_own(folder)
    wrong = read_own(folder)
    json.dump({"tables_version": 1, "folder": str(folder), "rows": own_rows(), "left_out": wrong}, sys.stdout, indent=2)
    print()
    return int(bool(wrong))
