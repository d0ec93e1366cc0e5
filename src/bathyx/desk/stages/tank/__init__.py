"""The tank and its use."""
