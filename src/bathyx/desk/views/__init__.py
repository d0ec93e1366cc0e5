"""What the window is made of: canvas, solid, tiles, card fields, rail and trace."""
