"""Which edges are bent or welded, and how: joints, skins, seams, what stands out, parts besides."""
