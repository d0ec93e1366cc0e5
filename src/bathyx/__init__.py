"""Bathyx: from a tape measure to a signed test record, for makers of custom tanks."""

__version__ = "0.1.0"
