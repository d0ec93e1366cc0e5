"""The desk: one window that draws the latest evaluation and turns gestures into new jobs. It computes no engineering."""
