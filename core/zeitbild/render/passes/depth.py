"""Depth: distance of the nearest surface along the viewing axis, not smoothed at edges."""

from zeitbild.render.passes._base import Pass, passes

passes.register(Pass("depth", "Distance along the viewing axis", "depth", lambda picture: picture.depth, order=2))
