"""What stands inside."""
