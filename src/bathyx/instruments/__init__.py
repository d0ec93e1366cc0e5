"""Instruments on serial lines, and the simulated stand-ins that ship with Bathyx."""
