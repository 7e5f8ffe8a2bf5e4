"""Looking at pictures: over test grounds, as alpha alone, pixel by pixel. Nothing here ends up in an output."""

from zeitbild.proof.display import Ground, View, encode_view, show
from zeitbild.proof.probe import Probe, probe

__all__ = ["Ground", "Probe", "View", "encode_view", "probe", "show"]
