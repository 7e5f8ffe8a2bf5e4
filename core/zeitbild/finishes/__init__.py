"""Finishes: what surfaces are made of, how they answer light, and ready-made ones to begin with."""

from zeitbild.finishes.finish import MAPS, Finish, NamedFinish, Tone, Values
from zeitbild.finishes.ready_made import READY_MADE

__all__ = ["MAPS", "READY_MADE", "Finish", "NamedFinish", "Tone", "Values"]
