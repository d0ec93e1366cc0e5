"""The order of work: steps made from this tank, hold points, cautions, and what the weld log needs to know."""
