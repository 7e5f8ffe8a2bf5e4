"""Writing: centre lines of letters and drawings as strokes of a pen, their order, and the ink that is there when a part of them is written."""
