"""Which edges to bend and which to weld: candidates over all unfoldings of a shell, held against the schools."""
