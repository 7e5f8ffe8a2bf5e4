"""Where frames are computed: local processes behind the ``concurrent.futures`` interface."""

from zeitbild.farm.cell import (
    CellResult,
    FrameResult,
    Rejoin,
    cell_is_there,
    cell_key,
    frames_with,
    make_cells,
    make_files,
    render_cell,
    render_layers,
    write_files,
    write_sequence,
)
from zeitbild.farm.pool import FramePool, Outcome

__all__ = [
    "CellResult",
    "FramePool",
    "FrameResult",
    "Outcome",
    "Rejoin",
    "cell_is_there",
    "cell_key",
    "frames_with",
    "make_cells",
    "make_files",
    "render_cell",
    "render_layers",
    "write_files",
    "write_sequence",
]
