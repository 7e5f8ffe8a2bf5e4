"""Bytes from strangers are read in processes of their own, which have limits and can be killed.

A function marked with ``apart`` runs there; who calls it notices nothing but the errors. It takes and gives plain values (numbers,
texts, lists, bytes, numpy arrays): messages are numbers and texts too, so that a reader that was taken over cannot take over
its parent by its answers.
"""

from zeitbild.isolation.marking import apart
from zeitbild.isolation.rooms import Limits

__all__ = ["Limits", "apart"]
