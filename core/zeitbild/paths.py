"""Where Zeitbild keeps what it makes: one folder, ``data`` beside the code or ``$ZEITBILD_DATA``."""

from __future__ import annotations

import os
from pathlib import Path


def data_folder() -> Path:
    """The folder of the database, assets, masters and hand-offs."""
    return Path(os.environ.get("ZEITBILD_DATA") or Path(__file__).parents[2] / "data").resolve()


def masters_folder() -> Path:
    """The folder of the master store."""
    return data_folder() / "masters"


def assets_folder() -> Path:
    """The folder of uploaded files."""
    return data_folder() / "assets"


def handoffs_folder() -> Path:
    """The folder of hand-offs."""
    return data_folder() / "handoffs"
