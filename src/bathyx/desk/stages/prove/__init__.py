"""The pressure test."""
