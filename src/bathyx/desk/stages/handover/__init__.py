"""Papers and the register."""
