"""Where frames are computed: local processes behind the ``concurrent.futures`` interface."""

from zeitbild.farm.cell import CellResult, cell_key, render_cell, render_layers, write_cell
from zeitbild.farm.pool import FramePool, Outcome

__all__ = ["CellResult", "FramePool", "Outcome", "cell_key", "render_cell", "render_layers", "write_cell"]
