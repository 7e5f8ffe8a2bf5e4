"""Where frames are computed: local processes behind the ``concurrent.futures`` interface."""

from zeitbild.farm.cell import (
    CellResult,
    FrameResult,
    Made,
    Rejoin,
    cell_is_there,
    cell_key,
    frames_with,
    make_frame,
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
    "Made",
    "Outcome",
    "Rejoin",
    "cell_is_there",
    "cell_key",
    "frames_with",
    "make_frame",
    "render_cell",
    "render_layers",
    "write_files",
    "write_sequence",
]
