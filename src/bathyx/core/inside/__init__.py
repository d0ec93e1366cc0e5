"""What goes inside and through the walls: baffles, fittings, and the clearances between them."""
