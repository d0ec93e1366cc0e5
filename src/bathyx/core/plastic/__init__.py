"""Plastics that are welded and bent hot: rods and passes, hot bends, bands round a tank, creep."""
