"""Make-up, blanks, nest."""
