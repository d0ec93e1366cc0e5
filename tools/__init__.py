"""Scripts that are run by hand; the tests borrow the decay study."""
