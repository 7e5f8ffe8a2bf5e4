"""Hand-off: masters to files by a recipe, read back, listed in a manifest, packed."""

from zeitbild.handoff.conforming import Conforming
from zeitbild.handoff.forms import Delivered, Packed, Part, packed_forms
from zeitbild.handoff.manifest import Proofs, Written, build_manifest, proofs_of
from zeitbild.handoff.note import receiver_text
from zeitbild.handoff.package import SUMS, pack
from zeitbild.handoff.recipes import Recipe, recipes
from zeitbild.handoff.settling import folders_of, settle
from zeitbild.handoff.sound import SoundRecord, write_sound
from zeitbild.handoff.writing import FileRecord, Order, check_carried, passes_in, write_file

__all__ = [
    "SUMS",
    "Conforming",
    "Delivered",
    "FileRecord",
    "Order",
    "Packed",
    "Part",
    "Proofs",
    "Recipe",
    "SoundRecord",
    "Written",
    "build_manifest",
    "check_carried",
    "folders_of",
    "pack",
    "packed_forms",
    "passes_in",
    "proofs_of",
    "receiver_text",
    "recipes",
    "settle",
    "write_file",
    "write_sound",
]
