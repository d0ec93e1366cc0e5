"""From faces to blanks: laid beside one another, made one outline, eased at arcs; heads and formed skins."""
