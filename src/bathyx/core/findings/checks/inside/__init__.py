"""What is looked at in inside."""
