"""Bends: arithmetic, the rule in force, test strips, the brake and the order of its steps."""
