"""Outlines, shaping, extrusion, normals and transforms."""

from zeitbild.geometry.mesh import Mesh

__all__ = ["Mesh"]
