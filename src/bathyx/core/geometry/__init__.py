"""Shells of planar faces, their exact volumes and dip curves, and flat outlines with arcs."""
