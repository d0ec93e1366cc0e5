"""What is on record: the chain of entries, its tables, guards, heads and keys."""
