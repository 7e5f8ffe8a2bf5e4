"""Hand-off: masters to files by a recipe, read back, listed in a manifest, packed."""

from zeitbild.handoff.manifest import build_manifest, receiver_text
from zeitbild.handoff.package import pack
from zeitbild.handoff.recipes import Recipe, recipes
from zeitbild.handoff.writing import FileRecord, write_frame

__all__ = ["FileRecord", "Recipe", "build_manifest", "pack", "receiver_text", "recipes", "write_frame"]
