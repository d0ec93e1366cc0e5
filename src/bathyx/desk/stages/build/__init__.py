"""The traveller and the weld log."""
