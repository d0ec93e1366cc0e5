"""What is looked at in prove."""
