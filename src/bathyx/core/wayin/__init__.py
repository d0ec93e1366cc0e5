"""Does the tank go in? A way from outside to its seat, a proof that there is none, and what would make it go in."""
