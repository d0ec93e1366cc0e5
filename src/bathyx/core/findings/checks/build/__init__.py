"""What is looked at in build."""
