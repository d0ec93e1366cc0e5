"""From shell to sheet: which edges are bent or welded, flat blanks with bends, holes and marks, and their nest."""
