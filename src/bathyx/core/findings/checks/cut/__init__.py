"""What is looked at in cutting."""
