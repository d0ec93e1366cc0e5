"""Proving a tank: the plan, the hold and its verdict, decay and its uncertainty, stored energy, the test designer."""
