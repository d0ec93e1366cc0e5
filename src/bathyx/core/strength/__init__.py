"""Flat panels under pressure: stress, bulge, and the pressure they bear."""
