"""Pressure tests: the plan, stored energy, and what a decay trace proves."""
