"""Files and labels for machines and other programs."""
