"""What is looked at in tank."""
