"""Attacks on Bathyx, each a command that prints its counts; docs/reliability.md holds the figures."""
