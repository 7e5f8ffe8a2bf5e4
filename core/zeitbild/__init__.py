"""Zeitbild's core: from a shot document to verified, see-through image sequences.

Nothing in here knows Django, HTTP or a database. See ``docs/architecture.md`` for the way of one frame.
"""

__version__ = "0.1.0"
