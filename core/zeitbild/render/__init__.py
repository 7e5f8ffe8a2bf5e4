"""Snapshot to picture: visibility by rasterising many samples a pixel, shading once a pixel and surface."""

from zeitbild.render.picture import Picture
from zeitbild.render.renderer import RENDERER_VERSION, render, render_together
from zeitbild.snapshot.quality import QUALITIES, Quality

__all__ = ["QUALITIES", "RENDERER_VERSION", "Picture", "Quality", "render", "render_together"]
