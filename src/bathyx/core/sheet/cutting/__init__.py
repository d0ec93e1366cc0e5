"""Blanks on sheets: nests, cut plans, what to ask the yard for."""
