"""What is looked at in brief."""
