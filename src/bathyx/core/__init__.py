"""The computation, without any interface code. Rooms import only from rooms above them (see docs/architecture.md)."""
