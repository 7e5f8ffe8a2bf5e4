"""Finishes: what surfaces are made of, how they answer light, and ready-made ones to begin with."""

from zeitbild.finishes.finish import TEXTURES, Finish, NamedFinish, Tone, Values
from zeitbild.finishes.ready_made import READY_MADE

__all__ = ["READY_MADE", "TEXTURES", "Finish", "NamedFinish", "Tone", "Values"]
