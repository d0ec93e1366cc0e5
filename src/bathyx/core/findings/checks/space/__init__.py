"""What is looked at in space."""
