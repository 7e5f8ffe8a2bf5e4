"""Transfer functions between linear light and encoded values."""

from zeitbild.colour.srgb import decode, decode_hex, encode

__all__ = ["decode", "decode_hex", "encode"]
