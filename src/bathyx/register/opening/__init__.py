"""Where a register is, and how it is opened, copied, made and brought back."""
