"""The space, measured."""
