"""Generated surroundings: what is around the set, by formula. One module a kind, found by scanning this package."""

from zeitbild.surroundings._base import Colours, Surroundings, kinds

__all__ = ["Colours", "Surroundings", "kinds"]
